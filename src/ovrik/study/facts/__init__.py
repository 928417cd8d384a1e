"""What is found out, as values without a word of prose: origins of runs, what disturbed them, what speaks against an
output, what was played and what people saw."""
