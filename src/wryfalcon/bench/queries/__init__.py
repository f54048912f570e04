"""What the pages show, worked out from what is kept; nothing here changes anything."""
