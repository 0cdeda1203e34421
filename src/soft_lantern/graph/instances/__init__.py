"""Material instances: where values come from, families, picks, values to try, what a change does to them."""
