"""Trims: test keys measured, and the adjustment they ask for."""
