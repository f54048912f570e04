"""Keeping machines true: fitting their errors, designing test keys, drift, and how well a hand measures."""
