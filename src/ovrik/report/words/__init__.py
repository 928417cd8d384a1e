"""What is said of a study, in sentences, the same wherever it is said."""
