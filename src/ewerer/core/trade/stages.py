"""THE list of stages of the work, in its order: the spine, the API, the plan and the documentation all read it here."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage: its name in code, paths and files; its word on screens; what is decided there; whether it is planned yet."""

    name: str
    word: str
    about: str
    planned: bool = True


ALL = (
    Stage("site", "Site", "place, AC system, sources, loads, tariff"),
    Stage("bank", "Bank", "modules, what they can do together, with one gone, on joining"),
    Stage("units", "Units", "inverter-chargers and sun chargers: roles, phases, sizes"),
    Stage("link", "Link", "protocol, ports, cable, addresses, terminators"),
    Stage("limits", "Limits", "the chain of caps on current, and each unit's part"),
    Stage("thresholds", "Thresholds", "the ladder of voltages and charge levels"),
    Stage("sources", "Sources", "source and charge orders, AC window, generator"),
    Stage("windows", "Windows", "hours to charge, hold and use; the simulated day and year"),
    Stage("sheet", "Sheet", "what to type into each unit, in which order"),
    Stage("run", "Run", "one safe step at a time on site"),
    Stage("proof", "Proof", "does it do what was planned"),
    Stage("handover", "Handover", "the record that is left behind"),
)
STAGES: tuple[str, ...] = tuple(s.name for s in ALL)
RANK: dict[str, int] = {name: i for i, name in enumerate(STAGES)}
