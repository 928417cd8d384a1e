"""The station Scrutiny."""
