"""Clips are opened and decoded: what they are, their frames, packets and sound."""
