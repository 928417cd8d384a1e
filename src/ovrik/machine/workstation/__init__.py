"""The workstation as a whole: facts, drives, readiness, the desktop session, its usual noise."""
