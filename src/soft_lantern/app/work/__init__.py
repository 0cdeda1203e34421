"""Work beside the window, what comes of it, and what goes wrong in it."""
