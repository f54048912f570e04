"""Duplicates beside their patterns."""
