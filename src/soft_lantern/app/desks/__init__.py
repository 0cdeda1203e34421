"""The desks, one for each kind of work."""
