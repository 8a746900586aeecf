"""``python -m ewerer.server write_docs FOLDER``: writes what is generated: rules.md, glossary.md and openapi.json."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from .....core.trade.quantities import glossary_markdown
from .....core.trade.rules import rules_markdown
from ....api import openapi_json


class Command(BaseCommand):
    """Write the generated documents."""

    help = "Writes rules.md, glossary.md and openapi.json into a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder."""
        parser.add_argument("folder")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the files."""
        folder = Path(options["folder"])
        (folder / "glossary.md").write_text(glossary_markdown())
        (folder / "rules.md").write_text(rules_markdown())
        (folder / "openapi.json").write_text(openapi_json())
