"""Running it: serve, limits, logs, metrics, health, people, copies, doctor, tidying up, demo data."""
