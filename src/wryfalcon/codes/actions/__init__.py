"""What changes the code series."""
