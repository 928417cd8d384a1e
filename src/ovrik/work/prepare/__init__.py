"""A contender becomes an export on this machine, and what must be there first."""
