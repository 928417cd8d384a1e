"""The five stations of the work, and the workstation panel."""
