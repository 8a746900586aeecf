"""Jobs and their revisions."""
