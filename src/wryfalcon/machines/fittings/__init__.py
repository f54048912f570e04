"""What is fitted to a machine and how a key is held."""
