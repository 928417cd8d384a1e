"""Argument lists of exports, of parts of them, and of playback."""
