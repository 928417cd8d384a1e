"""Long work behind the window."""
