"""The desk's state: what is opened, done and shown, and the verbs of each step."""
