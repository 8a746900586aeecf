"""Results, one file a stage: immutable, every field described."""
