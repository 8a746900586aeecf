"""Stage Link: which protocol, which ports, which pins, which addresses; and what the inverter will then show."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from ...devices.addresses import address_of, planned_addresses, up_positions
from ...devices.cable import make_cable, plan_terminators
from ...devices.library import Library
from ...devices.wire.protocols import protocol_word
from ...documents.job import Job
from ...documents.profiles import Bms, InverterProfile, SunChargerProfile, TimedRequest
from ...documents.results.link import AddressPlan, ChargerLink, Display, Link, ModuleAddress, UnitLink
from ...trade.steps import clean, figure
from ..bank.solve import reported_a
from ..solved import Module, Part, Unit
from .pairing import adapter_of, between_lists, firmware_of, link_candidates, listener, pairing, rate_of, why_open, worth_of

REQUESTS = {
    "full-charge": "asks for a full charge",
    "force-charge": "asks for charging, from AC too",
    "stop-charge": "asks to stop charging",
    "stop-discharge": "asks to stop discharging",
}
"""What a BMS asks for at its own times, in words of a display."""


def plan_link(job: Job, modules: Sequence[Module], units: Sequence[Unit], library: Library, parts: Sequence[Part] = ()) -> Link:
    """Return the link of the plan: the chosen candidate with cable, addresses, terminators and expected displays."""
    made = _main_link(job, modules, units, library, parts)
    return made.model_copy(update={"chargers": _charger_links(made, job, modules, parts, library)})


def _charger_links(made: Link, job: Job, modules: Sequence[Module], parts: Sequence[Part], library: Library) -> list[ChargerLink]:
    """Return how each sun charger with a menu hears of the bank: by a cable of its own, through the first charger, or not."""
    chargers = [p for p in parts if isinstance(p.profile, SunChargerProfile)]
    speaking = [m for m in modules if m.id in made.speaking] or list(modules[:1])
    bms = speaking[0].bms if speaking else None
    out: list[ChargerLink] = []
    for part in chargers:
        profile = part.profile
        assert isinstance(profile, SunChargerProfile)
        empty = {"protocol": None, "port": None, "bms_port": None, "cable": None}

        def no(why: str, part: Part = part, empty: dict[str, None] = empty) -> ChargerLink:
            return ChargerLink(charger=part.id, role=part.role, follows=False, through="none", why=why, **empty)

        lead = out[0] if out else None
        if part.role == "follower" and lead is not None and lead.follows and profile.setting_for("interface_role") is not None:
            out.append(
                lead.model_copy(
                    update={
                        "charger": part.id,
                        "role": part.role,
                        "through": "host",
                        "cable": None,
                        "adapter": None,
                        "port": next((p.label for p in profile.ports if p.purpose == "follower"), lead.port),
                        "why": f"It follows {lead.charger}, which hears the BMS.",
                    }
                )
            )
            continue
        if bms is None or job.policy.loop == "open" or len({m.family for m in modules}) > 1:
            out.append(no("Open loop: it keeps its own volts and amps."))
            continue
        adapter = adapter_of(job, library)
        ways = pairing(profile, speaking[0]) + (pairing(profile, speaking[0], adapter=adapter) if adapter else [])
        best = next((c for c in sorted(ways, key=worth_of) if c.possible), None)
        if best is None:
            said = next(
                (p.text for c in ways for p in c.speaks_against if p.severity == "stop"), "it speaks no protocol of the BMS"
            )
            out.append(no(f"Open loop: {said}."))
            continue
        ports = {p.id: p for p in bms.ports}
        here = next(p for p in profile.ports if p.id == best.unit_port)
        there = ports[best.bms_port or ""]
        link, meets = between_lists(adapter, best, bms, there, job)
        out.append(
            ChargerLink(
                charger=part.id,
                role=part.role,
                follows=True,
                through="bms",
                protocol=f"{best.protocol} {best.version}",
                port=here.label,
                bms_port=there.label,
                cable=make_cable(meets, here, best.bitrate or 0, job.link.cable, None),
                adapter=link,
                why="; ".join(best.speaks_for[:2]) + ".",
            )
        )
    return out


def _main_link(job: Job, modules: Sequence[Module], units: Sequence[Unit], library: Library, parts: Sequence[Part]) -> Link:
    host = listener(units, parts)
    if host is None or not modules:
        return Link(
            loop="open",
            protocol=None,
            host_unit=host.id if host else None,
            unit_port=None,
            bms_port=None,
            bitrate=None,
            why="There is nothing to link yet.",
            firmware=firmware_of(job, modules, units, library, parts),
        )
    firmware = firmware_of(job, modules, units, library, parts)
    candidates = link_candidates(job, modules, units, library, parts, firmware)
    chosen = next(c for c in candidates if c.chosen)
    if chosen.loop == "open":
        return Link(
            loop="open",
            protocol=None,
            host_unit=host.id,
            unit_port=None,
            bms_port=None,
            bitrate=None,
            why=why_open(job, modules, candidates),
            key=chosen.key,
            silent=[m.id for m in modules],
            candidates=candidates,
            units=[UnitLink(unit=u.id, cable=False, battery_type="user", entry=None) for u in units],
            firmware=firmware,
        )
    speaking = speaking_modules(job, modules, chosen.family)
    bms = speaking[0].bms
    assert bms is not None and chosen.bitrate is not None
    assert isinstance(host.profile, (InverterProfile, SunChargerProfile))
    here = next(p for p in host.profile.ports if p.id == chosen.unit_port)
    there = next(p for p in bms.ports if p.id == chosen.bms_port)
    between, meets = between_lists(adapter_of(job, library), chosen, bms, there, job)
    return Link(
        loop="closed",
        protocol=f"{chosen.protocol} {chosen.version}",
        host_unit=host.id,
        unit_port=chosen.unit_port,
        bms_port=chosen.bms_port,
        bitrate=chosen.bitrate,
        why=f"Both ends speak {protocol_word(f'{chosen.protocol} {chosen.version}')} at {rate_of(chosen.bitrate)}."
        if between is None
        else f"{between.name} turns {protocol_word(between.protocol)} into {protocol_word(f'{chosen.protocol} {chosen.version}')}.",
        adapter=between,
        key=chosen.key,
        family=chosen.family,
        speaking=[m.id for m in speaking],
        silent=[m.id for m in modules if m.family != chosen.family],
        candidates=candidates,
        cable=make_cable(meets, here, chosen.bitrate, job.link.cable, job.link.length_m),
        addresses=plan_addresses(job, speaking, bms, chosen.family or ""),
        terminators=plan_terminators(here.bus, job.link.measured_ohm),
        displays=displays(speaking, bms, _resting(modules)),
        units=[
            UnitLink(
                unit=u.id,
                cable=u.id == host.id,
                battery_type="protocol" if u.id == host.id else (u.profile.follower_battery_type or "protocol"),
                entry=chosen.entry if u.id == host.id or not u.profile.follower_battery_type else None,
            )
            for u in units
        ],
        firmware=firmware,
        silence_s=bms.silence_s,
        unit_port_label=here.label,
        bms_port_label=there.label,
    )


def speaking_modules(job: Job, modules: Sequence[Module], family: str | None) -> list[Module]:
    """Return the modules of the speaking family, the host module first."""
    own = [m for m in modules if m.family == family]
    host = next((m for m in own if m.id == job.link.host_module), own[0] if own else None)
    return [host, *(m for m in own if m is not host)] if host else []


def _resting(modules: Sequence[Module]) -> float | None:
    volts = [m.resting_v for m in modules if m.resting_v is not None]
    return round(sum(volts) / len(volts), 2) if len(volts) == len(modules) else None


def charge_request_v(modules: Sequence[Module], bms: Bms) -> float | None:
    """Return the charge voltage [V] that the host module asks for: its own, or the lowest of all, by the family's rule."""

    def own(m: Module) -> float | None:
        return None if m.asked_cell_v is None else clean(m.asked_cell_v * m.series_cells)

    if bms.charge_voltage_rule == "host":
        return own(modules[0]) if modules else None
    asked = [v for m in modules if (v := own(m)) is not None]
    return min(asked) if asked else None


