"""Keys filed by stages."""
