"""``python -m ewerer.server backup FILE``: a whole copy of the data, while the server runs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....backup import BackupError, back_up


class Command(BaseCommand):
    """Copy the database."""

    help = "Writes a whole, checked copy of the data to FILE; people may work meanwhile."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the file to write."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the copy and say how large it is."""
        try:
            size = back_up(options["file"])
        except BackupError as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{options['file']}: {size / 1000:.0f} kB, checked")
