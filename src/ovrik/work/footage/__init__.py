"""Work on what is exported: complexity, frame counts, thumbnails, files that moved, references."""
