"""Keys copied from a pattern."""
