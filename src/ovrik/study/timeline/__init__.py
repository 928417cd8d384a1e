"""Timeline files become programmes, and programmes timeline files."""
