"""Plans as they are today, leaf by leaf: ``python -m tests.pins`` writes them, a test holds them.

A change that is meant changes the file; one that is not shows itself in the test, by the entry, finding or figure that differs.
Sentences are pinned for the demo jobs only.
"""

import json
import lzma
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ewerer.core.devices.library import Library, parse_job, shipped_library
from ewerer.core.plan import plan
from ewerer.core.trade.errors import DocumentError
from tests import cases, jobs
from tests.seeded import seeded_job

PINS = Path(__file__).resolve().parent / "data" / "pins.json.xz"
SEEDS = range(200)


def documents() -> Iterator[tuple[str, bytes, Library]]:
    for path in sorted(jobs.DEMO.glob("*.json")):
        yield f"demo/{path.stem}", path.read_bytes(), shipped_library()
    for name in cases.names():
        try:
            yield f"case/{name}", cases.text_of(name), cases.library_of(name)
        except DocumentError:
            continue
    for seed in SEEDS:
        yield f"seed/{seed}", json.dumps(seeded_job(seed)).encode(), shipped_library()


def leaves(node: Any, at: str = "") -> Iterator[tuple[str, Any]]:
    """Yield each leaf with its place; rows go by their id, rule or setting where they have one, so that one more moves no other."""
    if isinstance(node, dict) and node:
        for key, value in node.items():
            yield from leaves(value, f"{at}/{key}")
    elif isinstance(node, list) and node:
        seen: dict[str, int] = {}
        for i, value in enumerate(node):
            name = str(i)
            if isinstance(value, dict):
                told = [str(value[k]) for k in ("id", "rule", "setting", "stage", "at") if isinstance(value.get(k), str)]
                if told:
                    seen[told[0]] = seen.get(told[0], 0) + 1
                    name = told[0] if seen[told[0]] == 1 else f"{told[0]}#{seen[told[0]]}"
            yield from leaves(value, f"{at}/{name}")
    else:
        yield at, node


def outline(text: bytes, library: Library, sentences: bool) -> dict[str, Any] | None:
    """Return the leaves of a document's plan; None where the document is refused."""
    try:
        made = plan(parse_job(text, library), library)
    except DocumentError:
        return None
    found = leaves(made.model_dump(mode="json", by_alias=True))
    return {at: v for at, v in found if sentences or not isinstance(v, str) or " " not in v}


def outlines() -> dict[str, dict[str, Any]]:
    made = {name: outline(text, library, name.startswith("demo/")) for name, text, library in documents()}
    return {name: leaves for name, leaves in made.items() if leaves is not None}


def pinned() -> dict[str, dict[str, Any]]:
    return json.loads(lzma.decompress(PINS.read_bytes()))


def differences(was: dict[str, Any], now: dict[str, Any]) -> list[str]:
    """Return what differs, a line each."""
    nothing = "nothing"
    return [
        f"{at}: {was.get(at, nothing)!r} -> {now.get(at, nothing)!r}"
        for at in {**was, **now}
        if was.get(at, nothing) != now.get(at, nothing)
    ]


if __name__ == "__main__":
    packed = {"id": lzma.FILTER_LZMA2, "preset": 9, "lc": 4, "pb": 0, "nice_len": 273}
    PINS.write_bytes(lzma.compress(json.dumps(outlines(), separators=(",", ":"), sort_keys=True).encode(), filters=[packed]))
