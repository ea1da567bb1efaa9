"""The help: a page for each step, the glossary, and what the program is made of."""
