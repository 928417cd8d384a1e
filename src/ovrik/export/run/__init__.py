"""A command becomes a process and a timed run."""
