"""Stage windows."""
