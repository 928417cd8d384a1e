"""The question: footage, excerpt, recipes, contenders, limits, and the plan file."""
