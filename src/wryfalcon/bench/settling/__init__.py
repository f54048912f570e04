"""Settle: what the key is and what is cut."""
