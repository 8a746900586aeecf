"""Device profiles of a crew, every version kept."""
