"""What runs, scores and what people saw come to: one summary for each contender, and the verdict."""
