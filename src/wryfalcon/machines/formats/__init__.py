"""Cut plans as files other programs read: G-code, DXF and SVG."""
