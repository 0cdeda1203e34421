"""The Tune desk: the family tree, the value sheet, comparisons, and values to try."""
