"""Studies and documents are opened, kept and printed."""
