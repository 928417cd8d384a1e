"""Where the time of an export goes, and what the whole programme will take."""
