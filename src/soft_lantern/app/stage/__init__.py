"""The stage: the live picture, and the hands on it."""
