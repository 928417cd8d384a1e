"""Times of runs: one fit of all, their spread, intervals, drift, and what is left."""
