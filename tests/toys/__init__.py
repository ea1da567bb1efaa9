"""Kinds that only tests know: what it takes to add one."""
