"""What is worked out ahead and kept in textures."""
