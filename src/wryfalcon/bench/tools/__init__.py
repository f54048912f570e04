"""Keys of the shop's own."""
