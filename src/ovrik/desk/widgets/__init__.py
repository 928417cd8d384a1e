"""Parts that several stations are made of."""
