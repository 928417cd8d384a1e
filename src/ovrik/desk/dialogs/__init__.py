"""Windows that are opened from the main one."""
