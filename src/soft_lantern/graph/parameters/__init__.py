"""What a material exposes, and limits to suggest for it."""
