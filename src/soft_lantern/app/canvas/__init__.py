"""Where a graph is built: slips, wires, the finder."""
