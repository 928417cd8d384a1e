"""Evidence told to others."""
