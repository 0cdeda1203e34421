"""Scenes as glTF 2.0: looks baked into textures, and each told how far it is from what the stage shows."""
