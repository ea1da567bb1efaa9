"""The ledger: the table of choices."""
