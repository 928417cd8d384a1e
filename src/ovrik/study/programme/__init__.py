"""The edit that is exported, its treatments, and the excerpt of it that is timed."""
