"""The care of machines: what was done, and what is due."""
