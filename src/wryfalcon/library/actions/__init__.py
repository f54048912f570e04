"""What changes the library."""
