"""The fault finder."""
