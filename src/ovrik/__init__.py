"""Ovrik finds the fastest acceptable way to export a film on one workstation."""

__version__ = "0.1.0"
