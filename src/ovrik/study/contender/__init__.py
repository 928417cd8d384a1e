"""One thing that is timed: build, acceleration and recipe, and what it delivers."""
