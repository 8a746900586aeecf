"""Stage units."""
