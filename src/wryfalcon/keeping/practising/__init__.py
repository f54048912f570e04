"""Practice on the simulated machine."""
