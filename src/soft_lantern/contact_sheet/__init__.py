"""Contact sheets: looks × assets × skies as one picture or PDF, drawn on all cores."""
