"""Logs of a job: uploaded in parts, read once, kept as columns."""
