"""Cut: the pieces of a tag, by a machine or by hand."""
