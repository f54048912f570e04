"""Keeping machines true: trims, courses, wheels, duplicates, practice, and why a key came out wrong."""
