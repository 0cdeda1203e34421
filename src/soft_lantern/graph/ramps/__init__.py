"""Gradients and palettes alike, as graphs read them."""
