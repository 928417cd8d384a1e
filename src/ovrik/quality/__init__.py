"""Is the output right, and how good does it look?"""
