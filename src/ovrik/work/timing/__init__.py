"""Runs are made, one after another, each from a clean start."""
