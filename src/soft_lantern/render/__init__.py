"""Pictures of the stage: what a picture holds (frame), how light falls (surface model), and two renderers of it."""
