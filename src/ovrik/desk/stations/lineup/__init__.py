"""The station Line-up."""
