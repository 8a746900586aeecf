"""Logs: what a file of readings holds, what happened in it, and whether the plan was kept."""
