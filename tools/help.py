"""Write web/src/api/help.json: what each field of a result is, with its unit, from docs/openapi.json; shown as tooltips."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from ewerer.core.trade.quantities import TERMS

ROOT = Path(__file__).resolve().parent.parent
FROM, TO = ROOT / "docs" / "openapi.json", ROOT / "web" / "src" / "api" / "help.json"
PARTS = (
    "Bank",
    "BankFigures",
    "WithoutOne",
    "ModuleFigures",
    "Closing",
    "AcSource",
    "AcFeed",
    "Wiring",
    "Chain",
    "Display",
    "Rung",
    "GeneratorPlan",
    "Ledger",
)


def help_json() -> str:
    """Return {part: {field: words}} of the results that screens show field by field."""
    schemas = json.loads(FROM.read_text())["components"]["schemas"]
    out = {
        part: {k: f["description"] for k, f in schemas[part].get("properties", {}).items() if f.get("description")}
        for part in PARTS
        if part in schemas
    }
    out["glossary"] = dict(TERMS)
    return json.dumps(out, indent=2, ensure_ascii=False, sort_keys=True) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        raise SystemExit(
            0
            if TO.exists() and TO.read_text() == help_json()
            else "web/src/api/help.json is not what docs/openapi.json says: run make docs"
        )
    TO.write_text(help_json())
