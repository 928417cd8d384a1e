"""What a folder, a study or a clip of a stranger may try, and what must not come of it."""
