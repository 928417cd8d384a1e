"""Simulated devices, for machines without a GPU. Marked as such wherever their numbers appear."""
