"""How well a person reads an instrument."""
