"""Prove: measures, trials and the verdict."""
