"""Pictures and sounds as arrays: alignment, kinds of loss, levels, complexity, loudness."""
