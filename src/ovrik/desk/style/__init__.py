"""Colours, fonts, marks: how everything looks."""
