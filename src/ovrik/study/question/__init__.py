"""What a study asks: its line-up, limits, conduct and worth, as a plan file says it."""
