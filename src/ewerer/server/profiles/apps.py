"""App configuration."""

from django.apps import AppConfig


class ProfilesConfig(AppConfig):
    """Device profiles of a crew."""

    name = "ewerer.server.profiles"
    label = "profiles"
