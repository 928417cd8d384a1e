"""Frames as a person looks at them: on screen, still, small, from copies that are quick to step through."""
