"""The main window: header, menu, command finder, banners and what it asks."""
