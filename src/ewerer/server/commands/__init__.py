"""Commands for the server: people, backup, restore, documents made from code."""
