"""App configuration."""

from django.apps import AppConfig


class RecordConfig(AppConfig):
    """Events, photographs, instruments, sealed handovers."""

    name = "ewerer.server.record"
    label = "record"
