"""The steps of a run while they are gathered: a line per section, each step with what must stand before it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..devices.library import Library
from ..documents.job import Breaker, Job
from ..documents.profiles import MenuProfile
from ..documents.results.run import Ask, Gate, GateMark, GateZone, RunStep
from ..documents.results.sheet import UnitSheet
from ..stages.solved import Device, Solved

SECTIONS = {
    "before": "Before",
    "found": "As found",
    "isolate": "Isolate",
    "hardware": "Hardware",
    "join": "Join the modules",
    "address": "Addresses",
    "protocol": "Protocol on both sides",
    "power": "Power up",
    "enter": "Enter and read again",
    "together": "Switch on together",
    "sensor": "Current sensor",
    "live": "Close the rest",
    "proof": "Proof",
    "clock": "Windows and clock",
    "handover": "Handover",
    "follow": "Follow-ups",
}
"""Parts of a run in their order, by id, with the word on screens."""

FOLLOW_UPS = {"follow:day": ("After a day", 1.0), "follow:week": ("After a week", 7.0), "follow:full": ("First full charge", 7.0)}
"""Follow-ups by the id of their step: title, days after the sign-off. The first full charge goes by the job's own days where it has some."""
EXERCISE_DAYS = 30
"""A generator that somebody starts by hand runs at least so often [days]; common practice."""

SHOCK = "Terminals and panels stay live, whatever is open: insulated tools, gloves, no metal on wrists."
ALONE = "Not alone: a second person stays within call."
LICENSED = "Local code and licensed practice decide."


@dataclass
class Steps:
    """Steps gathered so far, and what everyone needs to add more."""

    job: Job
    library: Library
    solved: Solved
    breakers: Sequence[Breaker]
    order: Sequence[Breaker]
    stopped: Sequence[str] = ()
    visit: str = "full"
    made: list[RunStep] = field(default_factory=list)
    ids: set[str] = field(default_factory=set)

    def add(self, id: str, section: str, title: str, what: str, needs: Iterable[str] = (), **more: Any) -> str:
        """Add a step; needs that are no steps of this run are left out. Returns its id.

        Devices of one name (a unit and a module, say) share a step: the first one stands.
        """
        if id in self.ids:
            return id
        step = RunStep(
            id=id, section=section, title=title, what=what, needs=list(dict.fromkeys(n for n in needs if n in self.ids)),
            **{"kind": "action", **more},
        )  # fmt: skip
        self.ids.add(id)
        self.made.append(step)
        return id

    def of(self, section: str) -> list[str]:
        """Return the ids of a section's steps so far."""
        return [s.id for s in self.made if s.section == section]

    def last(self, *sections: str) -> list[str]:
        """Return the last step of the latest of these sections that has any."""
        found = [s.id for s in self.made if s.section in sections]
        return found[-1:]

    def profile(self, device: str) -> MenuProfile | None:
        """Return the profile of a device that has a sheet."""
        return next((d.profile for d in self.solved.devices if d.id == device), None)

    @property
    def lithium(self) -> bool:
        """Whether the bank's cells have a BMS."""
        return not self.solved.modules or self.solved.modules[0].chemistry.has_bms

    @property
    def moves(self) -> bool:
        """Whether this visit switches units off and on."""
        return self.visit in ("full", "part")

    @property
    def feeds(self) -> list[str]:
        """Return the breakers of feeds that are alternatives: the grid's and those of other feeds; empty where there is one."""
        ids = [b.id for b in self.breakers if b.side == "grid" and (b.id == "grid" or b.id.startswith("feed-"))]
        return ids if len(ids) > 1 else []

    @property
    def devices(self) -> list[Device]:
        """Devices with a sheet to enter."""
        return [d for d in self.solved.devices if d.id in self.solved.sheets and self.solved.sheets[d.id].settings]

    def sheet(self, device: str) -> UnitSheet | None:
        """Return the sheet of a device."""
        return self.solved.sheets.get(device)


def figure_ask(
    name: str,
    label: str,
    unit: str,
    low: float | None = None,
    high: float | None = None,
    expected: float | None = None,
    why: str = "",
    marks: Sequence[tuple[float, str]] = (),
    zones: Sequence[tuple[float | None, float | None, str, str]] = (),
    **more: Any,
) -> Ask:
    """Return an ask for a figure, with a gate where it has an end."""
    gate = None
    if low is not None or high is not None:
        gate = Gate(
            low=low,
            high=high,
            expected=expected,
            why=why,
            marks=[GateMark(value=v, text=t) for v, t in marks],
            zones=[GateZone(low=a, high=b, text=t, then=then) for a, b, t, then in zones],
        )
    return Ask(name=name, label=label, unit=unit, gate=gate, **more)


def tick_ask(name: str, label: str, **more: Any) -> Ask:
    """Return an ask that is ticked when it is so."""
    return Ask(name=name, label=label, kind="tick", good=["yes"], **more)


def choice_ask(name: str, label: str, choices: Sequence[str], good: Sequence[str] = (), **more: Any) -> Ask:
    """Return an ask picked from a list; the good ones pass."""
    return Ask(name=name, label=label, kind="choice", choices=list(choices), good=list(good), **more)


def text_ask(name: str, label: str, **more: Any) -> Ask:
    """Return an ask for a text as displayed."""
    return Ask(name=name, label=label, kind="text", **more)


def full_charge_days(job: Job) -> float:
    """Return after how many days the first full charge is looked for: the job's own figure, else a week."""
    own = job.policy.own_number("full_charge_days")
    return max(1.0, own) if own is not None else FOLLOW_UPS["follow:full"][1]


def number_of(text: str, otherwise: float) -> float:
    """Return an entry as a number, another where it is none."""
    try:
        return float(text)
    except ValueError:
        return otherwise
