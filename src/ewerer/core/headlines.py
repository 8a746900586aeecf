"""The answer of each planned stage in one sentence, and one line of the figures it rests on."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from .devices.slots.week import days_said
from .devices.wire.protocols import protocol_word
from .stages.solved import Solved
from .trade.quantities import fitting
from .trade.steps import counted, figure, listed


class Headline(NamedTuple):
    """What a stage answers: ``says`` in a sentence, ``rests_on`` the figures behind it; both empty where nothing is planned."""

    says: str = ""
    rests_on: str = ""


def headlines(solved: Solved) -> dict[str, Headline]:
    """Return the headline of every stage that the plan answers, by the stage's name.

    >>> import ewerer
    >>> from ewerer.core.devices.library import shipped_library
    >>> from ewerer.core.stages.pipeline import solve
    >>> headlines(solve(ewerer.demo_job("skerry-field-station"), shipped_library()))["limits"].says
    'Charge with at most 252 A, discharge with at most 320 A.'
    """
    return {stage: make(solved) for stage, make in _MAKERS.items()}


def _kw(watts: float) -> str:
    return f"{figure(watts / 1000, 1)} kW" if watts >= 1000 else f"{figure(watts, 0)} W"


_PHASES = {"single": "one phase", "split": "split phase", "three": "three phases"}


def _site(solved: Solved) -> Headline:
    site, loads = solved.job.site, solved.job.loads
    if not site.sources:
        return Headline("Nothing feeds this site yet.", "Say whether there is sun, a grid connection or a generator.")
    feeds = listed([{"sun": "The sun", "mains": "the mains", "generator": "a generator"}[s] for s in site.sources])
    ac = f"{figure(site.ac.volts)} V, {site.ac.hz} Hz, {_PHASES.get(site.ac.topology, site.ac.topology)}"
    figures = [
        f"Loads {_kw(loads.continuous_w)}" if loads.continuous_w else "",
        f"{_kw(loads.peak_w)} at peak" if loads.peak_w else "",
        f"{figure(loads.daily_wh / 1000, 1)} kWh a day" if loads.daily_wh else "",
    ]
    verb = "feeds" if len(site.sources) == 1 and site.sources[0] != "mains" else "feed"
    said = ", ".join(f for f in figures if f)
    return Headline(f"{feeds[0].upper()}{feeds[1:]} {verb} the loads at {ac}.", f"{said}." if said else "No loads given yet.")


def _bank(solved: Solved) -> Headline:
    bank = solved.bank
    if bank is None:
        if not solved.modules:
            return Headline("There is no bank yet.", "Add the first module.")
        return Headline("These modules cannot be one bank.", "The findings say why.")
    says = (
        f"The bank takes at most {figure(bank.charge_limit_a, 0)} A and gives at most {figure(bank.discharge_limit_a, 0)} A: "
        f"{figure(bank.capacity_ah, 0)} Ah at {figure(bank.nominal_v)} V."
    )
    parts = [
        f"{counted(len(bank.modules), 'module')} of {counted(bank.series_cells, 'cell')}, {figure(bank.energy_wh / 1000, 1)} kWh."
    ]
    if bank.without_one:
        parts.append(
            f"Without {bank.without_one.lost_module}: {figure(bank.without_one.charge_limit_a, 0)} A in, {figure(bank.without_one.discharge_limit_a, 0)} A out."
        )
    if bank.closing:
        parts.append(f"Join in the order {', '.join(bank.closing.order)}.")
    return Headline(says, " ".join(parts))


def _units(solved: Solved) -> Headline:
    host = solved.host
    if host is None:
        return Headline("There are no inverter-chargers yet.", "Add the first unit.")
    others = [u.id for u in solved.units if u.id != host.id]
    watts = sum(u.profile.ratings.continuous_w for u in solved.units)
    if others:
        told = f"{listed(others)} follow{'s' if len(others) == 1 else ''}" if len(others) <= 3 else f"{len(others)} units follow"
        says = f"{host.id} is the host, {told}: {_kw(watts)} together."
    else:
        says = f"{host.id} stands alone: {_kw(watts)}."
    made = "Units of different models." if len({u.profile.id for u in solved.units}) > 1 else ""
    parts = [made] if made else []
    if solved.sun_chargers:
        parts.append(f"Sun chargers beside: {listed([c.job.id for c in solved.sun_chargers])}.")
    return Headline(says, " ".join(parts))


def _link(solved: Solved) -> Headline:
    link = solved.link
    if not (solved.units and solved.modules):
        return Headline("Battery and inverter come first.", "The link needs a module and a unit.")
    if link.loop == "open":
        return Headline("The battery does not talk to the inverter: its settings alone decide.", link.why)
    speaker = link.addresses and next((m.module for m in link.addresses.modules if m.host), None)
    made = {"patch": "a patch cable fits", "made": "the cable has to be made", "terminal": "wired to terminals"}
    cable = f"; {made[link.cable.kind]}" if link.cable else ""
    protocol = protocol_word(link.protocol or "")
    says = f"{speaker or 'The BMS'} talks to {link.host_unit} by {protocol}{cable}."
    ports = f"{link.bms_port_label or link.bms_port} to {link.unit_port_label or link.unit_port}"
    speed = f", {figure(link.bitrate / 1000)} kbit/s" if link.bitrate else ""
    return Headline(says, f"Port {ports}{speed}." + (f" Through {link.adapter.name}." if link.adapter else ""))


def _limits(solved: Solved) -> Headline:
    limits = solved.limits
    if limits is None:
        return Headline("No limit can be worked out yet.", "It needs a bank and a unit.")
    words = {c.cap: c.word for chain in (limits.charge, limits.discharge) for c in chain.caps}
    says = (
        f"Charge with at most {figure(limits.charge.bank_a, 0)} A, discharge with at most {figure(limits.discharge.bank_a, 0)} A."
    )
    lowest = [
        f"{words.get(chain.binding, chain.binding)} ({way})"
        for way, chain in (("in", limits.charge), ("out", limits.discharge))
        if chain.binding
    ]
    told = f"Lowest limits: {listed(lowest)}." if lowest else ""
    need = f" The loads need {figure(limits.discharge.needed_a, 0)} A." if limits.discharge.needed_a else ""
    return Headline(says, told + need)


def _thresholds(solved: Solved) -> Headline:
    ladder = solved.ladder
    if ladder is None:
        return Headline("No threshold can be worked out yet.", "It needs a bank.")
    if not ladder.view.feasible:
        return Headline("These wishes cannot hold together.", ladder.view.way_out)
    at = {name: rung for name, rung in ladder.rungs.items() if rung.kind == "volts"}
    words = (("absorb_v", "Charge to"), ("float_v", "float at"), ("shutdown_v", "shut down at"))
    told = [f"{word} {at[name].value:.1f} V" for name, word in words if name in at]
    says = ", ".join(told) + "." if told else ""
    by = "by charge %; volts back up" if ladder.view.decide_by == "soc" else "by volts"
    return Headline(says, f"The units decide {by}.")


def _sources(solved: Solved) -> Headline:
    job = solved.job
    if not (solved.units and job.site.sources):
        return Headline("Nothing to order yet.", "It needs a unit and a source.")
    sun = "sun" in job.site.sources
    own = "Sun and bank carry" if sun else "The bank carries"
    said = {
        "off-grid": {
            "sun-bank-mains": f"{'The sun carries the loads first, then the bank' if sun else 'The bank carries the loads first'}, then the mains.",
            "sun-mains": "The sun carries the loads first, then the mains; the bank waits for an outage.",
            "mains-first": f"The mains carry the loads; {'sun and bank stand by' if sun else 'the bank stands by'}.",
        }[job.policy.source_order],
        "feed-in": "The sun feeds the grid; the bank waits for an outage.",
        "essential-only": f"{own} the essential loads; nothing is exported.",
        "zero-export": f"{own} all loads; {'surplus is sold' if job.policy.sell_surplus else 'nothing is exported'}.",
        "peak-shaving": "The grid carries the loads up to its cap, the bank carries what is above.",
    }[job.policy.mode]
    charged = {
        "sun-only": "Charged by sun alone.",
        "sun-first": "Charged by sun, by AC when there is none.",
        "sun-and-mains": "Charged by sun and AC together.",
        "mains-first": "Charged by AC first.",
    }[job.policy.charge_order]
    if not sun:
        charged = "Charged by AC."
    parts = [charged]
    window = solved.sources.ac_window if solved.sources else None
    if window:
        parts.append(f"AC taken from {figure(window.low_on_v, 0)} to {figure(window.high_on_v, 0)} V.")
    if solved.sources and solved.sources.generator:
        parts.append(f"The generator charges with at most {figure(solved.sources.generator.safe_charge_a, 0)} A.")
    return Headline(fitting(said, job.site.sources), fitting(" ".join(parts), job.site.sources))


_DOES = {"charge": "charged from AC", "hold": "held", "use": "used", "export": "sold to the grid"}


def _windows(solved: Solved) -> Headline:
    windows = solved.job.windows
    if not windows:
        return Headline("No hours are set: the source order holds all day.")
    told = [f"{_DOES[w.action]} from {w.from_} to {w.to}" for w in windows]
    days = [days_said(w.days) for w in windows]
    if len(windows) > 3:
        says = f"{len(windows)} windows say when the bank is charged, held, used or sold."
    elif len(set(days)) == 1:
        says = f"{days[0][0].upper()}{days[0][1:]} the bank is {listed(told)}."
    else:
        says = f"The bank is {listed([f'{t} {d}' for t, d in zip(told, days, strict=True)])}."
    if not solved.windows.units:
        return Headline(says)
    exact = all(u.differs_minutes == 0 for u in solved.windows.units)
    return Headline(
        says, "The units' time slots do exactly this." if exact else "The units' time slots differ from this: see below."
    )


_MAKERS: dict[str, Callable[[Solved], Headline]] = {
    "site": _site,
    "bank": _bank,
    "units": _units,
    "link": _link,
    "limits": _limits,
    "thresholds": _thresholds,
    "sources": _sources,
    "windows": _windows,
}
