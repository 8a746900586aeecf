"""The table of quantities: which shipped setting carries each, what plans it, what may be wished."""

from functools import cache

from ewerer.core.devices.library import shipped_library
from ewerer.core.documents.results.sheet import SheetRow
from ewerer.core.documents.results.thresholds import Derived
from tests.jobs import DEMO, HERON, LARCH, SKERRY, changed, plan_of

MORE = (
    (HERON, {"policy__control": "volts"}),
    (HERON, {"policy__mode": "peak-shaving", "policy__peak_cap_w": 4000}),
    (HERON, {"policy__new_bank": True}),
    (HERON, {"policy__hold_school": "per-ah"}),
    (HERON, {"policy__own_figures": {"absorb_end": "level"}}),
    (SKERRY, {"policy__new_bank": True}),
    (LARCH, {"generator__start": "auto"}),
    (SKERRY, {"policy__own_figures": {"equalise_v": 55.0}}),
)
"""What the demo jobs do not ask for, asked."""


@cache
def rows() -> dict[str, SheetRow]:
    """Return a line of a sheet for each quantity that some plan enters."""
    made = [plan_of(p.stem) for p in sorted(DEMO.glob("*.json"))] + [plan_of(changed(job, **how)) for job, how in MORE]
    return {r.quantity: r for m in reversed(made) for u in m.units for r in u.settings if r.quantity}


def planned(name: str) -> SheetRow | Derived | None:
    """Return the line that enters a quantity, or what is planned for it where the plan itself keeps it idle."""
    return rows().get(name) or plan_of(HERON).quantities.get(name)


@cache
def carriers() -> dict[str, list[str]]:
    out: dict[str, list[str]] = {}
    for p in shipped_library():
        for s in getattr(p, "settings", []):
            if s.quantity:
                out.setdefault(s.quantity, []).append(f"{p.name}: {s.label}")
    return out


def carried(name: str) -> list[str]:
    return carriers().get(name, [])
