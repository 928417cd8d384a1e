"""Rounds until what is asked is decided, and settings that just meet a quality."""
