"""The machines on screen."""
