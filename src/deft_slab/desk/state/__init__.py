"""The state of the desk: what is opened, done and shown, and the verbs of each step."""
