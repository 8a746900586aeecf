"""What was done on site: events, photographs, instruments, sealed handovers. Only ever added to."""
