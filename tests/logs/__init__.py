"""Logs: what a seed put into them is found again, in any shape of file."""
