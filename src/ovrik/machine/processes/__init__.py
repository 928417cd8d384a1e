"""Programs as processes: asked briefly, marked, and ended with all that they started."""
