"""Reading and writing the tables of an open study."""
