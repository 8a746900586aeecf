"""Stage sheet."""
