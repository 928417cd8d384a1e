"""Frames on screen: viewer, strip, player."""
