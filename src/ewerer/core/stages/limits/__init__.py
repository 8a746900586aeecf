"""Stage limits."""
