"""The Colour desk: gradients and palettes, and a live picture of what uses them."""
