"""Numbers only: arrays in, values out."""
