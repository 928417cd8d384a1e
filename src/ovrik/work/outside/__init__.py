"""Exports that Ovrik does not drive: watched, read from a stopwatch, brought in from a table."""
