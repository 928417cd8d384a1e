"""The workstation: its facts, the builds on it, and measured processes."""
