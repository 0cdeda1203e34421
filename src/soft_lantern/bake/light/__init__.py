"""Light that emissive surfaces give: what it meets, paths of it, charts to keep it in, and work on all cores."""
