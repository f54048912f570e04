"""The shape of every document the core reads, as pydantic models; their schemas ship in ``schemas``."""
