"""What the Tune desk is made of: the family tree, the value sheet, comparisons, and values to try."""
