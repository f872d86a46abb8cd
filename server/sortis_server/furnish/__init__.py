"""Furnishing one's own workshop: settings, standards, prices, kinds, and the whole as a file."""
