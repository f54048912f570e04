"""The code series on screen: finding, bringing in, editions."""
