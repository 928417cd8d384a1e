"""What scores come to: pooled, at equal quality, searched for, told apart by eye, played."""
