"""The first job, led through step by step."""
