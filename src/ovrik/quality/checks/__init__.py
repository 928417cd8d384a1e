"""Is an output what was asked for? Conformity, point by point."""
