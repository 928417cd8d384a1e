"""Encoders and their settings as data: presets, rate controls, containers, what fits what."""
