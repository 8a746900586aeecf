"""``ewerer doctor``: whether the data folder is whole, and what to do where it is not."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from ....doctor import examine
from ....settings.base import DATA_DIR


class Command(BaseCommand):
    """Examine the data folder."""

    help = "Looks at database, documents, keys, permissions and versions; says what to do. Exit 1 where something is to be done."

    def handle(self, *args: Any, **options: Any) -> None:
        """Write a line for each thing looked at."""
        bad = 0
        for found in examine(DATA_DIR):
            bad += not found.good
            self.stdout.write(
                f"{'ok    ' if found.good else 'TO DO '} {found.what}" + (f"\n       {found.to_do}" if found.to_do else "")
            )
        if bad:
            raise SystemExit(1)
