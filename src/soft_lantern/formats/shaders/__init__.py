"""Materials as text for shading languages: one module for each, over what all have in common in `surface`."""
