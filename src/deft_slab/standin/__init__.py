"""Stand-in printers: separate programs that behave like a filament or a resin printer, for users who have none at
hand.

They listen on this machine only, accept beds, count down the hours on a clock that can be sped up, and fail on
request.
"""
