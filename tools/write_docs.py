"""Writes what is generated into docs: rules.md, glossary.md, quantities.md and openapi.json."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import django

from ewerer.core.devices.library import shipped_library
from ewerer.core.stages.sheet.derived import FIXED
from ewerer.core.stages.sheet.wishes import HAND
from ewerer.core.trade.quantities import OWN_AMPS, QUANTITIES, glossary_markdown
from ewerer.core.trade.rules import rules_markdown


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


def documents() -> dict[str, str]:
    """Return the text of each document by its file name."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ewerer.server.settings.demo")
    django.setup()
    from ewerer.server.api import openapi_json

    return {
        "glossary.md": glossary_markdown(),
        "quantities.md": quantities_markdown(),
        "rules.md": rules_markdown(),
        "openapi.json": openapi_json(),
    }


if __name__ == "__main__":
    for name, text in documents().items():
        (Path(sys.argv[1]) / name).write_text(text)
