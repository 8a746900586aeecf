"""Crews: who works together; what another crew owns does not exist for you."""
