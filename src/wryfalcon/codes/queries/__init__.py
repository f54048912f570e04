"""What is found in the code series."""
