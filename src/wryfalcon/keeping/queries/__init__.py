"""What the pages show of the machines."""
