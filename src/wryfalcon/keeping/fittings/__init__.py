"""What is fitted to a machine, and how many keys it made since."""
