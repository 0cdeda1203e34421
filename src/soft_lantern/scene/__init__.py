"""What stands on the stage: meshes, parts, transforms, cameras and picking."""
