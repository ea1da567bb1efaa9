"""Stand-in printers: programs of their own that do as a filament or a resin printer does, for one who has none at hand.

They listen on this machine only, take beds, count down hours by a clock that can be sped up, and fail when told to.
"""
