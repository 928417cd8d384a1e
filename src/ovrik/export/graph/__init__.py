"""Filter graphs: a programme's cut and treatments as nodes."""
