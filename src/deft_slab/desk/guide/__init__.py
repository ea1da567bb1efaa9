"""The first job: a guide that proposes one thing at each step."""
