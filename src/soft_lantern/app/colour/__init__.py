"""What the Colour desk is made of: the editors of gradients and palettes."""
