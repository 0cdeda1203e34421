"""Ready-made pieces of graph for effects artists know by name."""
