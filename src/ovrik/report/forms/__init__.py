"""The evidence as text, page, table, spreadsheet and plain values."""
