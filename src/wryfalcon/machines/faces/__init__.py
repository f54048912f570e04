"""The faces of clamps, touched off."""
