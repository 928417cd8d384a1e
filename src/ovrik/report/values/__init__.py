"""The evidence as plain values, one record for each thing that JSON holds; the schema is derived from them."""
