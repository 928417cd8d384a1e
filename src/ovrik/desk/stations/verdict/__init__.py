"""The station Verdict."""
