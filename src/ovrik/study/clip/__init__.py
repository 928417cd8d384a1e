"""A source clip: what was read from it, how its frames are come by, and its address."""
