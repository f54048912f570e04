"""What changes the machines and their runs."""
