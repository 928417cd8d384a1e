"""The whole job on a study, for the window and the command line alike.

It joins what must not know each other: timing, scoring, the study file and the statistics.
"""
