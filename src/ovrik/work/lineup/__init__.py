"""Which contenders can run here, what they need the user's word for, and plans."""
