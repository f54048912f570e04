"""Commands that are of no one room."""
