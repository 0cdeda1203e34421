"""Panels that several desks show."""
