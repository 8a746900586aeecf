"""Stage link."""
