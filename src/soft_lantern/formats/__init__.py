"""Files in and out: the project folder, meshes, shader packages."""
