"""The Deliver desk: what leaves, for whom, with its proof."""
