"""What is read back from the study file, as values, each with the table that keeps it."""
