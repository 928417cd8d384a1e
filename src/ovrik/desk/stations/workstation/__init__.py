"""The station Workstation."""
