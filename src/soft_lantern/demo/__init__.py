"""The demo project, Mothlight Terraces: an invented night garden, all of it made by code."""
