"""Outputs are judged, scored, played and looked at."""
