"""The PyQt6 interface: every station is a view of the study."""
