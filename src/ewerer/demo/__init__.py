"""Invented jobs, and what was done on site for some of them."""
