"""The Build desk: canvas, stage and parameter shelf."""
