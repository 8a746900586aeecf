"""Job documents that once came out wrong, with the library each was made for."""

from pathlib import Path

from ewerer.core.devices.library import Library, parse_job, shipped_library
from ewerer.core.documents.results.plan import Plan
from ewerer.core.plan import plan

CASES = Path(__file__).resolve().parent / "data" / "cases"
LIBRARIES = {
    "sum-over-limit-min": "lib-minhi",
    "sum-over-limit-nearest": "lib-pct",
    "float-over-cellmax": "lib-floatonly",
    "dup-quantity": "lib-dup",
    "sun-charger-over": "lib-plainv",
    "unit-range": "lib-minv",
    "order-cond-codege": "lib-codege",
    "order-cond-codeeq": "lib-codeeq",
    "chain-conditions": "lib-chain",
    "crash-deep-condition": "lib-deepcond",
    "crash-deep-paren": "lib-deepparen",
    "crash-huge-max": "lib-huge",
    "crash-numeric-choice": "lib-numtype",
    "crash-tiny-step": "lib-tiny",
    "crash-derating-zero": "lib-plainv",
}


def names() -> list[str]:
    return sorted(p.stem for p in CASES.glob("*.json"))


def text_of(name: str) -> bytes:
    return (CASES / f"{name}.json").read_bytes()


def library_of(name: str) -> Library:
    """Return the library of a case; raises the refusal where its profiles cannot be read."""
    folder = LIBRARIES.get(name)
    return shipped_library().with_folder(CASES / folder) if folder else shipped_library()


def plan_case(name: str) -> Plan:
    """Return the plan of a case."""
    library = library_of(name)
    return plan(parse_job(text_of(name), library), library)
