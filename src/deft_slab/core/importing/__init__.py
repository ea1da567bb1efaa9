"""Files in: what a file is, what is in it, and a sentence for a person when it is no good."""