def displays(speaking: Sequence[Module], bms: Bms, volts: float | None) -> list[Display]:
    """Return what the inverter should show with all modules, with some out, with the host out, with the cable out.

    ``speaking`` has the host module first. Limits: floor_to_step(k * sum I_i); one row for each number of
    other modules whose charging and discharging is off, the strongest of them out first.
    """

    def row(case: str, word: str, present: Sequence[Module], note: str = "") -> Display:
        return Display(
            case=case,
            word=word,
            volts=volts,
            charge_v=charge_request_v(present, bms),
            charge_a=reported_a([m.charge_a for m in present], bms.buffer, bms.report_step_a),
            discharge_a=reported_a([m.discharge_a for m in present], bms.buffer, bms.report_step_a),
            note=note,
        )

    count = {1: "one", 2: "two", 3: "three", 4: "four"}
    out = [row("all", "all modules", speaking)]
    whole = out[0]
    strong_in, strong_out = max(speaking, key=lambda m: m.charge_a), max(speaking, key=lambda m: m.discharge_a)
    for case, word, key, off in (
        ("charge-off", "one module's charging off", "charge_a", strong_in),
        ("discharge-off", "one module's discharging off", "discharge_a", strong_out),
    ):
        left = [getattr(m, key) for m in speaking if m is not off]
        amps = reported_a(left, bms.buffer, bms.report_step_a)
        out.append(
            whole.model_copy(
                update={"case": case, "word": word, key: amps, "note": f"{off.id}; the other direction stays as it is"}
            )
        )
    for ask in bms.timed_requests:
        out.append(
            Display(
                case=f"asks-{ask.ask}",
                word=REQUESTS[ask.ask],
                volts=volts,
                charge_v=whole.charge_v if ask.request_cell_v is None else clean(ask.request_cell_v * speaking[0].series_cells),
                charge_a=0.0 if ask.ask == "stop-charge" else whole.charge_a,
                discharge_a=0.0 if ask.ask == "stop-discharge" else whole.discharge_a,
                note=_when(ask),
            )
        )
    others = sorted(speaking[1:], key=lambda m: -m.charge_a)
    for gone in range(1, len(others) + 1):
        lost = {m.id for m in others[:gone]}
        left = [m for m in speaking if m.id not in lost]
        out.append(
            row(
                f"left-{len(left)}",
                f"{count.get(len(left), str(len(left)))} left",
                left,
                f"without {', '.join(m.id for m in others[:gone])}",
            )
        )
    nothing = {"volts": None, "charge_v": None, "charge_a": None, "discharge_a": None}
    out.append(
        Display(case="host-out", word="host module out", note=f"nothing is shown: {speaking[0].id} speaks for all", **nothing)
    )
    silence = f" after {figure(bms.silence_s)} s" if bms.silence_s else ""
    out.append(
        Display(
            case="cable-out",
            word="cable out",
            note=f"nothing is shown{silence}; the unit does what loss of link is set to",
            **nothing,
        )
    )
    return out


