"""The course of a machine over its keys."""
