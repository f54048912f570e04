"""What changes the machines and their pieces."""
