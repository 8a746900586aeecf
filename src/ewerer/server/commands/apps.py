"""Django application holding what ``python -m ewerer.server`` can do."""

from django.apps import AppConfig


class CommandsConfig(AppConfig):
    """People, copies of the database, documents made from code."""

    name = "ewerer.server.commands"
    label = "commands"
