"""What the machine and its devices report: load, clocks, temperature, who is at work."""
