"""Settings: base, and what demo, production and tests change."""
