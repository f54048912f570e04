"""Editions of families and of code series in one place: what waits, what it changes and touches, what is in force."""
