"""What is done on site and what is left of it: events, the run, verdicts, the logbook, the handover."""
