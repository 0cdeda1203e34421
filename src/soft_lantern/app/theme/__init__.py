"""Colours, fonts and the style sheet."""
