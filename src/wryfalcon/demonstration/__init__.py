"""The demonstration: an invented shop in Dunmere, an invented harbour town."""
