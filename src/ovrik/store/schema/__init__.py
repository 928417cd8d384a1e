"""The study file's tables, what brings older ones up to date, and the file itself."""
