"""Exports of other programs: timed by watching the files that they write."""
