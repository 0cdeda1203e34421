"""Palettes: from images, as indices, in swap sets, and sprites recoloured without an index."""
