"""``python -m ewerer.server write_docs FOLDER``: writes what is generated: rules.md, glossary.md, quantities.md and openapi.json."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from .....core.devices.library import shipped_library
from .....core.planning.derived import FIXED
from .....core.planning.wishes import HAND
from .....core.trade.quantities import OWN_AMPS, QUANTITIES, glossary_markdown
from .....core.trade.rules import rules_markdown
from ....api import openapi_json


def quantities_markdown() -> str:
    """Return docs/quantities.md: which shipped setting carries each quantity, what plans it, what may be wished; fails where one has none."""
    carriers: dict[str, list[str]] = {}
    for profile in shipped_library():
        for s in getattr(profile, "settings", ()):
            if s.quantity:
                carriers.setdefault(s.quantity, []).append(f"{profile.name}: {s.label}")
    lines = [
        "# Quantities",
        "",
        "Made by `make docs`; do not edit. A unit's setting carries one of these; a rule plans it, a person may wish otherwise within",
        "what the rules permit, and what no rule plans is decided by hand with what is known about it.",
        "",
        "| name | word on screens | shipped setting | planned by | own figure |",
        "|---|---|---|---|---|",
    ]
    for q in QUANTITIES.values():
        if q.name not in carriers:
            raise SystemExit(f"no shipped setting carries {q.name}")
        by = "a person: " + HAND[q.name] if q.name in HAND else "a rule or a wish with its reason, in the plan"
        own = (
            "-"
            if q.name in HAND
            else f"no: {FIXED[q.name]}"
            if q.name in FIXED
            else "less only"
            if q.name in OWN_AMPS
            else "within the rules"
        )
        first, *more = carriers[q.name]
        lines.append(f"| `{q.name}` | {q.word} | {first}{f' and {len(more)} more' if more else ''} | {by} | {own} |")
    return "\n".join(lines) + "\n"


class Command(BaseCommand):
    """Write the generated documents."""

    help = "Writes rules.md, glossary.md, quantities.md and openapi.json into a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder."""
        parser.add_argument("folder")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the files."""
        folder = Path(options["folder"])
        (folder / "glossary.md").write_text(glossary_markdown())
        (folder / "quantities.md").write_text(quantities_markdown())
        (folder / "rules.md").write_text(rules_markdown())
        (folder / "openapi.json").write_text(openapi_json())
