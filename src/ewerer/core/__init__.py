"""Rules and computation: immutable documents in, immutable results out. No web framework here."""
