"""Stage thresholds."""
