"""Read: what was seen of a key or lock, and what it means."""
