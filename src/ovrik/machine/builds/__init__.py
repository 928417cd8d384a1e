"""Encoding programs on this machine: found, added, fetched, approved, and what each can do."""
