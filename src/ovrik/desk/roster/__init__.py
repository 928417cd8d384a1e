"""The list of contenders on the left."""
