"""Evidence passed on to others."""
