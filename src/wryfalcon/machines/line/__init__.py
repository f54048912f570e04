"""Machines on a line: orders, what they say, and how they are followed."""
