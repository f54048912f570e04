"""Plain geometry on arrays: what a tool leaves, and what stands on it. Nothing here knows of a kind of key."""
