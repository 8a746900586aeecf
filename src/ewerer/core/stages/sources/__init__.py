"""Stage sources."""
