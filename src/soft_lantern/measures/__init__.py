"""The benchmark table: ratios and longest waits, taken within one run on one machine."""
