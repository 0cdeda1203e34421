"""Gradients: edits, fitting to colours, what baking costs, mixes of a graph as one, and how others see them."""
