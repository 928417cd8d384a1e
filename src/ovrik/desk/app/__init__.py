"""The application: its window, menus, and what is shown first."""