def _when(ask: TimedRequest) -> str:
    """Return in words when a BMS asks for something, and for how long."""
    parts = []
    if ask.every_days is not None:
        parts.append(f"every {figure(ask.every_days)} days")
    if ask.below_soc is not None:
        parts.append(f"below {figure(ask.below_soc * 100)} %")
    if ask.lasts_min is not None:
        parts.append(f"for {figure(ask.lasts_min)} min")
    return ", ".join(parts)


def plan_addresses(job: Job, speaking: Sequence[Module], bms: Bms, family: str) -> AddressPlan | None:
    """Return the switch plan of the speaking family; None where its modules have no switches."""
    rule = bms.addresses
    if rule is None:
        return None
    given = {m.id: m.switches for m in job.bank.modules}
    planned = planned_addresses(rule, len(speaking))
    rows = []
    for m, address in zip(speaking, planned, strict=True):
        letters = given.get(m.id)
        found = [c == "u" for c in letters] if letters else None
        have = address_of(rule, found) if found is not None else None
        try:
            up = up_positions(rule, address)
        except ValueError:
            up = []
        rows.append(
            ModuleAddress(
                module=m.id,
                host=m is speaking[0],
                address=address,
                switches=up,
                found=found,
                found_address=have,
                ok=None if found is None else have == address,
            )
        )
    links = [p for p in bms.ports if p.purpose == "module"]
    path = []
    for a, b in pairwise(speaking):
        if links:
            path.append({"from": a.id, "from_port": links[-1].label, "to": b.id, "to_port": links[0].label})
    same_kind = {(p.bus, p.connector) for p in links}
    look_alike = next((p.label for p in bms.ports if p.purpose == "inverter" and (p.bus, p.connector) in same_kind), None)
    steps = ["Link cables off, modules off.", "Set the switches as drawn."]
    if path:
        steps.append(
            f"Module to module: {links[-1].label} to {links[0].label}"
            + (f", never {look_alike}, which looks alike." if look_alike else ".")
        )
    if bms.terminators == "plug" and len(speaking) > 1:
        steps.append("A terminator plug in the free link port at each end of the chain.")
    elif bms.terminators == "switch":
        steps.append("Terminator switch on in the first and the last module only.")
    steps.append("Power cycle every module: switches are read only at start.")
    return AddressPlan(family=family, least_first=rule.least_first, on_is=rule.on_is, modules=rows, path=path, steps=steps)
