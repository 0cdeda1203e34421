"""The open project: edits, undo, saving, its files, and what is measured of it."""
