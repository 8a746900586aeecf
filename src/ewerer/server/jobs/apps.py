"""App configuration."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Jobs and their revisions."""

    name = "ewerer.server.jobs"
    label = "jobs"
