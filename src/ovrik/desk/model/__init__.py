"""What the window shows, without a widget."""
