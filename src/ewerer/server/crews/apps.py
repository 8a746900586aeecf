"""App configuration."""

from django.apps import AppConfig


class CrewsConfig(AppConfig):
    """Crews and their members."""

    name = "ewerer.server.crews"
    label = "crews"
