"""The library's pages."""
