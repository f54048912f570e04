"""Sheets of keys to try."""
