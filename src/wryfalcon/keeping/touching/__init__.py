"""Trim by touch, for duplicators."""
