"""The study file: one SQLite database, written as runs finish."""
