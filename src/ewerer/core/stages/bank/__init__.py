"""Stage bank."""
