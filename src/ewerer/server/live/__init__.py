"""Ports and stand-ins of a job: each a process beside the server. Every read and write becomes an event of the record."""
