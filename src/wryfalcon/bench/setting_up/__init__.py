"""Set up: the card of a key on its machine."""
