"""Small pictures of looks, and several looks in one picture."""
