"""The station Footage."""
