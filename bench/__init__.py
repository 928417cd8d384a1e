"""Benchmarks: what is claimed of Ovrik's own speed and load, measured in one run as ratios."""
