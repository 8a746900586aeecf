"""Ports: what reads devices over a cable. One small interface; a process of its own for each port."""
