"""What the library knows."""
