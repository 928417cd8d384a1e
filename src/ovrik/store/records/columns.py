"""Columns that many tables have."""

IN_PLACE = ("programme_id INTEGER NOT NULL", "start_frame INTEGER NOT NULL", "frames INTEGER NOT NULL")
"""What was exported: columns of whatever belongs to an excerpt and does not say so itself."""


KEY = "id INTEGER PRIMARY KEY"


SITTING = "sitting_id INTEGER NOT NULL DEFAULT 1"
