"""``python -m ewerer.server restore FILE``: a copy back in place; what was there before is kept beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....backup import BackupError, restore


class Command(BaseCommand):
    """Put a copy of the database back."""

    help = "Puts the copy in FILE in place of the data, after keeping what is there now."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the file to read."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Restore, bring the tables up to this version, and say where the old data are."""
        try:
            kept = restore(options["file"])
        except BackupError as error:
            raise CommandError(f"{error}; nothing was changed") from None
        call_command("migrate", verbosity=0, interactive=False)
        self.stdout.write(f"{options['file']} is in place; what was there before is in {kept}")
