"""Stage Units: may these inverter-chargers run in parallel, and are they big enough."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from ...devices.library import Library
from ...devices.plates import charger_profile, unit_profile
from ...documents.job import Job
from ...documents.profiles import ControllerProfile, ModuleProfile
from ...documents.results.group import Beside, Group, GroupLine, Place
from ...documents.results.proposals import NextCharger, NextUnit
from ...trade.margins import CHARGER_OVER_NOMINAL, NEXT_CHARGER_A, NEXT_CHARGER_BANK_V, PHASES
from ..solved import Part, Solved, SunCharger, Unit


def resolve_units(job: Job, library: Library) -> list[Unit]:
    """Return the job's units with their profiles; references were checked before."""
    found = ((i, u, unit_profile(u, library)) for i, u in enumerate(job.units))
    return [Unit(i, u, p) for i, u, p in found if p is not None]


def resolve_sun_chargers(job: Job, library: Library) -> list[SunCharger]:
    """Return the job's sun chargers with their profiles."""
    found = ((i, c, charger_profile(c, library)) for i, c in enumerate(job.sun.chargers))
    return [SunCharger(i, c, p) for i, c, p in found if p is not None]


def resolve_parts(job: Job, chargers: Sequence[SunCharger], units: Sequence[Unit], library: Library) -> list[Part]:
    """Return the devices beside the units that have a menu of their own, each under an id that no other device has."""
    taken = {u.id for u in units}
    out: list[Part] = []

    def add(part: Part) -> None:
        if part.profile.settings and part.id not in taken:
            taken.add(part.id)
            out.append(part)

    for c in chargers:
        role = "alone" if len(chargers) == 1 else "host" if c.index == 0 else "follower"
        add(Part("sun-charger", c.index, c.job.id, role, f"/sun/chargers/{c.index}", c.profile, c.job.firmware))
    for i, m in enumerate(job.bank.modules):
        profile = library.get(m.profile, ModuleProfile) if m.profile else None
        if profile is not None:
            leads = m.id == job.link.host_module if job.link.host_module is not None else i == 0
            role = "alone" if len(job.bank.modules) == 1 else "host" if leads else "follower"
            add(Part("module", i, m.id, role, f"/bank/modules/{i}", profile, m.firmware))
    if job.controller is not None:
        held = library.get(job.controller.profile, ControllerProfile)
        if held is not None:
            add(Part("controller", 0, job.controller.id, "alone", "/controller", held, job.controller.firmware))
    return out


def number_on_phase(unit: Unit, units: Sequence[Unit]) -> int:
    """Return a unit's number, from 1, among the units of its phase; among all where it makes every phase by itself."""
    whole = unit.makes_all
    return [u.id for u in units if whole or u.job.phase == unit.job.phase].index(unit.id) + 1


def plan_group(solved: Solved) -> Group:
    """Return how the devices stand together: places, lines, who speaks, the order of switching on. Source: START."""
    units, link, host = solved.units, solved.link, solved.host
    phases = PHASES[solved.job.site.ac.topology]
    places = []
    for u in units:
        whole = u.makes_all
        on = list(phases) if whole else [u.job.phase]
        places.append(
            Place(
                unit=u.id,
                name=u.profile.name,
                phases=on,
                number=number_on_phase(u, units),
                role=u.role,
                own_sun_a=u.profile.own_sun_a,
            )
        )
    lines = []
    speaker = link.speaking[0] if link.loop == "closed" and link.speaking else None
    if speaker is not None and link.host_unit is not None:
        through = f" through {link.adapter.name}" if link.adapter else ""
        lines.append(
            GroupLine(
                from_=speaker, to=link.host_unit, kind="bms", label=f"{link.bms_port_label} to {link.unit_port_label}{through}"
            )
        )
    chain = [host, *(u for u in units if u is not host)] if host is not None else []
    for a, b in pairwise(chain):
        port = next((p.label for p in a.profile.ports if p.purpose == "follower"), "")
        lines.append(GroupLine(from_=a.id, to=b.id, kind="group", label=port))
    lead = next((c.charger for c in link.chargers if c.through == "bms"), None)
    for c in link.chargers:
        if c.through == "bms" and c.charger != link.host_unit:
            through = f" through {c.adapter.name}" if c.adapter else ""
            source = speaker or (solved.modules[0].id if solved.modules else "")
            lines.append(GroupLine(from_=source, to=c.charger, kind="bms", label=f"{c.bms_port} to {c.port}{through}"))
        elif c.through == "host" and lead is not None:
            lines.append(GroupLine(from_=lead, to=c.charger, kind="charger", label="follows"))
    beside = [
        Beside(
            id=c.job.id,
            name=c.profile.name,
            kind="sun-charger",
            role=next((p.role for p in solved.parts if p.id == c.job.id), "alone"),
        )
        for c in solved.sun_chargers
    ]
    for p in solved.parts:
        if p.kind == "controller":
            beside.append(Beside(id=p.id, name=p.profile.name, kind="controller", role=p.role))
            lines.extend(GroupLine(from_=p.id, to=u.id, kind="controller", label="") for u in units[:1])
    order = host.profile.start_order if host is not None else "any"
    rest = [u.id for u in units if u is not host]
    steps = {
        "any": [[u.id for u in units]],
        "host-first": [[host.id] if host else [], rest],
        "followers-first": [rest, [host.id] if host else []],
    }
    why = {
        "any": "all at once, in any order",
        "host-first": "the host first: followers wait for it",
        "followers-first": "the followers first: the host looks for them when it starts",
    }
    return Group(
        places=places,
        lines=lines,
        beside=beside,
        speaker=speaker,
        start=[s for s in steps[order] if s],
        start_why=why[order] if len(units) > 1 else "one unit",
    )


def next_unit(solved: Solved) -> NextUnit:
    """Return the role and phase that a further unit would take: host where there is none, the phase with the fewest units."""
    phases = PHASES[solved.job.site.ac.topology]
    taken = [u.phase for u in solved.job.units]
    return NextUnit(
        role="follower" if any(u.role == "host" for u in solved.job.units) else "host",
        phase=min(phases, key=lambda p: sum(t == p for t in taken)),
        phases=list(phases),
    )


def planned_range_v(solved: Solved, profile_id: str) -> tuple[float, float]:
    """Return the lowest and highest volts [V] that the bank is planned to work at.

    The lowest is the unit's own shut-down, else the BMS cut-off; the highest what it is charged to.
    """
    ladder = solved.ladders.get(profile_id)
    shut = ladder.rungs.get("shutdown_v") if ladder else None
    bank = solved.bank
    assert bank is not None
    low = shut.value if shut is not None else bank.series_cells * bank.cell_min_v
    return low, solved.charge_v


def next_charger(solved: Solved) -> NextCharger:
    """Return the figures that a further sun charger by its plate starts from: a common one that bears this bank."""
    nominal = solved.bank.nominal_v if solved.bank else NEXT_CHARGER_BANK_V
    return NextCharger(charge_max_a=NEXT_CHARGER_A, battery_v_max=math.ceil(nominal * CHARGER_OVER_NOMINAL))
