"""Devices and the ways builds use them: opened, tried on known frames, and remembered."""
