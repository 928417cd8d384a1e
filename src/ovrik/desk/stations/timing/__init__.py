"""The station Timing."""
