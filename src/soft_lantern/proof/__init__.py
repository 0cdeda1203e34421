"""Delivered text run by programs that are not ours, and held against the NumPy reader."""
