"""Slot forms: an intent compiled to what a unit can write down, and expanded again."""
