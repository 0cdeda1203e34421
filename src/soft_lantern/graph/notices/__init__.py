"""Problems of a project: found in its documents, its bounds and its measured values, with mends."""
