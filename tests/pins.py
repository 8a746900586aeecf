"""Hashes of plans as they are today: ``python -m tests.pins`` writes them, a test holds them.

A change that is meant changes the file; one that is not shows itself as a difference there.
"""

import hashlib
import json
from collections.abc import Iterator
from pathlib import Path

from ewerer.core.devices.library import Library, parse_job, shipped_library
from ewerer.core.documents import DocumentError
from ewerer.core.plan import plan
from tests import cases, jobs
from tests.seeded import seeded_job

PINS = Path(__file__).resolve().parent / "data" / "pins.json"
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


def hash_of(text: bytes, library: Library) -> str | None:
    """Return the hash of a document's plan as canonical JSON; None where the document is refused."""
    try:
        made = plan(parse_job(text, library), library)
    except DocumentError:
        return None
    canonical = json.dumps(made.model_dump(mode="json", by_alias=True), sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(canonical.encode()).hexdigest()


def hashes() -> dict[str, str]:
    return {name: made for name, text, library in documents() if (made := hash_of(text, library)) is not None}


if __name__ == "__main__":
    PINS.write_text(json.dumps(hashes(), indent=0) + "\n")
