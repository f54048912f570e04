"""Cutting wheels looked at."""
