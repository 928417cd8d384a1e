"""What outputs are judged against, and the proof that builds read the right frames."""
