"""A contender becomes a command, a process and a timed run."""
