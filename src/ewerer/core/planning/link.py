"""Stage Link: which protocol, which ports, which pins, which addresses; and what the inverter will then show."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

from ..devices.addresses import address_of, planned_addresses, up_positions
from ..devices.cable import DIFFERENTIAL, Contact, clashes, coincide, make_cable, plan_terminators, split_pair, straight_contacts
from ..devices.library import Library
from ..documents.job import Job
from ..documents.profiles import (
    AdapterProfile,
    Bms,
    Firmware,
    HostRule,
    InverterProfile,
    ModuleProfile,
    Port,
    Protocol,
    SunChargerProfile,
    TimedRequest,
)
from ..documents.results.link import (
    AdapterLink,
    AddressPlan,
    ChargerLink,
    Display,
    FirmwareVerdict,
    LampRow,
    Link,
    LinkCandidate,
    LinkProblem,
    ModuleAddress,
    UnitLink,
)
from ..trade.finding import Finding
from ..trade.rules import Rule, check, formula_rule
from ..trade.steps import clean, figure
from .bank import reported_a
from .solved import Device, Module, Part, Solved, Unit, host_of

RANK = formula_rule(
    "link-rank",
    "link",
    "A link approved for warranty comes first, then a generic protocol, then settings with metering, then settings alone",
    "closed approved > closed generic > open with metering > open",
)


PROTOCOL = formula_rule("link-protocol", "link", "Both ends speak the same protocol", "name_bms = name_unit")


VERSION = formula_rule("link-version", "link", "Both ends speak the same version of it", "version_bms = version_unit")


BUS = formula_rule("link-bus", "link", "Both ends have the same physical layer", "bus_bms = bus_unit")


BITRATE = formula_rule("link-bitrate", "link", "Both ports offer the protocol's bit rate", "bitrate in bitrates of both ports")


PORT_FREE = formula_rule("link-port-free", "link", "The unit's port is not taken by another device", "port not in taken ports")


FIRMWARE = formula_rule(
    "link-firmware", "link", "A firmware known as bad is not relied on", "version not in known bad", "the device's profile"
)


SILENT = formula_rule(
    "link-silent",
    "link",
    "The inverter hears only the family that speaks",
    "seen = floor_to_step(k * sum(I_i speaking)); limit = min(seen, I_bank)",
)


SEEN = formula_rule(
    "link-display",
    "link",
    "The inverter shows the sum of the limits, less the buffer, rounded down; the charge voltage by the family's rule",
    "floor_to_step(k * sum(I_i)); V = host's, or the lowest",
)


REQUESTS = {
    "full-charge": "asks for a full charge",
    "force-charge": "asks for charging, from AC too",
    "stop-charge": "asks to stop charging",
    "stop-discharge": "asks to stop discharging",
}
"""What a BMS asks for at its own times, in words of a display."""


OPEN_METERED, OPEN = "open/metered", "open"


def candidate_key(family: str, ours: Protocol, theirs: Protocol) -> str:
    """Return the key that a job chooses a link by."""
    return f"{family}/{theirs.name}/{theirs.version}/{ours.port}/{theirs.port}"


def _near(ours: Protocol, theirs: Protocol, here: Port, there: Port) -> Iterator[LinkProblem]:
    """Yield what keeps two protocol entries of one name from being a link."""
    if ours.version != theirs.version:
        yield LinkProblem(
            rule=VERSION.id,
            severity="stop",
            text=f"{theirs.name}: the BMS speaks version {theirs.version}, the unit version {ours.version}",
        )
    if here.bus != there.bus:
        words = {"can": "CAN", "rs485": "RS-485"}
        yield LinkProblem(
            rule=BUS.id,
            severity="stop",
            text=f"{theirs.name}: the BMS has {words[there.bus]} at {there.label}, the unit {words[here.bus]} at {here.label}",
        )
    for side, protocol, port in (("the unit", ours, here), ("the BMS", theirs, there)):
        if protocol.bitrate not in port.bitrates:
            yield LinkProblem(
                rule=BITRATE.id,
                severity="stop",
                text=f"{theirs.name}: {side} does not offer {_rate(protocol.bitrate)} at {port.label}",
            )
    if ours.bitrate != theirs.bitrate:
        yield LinkProblem(
            rule=BITRATE.id,
            severity="stop",
            text=f"{theirs.name}: the BMS sends at {_rate(theirs.bitrate)}, the unit listens at {_rate(ours.bitrate)}",
        )


def _rate(bitrate: int) -> str:
    return f"{bitrate // 1000} kbit/s" if bitrate % 1000 == 0 else f"{bitrate} bit/s"


Talker = InverterProfile | SunChargerProfile
"""Devices that a BMS can speak to."""

ADAPTER = formula_rule(
    "link-adapter",
    "link",
    "An adapter hears the battery on one port and speaks the device's protocol on the other",
    "protocol_bms in battery side, protocol_device in device side",
)


def _heard(bms: Bms, adapter: AdapterProfile | None) -> Iterator[tuple[Protocol, Port, Protocol]]:
    """Yield what a device can hear of a BMS: protocol and port it meets, and the BMS's own protocol behind it."""
    ports = {p.id: p for p in bms.ports}
    if adapter is None:
        yield from ((p, ports[p.port], p) for p in bms.protocols)
        return
    sides = {p.id: p for p in adapter.ports}
    for theirs in bms.protocols:
        inlet = next((p for p in adapter.battery_side if _understands(p, sides[p.port], theirs, ports[theirs.port])), None)
        if inlet is not None:
            yield from ((out, sides[out.port], theirs) for out in adapter.device_side)


def _understands(ours: Protocol, here: Port, theirs: Protocol, there: Port) -> bool:
    return ours.name == theirs.name and not list(_near(ours, theirs, here, there))


def speaks(unit: Talker) -> list[Protocol]:
    """Return the protocols a device obeys: all that an inverter lists, those that a sun charger follows."""
    if isinstance(unit, SunChargerProfile):
        return [p for p in unit.protocols if p.name in unit.follows]
    return list(unit.protocols)


def pairing(
    unit: Talker,
    module: ModuleProfile | Module,
    taken: Iterable[str] = (),
    unit_firmware: FirmwareVerdict | None = None,
    module_firmware: FirmwareVerdict | None = None,
    adapter: AdapterProfile | None = None,
) -> list[LinkCandidate]:
    """Return every way the two families could talk, possible or not, the best first; open loop is not among them.

    ``taken`` are ports of the unit that other devices use. Each candidate says what speaks for and against it;
    one with a ``stop`` against it is not possible.
    """
    bms: Bms | None = module.bms
    family = module.family or module.id
    if bms is None:
        return []
    unit_ports = {p.id: p for p in unit.ports}
    found: list[LinkCandidate] = []
    for ours in speaks(unit):
        for theirs, there, behind in _heard(bms, adapter):
            if ours.name != theirs.name:
                continue
            here = unit_ports[ours.port]
            against = list(_near(ours, theirs, here, there))
            if ours.port in set(taken):
                against.append(
                    LinkProblem(
                        rule=PORT_FREE.id, severity="stop", text=f"port {here.label} of the unit is taken by another device"
                    )
                )
            for known in (unit_firmware, module_firmware):
                if known is not None and known.verdict == "bad":
                    against.append(
                        LinkProblem(
                            rule=FIRMWARE.id,
                            severity="caution",
                            text=f"{known.device}: firmware {known.version} is known as bad"
                            + (f": {known.why}" if known.why else ""),
                        )
                    )
            approved = ours.approved and theirs.approved
            speaks_for = [
                f"both speak {theirs.name} {theirs.version} at {_rate(ours.bitrate)}"
                if adapter is None
                else f"{adapter.name} turns {behind.name} {behind.version} into {theirs.name} {theirs.version}"
            ]
            speaks_for.append("approved by both makers, which warranties ask for" if approved else "a generic protocol")
            if here.bus == there.bus and not any(p.severity == "stop" for p in against):
                if coincide(there, here) and not split_pair(there) and not any(clashes(there, here)):
                    speaks_for.append("a straight patch cable fits")
                else:
                    against.append(LinkProblem(rule="cable-kind", severity="note", text="needs a made cable"))
            found.append(
                LinkCandidate(
                    key=candidate_key(family, ours, behind) + (f"/{adapter.id}" if adapter else ""),
                    loop="closed",
                    word=f"{theirs.name} {theirs.version}" + (f" through {adapter.name}" if adapter else ""),
                    family=family,
                    protocol=theirs.name,
                    version=theirs.version,
                    bus=here.bus,
                    bitrate=ours.bitrate,
                    unit_port=ours.port,
                    bms_port=behind.port,
                    entry=ours.entry,
                    adapter=adapter.id if adapter else None,
                    bms_protocol=f"{behind.name} {behind.version}" if adapter else None,
                    possible=not any(p.severity == "stop" for p in against),
                    chosen=False,
                    speaks_for=speaks_for if not any(p.severity == "stop" for p in against) else [],
                    speaks_against=against,
                )
            )
    names = {p.name for p in speaks(unit)}, {p.name for p in bms.protocols}
    if not found and names[1] and adapter is None:
        found.append(
            LinkCandidate(
                key=f"{family}/none",
                loop="closed",
                word="no shared protocol",
                family=family,
                protocol=None,
                version=None,
                bus=None,
                bitrate=None,
                unit_port=None,
                bms_port=None,
                entry=None,
                possible=False,
                chosen=False,
                speaks_for=[],
                speaks_against=[
                    LinkProblem(
                        rule=PROTOCOL.id,
                        severity="stop",
                        text=f"the BMS speaks {', '.join(sorted(names[1]))}; the unit {', '.join(sorted(names[0])) or 'nothing'}",
                    )
                ],
            )
        )
    return sorted(found, key=_worth)


def _worth(c: LinkCandidate) -> tuple[bool, bool, bool, int]:
    approved = any("approved" in s for s in c.speaks_for)
    return (not c.possible, any(p.severity == "caution" for p in c.speaks_against), not approved, len(c.speaks_against))


def open_candidates(unit: Talker | None) -> list[LinkCandidate]:
    """Return the open-loop ways that always exist, the one with metering first where the unit can count."""
    base = LinkCandidate(
        key=OPEN,
        loop="open",
        word="open loop, by volts and set amps",
        family=None,
        protocol=None,
        version=None,
        bus=None,
        bitrate=None,
        unit_port=None,
        bms_port=None,
        entry=None,
        possible=True,
        chosen=False,
        speaks_for=["works with any battery", "no cable to fail"],
        speaks_against=[
            LinkProblem(
                rule=RANK.id,
                severity="note",
                text="the unit does not hear of cold, full or faulty cells: the thresholds carry it all",
            )
        ],
    )
    if unit is not None and unit.sees_coulombs:
        metered = base.model_copy(
            update={
                "key": OPEN_METERED,
                "word": "open loop with metering",
                "speaks_for": ["works with any battery", "the unit counts ampere-hours through its own shunt"],
            }
        )
        return [metered, base]
    return [base]


def firmware_of(
    job: Job, modules: Sequence[Module], units: Sequence[Unit], library: Library, parts: Sequence[Part] = ()
) -> list[FirmwareVerdict]:
    """Return what profiles and the person's own notes say of every device's firmware; own notes win."""
    own = {(n.profile, n.version): n for n in job.link.firmware_notes}

    def judge(device: str, profile: str, listed: Sequence[Firmware], version: str | None) -> FirmwareVerdict:
        note = own.get((profile, version or ""))
        known = next((f for f in listed if f.version == version), None)
        verdict = note or known
        return FirmwareVerdict(
            device=device,
            profile=profile,
            version=version,
            verdict=verdict.verdict if verdict else "unknown" if version else "not-noted",
            why=(verdict.why or "") if verdict else "",
            yours=note is not None,
            known_good=[f.version for f in listed if f.verdict == "good"],
            known_bad=[f.version for f in listed if f.verdict == "bad"],
        )

    out = [judge(u.id, u.profile.id, u.profile.firmware, u.job.firmware) for u in units]
    out += [
        judge(p.id, p.profile.id, p.profile.firmware, p.firmware)
        for p in parts
        if p.kind != "module" and (p.profile.firmware or p.firmware)
    ]
    for m, given in zip(modules, job.bank.modules, strict=True):
        profile = library.get(given.profile, ModuleProfile) if given.profile else None
        if profile is not None and (profile.firmware or given.firmware):
            out.append(judge(m.id, profile.id, profile.firmware, given.firmware))
    return out


def listener(units: Sequence[Unit], parts: Sequence[Part]) -> Device | None:
    """Return the device that the BMS cable goes to: the host unit, without units the first sun charger with a port."""
    return host_of(units) or next((p for p in parts if isinstance(p.profile, SunChargerProfile) and p.profile.ports), None)


def adapter_of(job: Job, library: Library) -> AdapterProfile | None:
    """Return the adapter that is at hand, None without one."""
    return library.get(job.link.adapter, AdapterProfile) if job.link.adapter else None


def link_candidates(
    job: Job,
    modules: Sequence[Module],
    units: Sequence[Unit],
    library: Library,
    parts: Sequence[Part] = (),
    judged: Sequence[FirmwareVerdict] | None = None,
) -> list[LinkCandidate]:
    """Return all candidates between every module family and the host unit, ranked, one of them chosen."""
    host = listener(units, parts)
    profile = host.profile if host is not None else None
    talker = profile if isinstance(profile, (InverterProfile, SunChargerProfile)) else None
    known_firmware = firmware_of(job, modules, units, library, parts) if judged is None else judged
    firmware = {f.device: f for f in known_firmware}
    families: dict[str, Module] = {}
    for m in modules:
        if m.family is not None and m.bms is not None:
            families.setdefault(m.family, m)
    found: list[LinkCandidate] = []
    mixed = len({m.family for m in modules}) > 1
    if host is not None and talker is not None:
        adapter = adapter_of(job, library)
        for family, module in families.items():
            known = job.link.taken_ports.get(host.id, ()), firmware.get(host.id), firmware.get(module.id)
            straight = pairing(talker, module, *known)
            for c in [*straight, *(pairing(talker, module, *known, adapter) if adapter else ())]:
                if mixed:
                    deaf = [m.id for m in modules if m.family != family]
                    c = c.model_copy(
                        update={
                            "speaks_against": [
                                *c.speaks_against,
                                LinkProblem(
                                    rule=SILENT.id,
                                    severity="caution",
                                    text=f"{', '.join(deaf)} would run beside it unheard, by volts and amps only",
                                ),
                            ]
                        }
                    )
                found.append(c)
    good = [c for c in found if c.possible and not mixed]
    unheard = [c for c in found if c.possible and mixed]
    ranked = [*sorted(good, key=_worth), *open_candidates(talker), *sorted(unheard, key=_worth)]
    ranked += sorted((c for c in found if not c.possible), key=_worth)
    chosen = _choose(job, ranked)
    return [c.model_copy(update={"chosen": c is chosen}) for c in ranked]


def _choose(job: Job, ranked: Sequence[LinkCandidate]) -> LinkCandidate:
    wanted = next((c for c in ranked if c.key == job.link.choice and c.possible), None)
    if wanted is not None:
        return wanted
    loops = {"open": ("open",), "closed": ("closed", "open"), "auto": ("closed", "open")}[job.policy.loop]
    possible = [c for c in ranked if c.possible]
    if job.policy.loop == "auto":
        return possible[0]
    return next(c for loop in loops for c in possible if c.loop == loop)


def plan_link(job: Job, modules: Sequence[Module], units: Sequence[Unit], library: Library, parts: Sequence[Part] = ()) -> Link:
    """Return the link of the plan: the chosen candidate with cable, addresses, terminators and expected displays."""
    made = _main_link(job, modules, units, library, parts)
    return made.model_copy(update={"chargers": _charger_links(made, job, modules, parts, library)})


def _adapter_link(adapter: AdapterProfile, theirs: Protocol, there: Port, job: Job, out: Protocol) -> tuple[AdapterLink, Port]:
    """Return the adapter's part of a link and its port towards the device."""
    ports = {p.id: p for p in adapter.ports}
    inlet = next(p for p in adapter.battery_side if p.name == theirs.name and p.version == theirs.version)
    return (
        AdapterLink(
            id=adapter.id,
            name=adapter.name,
            protocol=f"{theirs.name} {theirs.version}",
            battery_port=ports[inlet.port].label,
            device_port=ports[out.port].label,
            bitrate=theirs.bitrate,
            battery_entry=inlet.entry or "",
            device_entry=out.entry or "",
            cable=make_cable(there, ports[inlet.port], theirs.bitrate, job.link.cable, None),
            lamps=[LampRow(shows=x.shows, means=x.means) for x in adapter.lamps],
        ),
        ports[out.port],
    )


def _between(adapter: AdapterProfile | None, c: LinkCandidate, bms: Bms, there: Port, job: Job) -> tuple[AdapterLink | None, Port]:
    """Return the adapter's part of a candidate, where it goes through one, and the port that the device's cable meets."""
    if adapter is None or c.adapter is None:
        return None, there
    theirs = next(p for p in bms.protocols if f"{p.name} {p.version}" == c.bms_protocol and p.port == c.bms_port)
    spoken = next(p for p in adapter.device_side if p.name == c.protocol and p.version == c.version)
    return _adapter_link(adapter, theirs, there, job, spoken)


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
        best = next((c for c in sorted(ways, key=_worth) if c.possible), None)
        if best is None:
            said = next(
                (p.text for c in ways for p in c.speaks_against if p.severity == "stop"), "it speaks no protocol of the BMS"
            )
            out.append(no(f"Open loop: {said}."))
            continue
        ports = {p.id: p for p in bms.ports}
        here = next(p for p in profile.ports if p.id == best.unit_port)
        there = ports[best.bms_port or ""]
        link, meets = _between(adapter, best, bms, there, job)
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
            why=_why_open(job, modules, candidates),
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
    between, meets = _between(adapter_of(job, library), chosen, bms, there, job)
    return Link(
        loop="closed",
        protocol=f"{chosen.protocol} {chosen.version}",
        host_unit=host.id,
        unit_port=chosen.unit_port,
        bms_port=chosen.bms_port,
        bitrate=chosen.bitrate,
        why=f"Both ends speak {chosen.protocol} {chosen.version} at {_rate(chosen.bitrate)}."
        if between is None
        else f"{between.name} turns {between.protocol} into {chosen.protocol} {chosen.version}.",
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


def _why_open(job: Job, modules: Sequence[Module], candidates: Sequence[LinkCandidate]) -> str:
    if job.policy.loop == "open" or (job.link.choice or "").startswith("open"):
        return "Open loop was chosen for this job."
    if len({m.family for m in modules}) > 1:
        return "The modules are of different makes; one cannot speak for the others."
    reasons = [p.text for c in candidates if not c.possible for p in c.speaks_against if p.severity == "stop"]
    if reasons:
        return f"No link can be made: {reasons[0]}."
    return (
        "The modules have nothing that speaks."
        if all(m.bms is None for m in modules)
        else "Unit and BMS share no protocol on the same bus and bit rate."
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


@check("link-chosen", "link", "A link that was chosen must exist", "loop = closed only if a candidate is possible")
def _chosen(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link = solved.link
    if listener(solved.units, solved.parts) is None or not solved.modules:
        return
    wanted = solved.job.link.choice
    if wanted is not None and wanted != link.key:
        known = next((c for c in link.candidates if c.key == wanted), None)
        reasons = (
            "; ".join(p.text for p in known.speaks_against if p.severity == "stop") if known else "no such link exists any more"
        )
        yield rule.finding(
            "stop",
            "The chosen link cannot be made",
            f"{known.word if known else wanted}: {reasons}.",
            "/link/choice",
            "Choose another link on this stage.",
            choice=wanted,
        )
    elif solved.job.policy.loop == "closed" and link.loop == "open":
        yield rule.finding(
            "stop",
            "No link can be made",
            f"Closed loop is wanted. {link.why}",
            "/policy/loop",
            "Plan in open loop, or choose devices that share a protocol.",
        )


@check("link-near-miss", "link", "A link that fails by little is named", "same protocol, one thing against it")
def _near_miss(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.link.loop == "closed" or solved.job.policy.loop == "open" or (solved.job.link.choice or "").startswith("open"):
        return
    for c in solved.link.candidates:
        stops = [p for p in c.speaks_against if p.severity == "stop"]
        if c.protocol is not None and stops:
            yield rule.finding(
                "caution",
                f"{c.word} fails by little",
                "; ".join(p.text for p in stops) + ".",
                "/link/choice",
                "Check the manual of both ends for a port, version or rate that agrees.",
                rules=[p.rule for p in stops],
            )


@check("link-silent-modules", "link", "What the inverter does not hear of is said", "seen < bank")
def _unheard(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link = solved.link
    if link.loop == "closed" and link.silent:
        seen = next((d for d in link.displays if d.case == "all"), None)
        whole = solved.bank.charge_limit_a if solved.bank else 0.0
        yield rule.finding(
            "caution",
            "Some modules are not heard",
            f"The inverter sees only {', '.join(link.speaking)}: {figure(seen.charge_a or 0) if seen else 0} A in, while the whole bank may take "
            f"{figure(whole, 1)} A. {', '.join(link.silent)} cannot ask it to stop; the charge voltage must suit them too.",
            "/bank/modules",
            "Plan by the lower of both; watch the silent modules' own displays at the first full charge.",
            seen_a=seen.charge_a if seen else 0,
            bank_a=whole,
            silent=link.silent,
        )


@check("firmware-listed", "link", "Firmware known as bad is named with the reason; stable beats latest", "version not in known bad")
def _firmware(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for f in solved.link.firmware:
        unit = next((d for d in solved.devices if d.id == f.device), None)
        at = (
            f"{unit.at}/firmware" if unit else f"/bank/modules/{next(m.index for m in solved.modules if m.id == f.device)}/firmware"
        )
        if f.verdict == "bad":
            good = f" Known good: {', '.join(f.known_good)}." if f.known_good else ""
            yield rule.finding(
                "caution",
                f"Firmware {f.version} of {f.device} is known as bad",
                (f"{f.why[0].upper()}{f.why[1:]}." if f.why else "The list says no reason.") + good,
                at,
                "Change it only by the maker's own way, all parallel units alike.",
                version=f.version,
                known_good=f.known_good,
            )
        elif f.verdict == "unknown" and (f.known_good or f.known_bad):
            yield rule.finding(
                "note",
                f"Firmware {f.version} of {f.device} is not on the list",
                f"Known good: {', '.join(f.known_good) or 'none'}. Latest is not best: stable is. Update only for a fault you have.",
                at,
                version=f.version,
            )


def _cable_check(solved: Solved) -> tuple[Port, Port] | None:
    link, host = solved.link, listener(solved.units, solved.parts)
    speaking = next((m for m in solved.modules if m.id == (link.speaking[0] if link.speaking else None)), None)
    if link.loop != "closed" or host is None or speaking is None or speaking.bms is None:
        return None
    there = next(p for p in speaking.bms.ports if p.id == link.bms_port)
    if not isinstance(host.profile, (InverterProfile, SunChargerProfile)):
        return None
    here = next(p for p in host.profile.ports if p.id == link.unit_port)
    adapter = adapter_of(solved.job, solved.library)
    if link.adapter is not None and adapter is not None:
        there = next(p for p in adapter.ports if p.label == link.adapter.device_port)
    return there, here


@check("cable-kind", "link", "A straight patch cable only where every pin agrees", "straight if pins coincide and nothing clashes")
def _cable_kind(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ports = _cable_check(solved)
    if ports is None or solved.link.cable is None:
        return
    there, here = ports
    cable = solved.link.cable
    if cable.kind == "made":
        yield rule.finding(
            "note",
            "The cable is made, not bought",
            f"{there.label} of the {'adapter' if solved.link.adapter else 'BMS'} to {here.label} of the unit: "
            + ", ".join(f"{w.signal} {w.from_} to {w.to} ({w.colour})" for w in cable.wires)
            + ".",
            "/link/cable",
            wires=[[w.from_, w.to] for w in cable.wires],
        )
    if cable.straight and not coincide(there, here):
        wrong = [f"{c.bms} to {c.unit or 'nothing'}" for c in _contacts(there, here)]
        yield rule.finding(
            "stop",
            "A patch cable puts the signals on wrong pins",
            f"Straight through it would join {', '.join(wrong)}.",
            "/link/cable",
            "Make the cable as drawn.",
        )


def _contacts(there: Port, here: Port) -> Iterator[Contact]:
    yield from (c for c in straight_contacts(there, here) if c.bms in DIFFERENTIAL[there.bus])


@check("cable-power-pin", "link", "A pin that carries power or another bus meets nothing", "foreign pin stays open")
def _power_pin(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ports = _cable_check(solved)
    if ports is None or solved.link.cable is None or not solved.link.cable.straight:
        return
    for contact, words in clashes(*ports):
        yield rule.finding(
            "stop",
            f"Pin {contact.position} must stay open",
            f"In a straight cable {words}.",
            "/link/cable",
            "Make the cable as drawn, without that conductor.",
            position=contact.position,
        )


@check("cable-pair", "link", "A differential signal rides on one twisted pair", "pair(high) = pair(low)", "TIA-568", "S")
def _pair(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ports = _cable_check(solved)
    if ports and solved.link.cable and solved.link.cable.straight and split_pair(ports[0]):
        yield rule.finding(
            "caution",
            "The signal is split over two pairs",
            f"At {ports[0].label} the two signal pins belong to different twisted pairs of a patch cable: it picks up noise.",
            "/link/cable",
            "Make the cable with both signals on one pair.",
        )


@check(
    "cable-length", "link", "The bus is not longer than its bit rate allows", "L <= L_max(bit rate)", "CiA 303-1, TIA-485", "S, M"
)
def _length(rule: Rule, solved: Solved) -> Iterator[Finding]:
    cable = solved.link.cable
    if cable and cable.length_m is not None and cable.length_m > cable.length_limit_m:
        yield rule.finding(
            "caution",
            "The bus is too long for its bit rate",
            f"{figure(cable.length_m)} m at {_rate(solved.link.bitrate or 0)}; {figure(cable.length_limit_m)} m is the most.",
            "/link/length_m",
            "Shorten it, or choose a link with a lower bit rate.",
            length_m=cable.length_m,
            limit_m=cable.length_limit_m,
        )


@check(
    "terminators",
    "link",
    "One {TERMINATOR_OHM}-ohm terminator at each end: half of it across the pair, power off",
    "R = {TERMINATOR_OHM} / n, n = 2",
    "ISO 11898-2, TIA-485",
    "S, M",
)
def _terminators(rule: Rule, solved: Solved) -> Iterator[Finding]:
    t = solved.link.terminators
    if t is None or t.measured_ohm is None or t.found == t.needed:
        return
    words = {0: "none is in", 1: "one is missing"}.get(t.found or 0, "one too many" if t.found == 3 else "far too many, or a short")
    yield rule.finding(
        "caution",
        f"{figure(t.measured_ohm)} ohm across the pair",
        f"Two terminators give 60 ohm; this is {words}.",
        "/link/measured_ohm",
        "Measure with power off; one terminator at each end of the bus, none between.",
        measured_ohm=t.measured_ohm,
        terminators=t.found,
    )


@check("address-host", "link", "Exactly one module carries the host's address", "count(address = host) = 1")
def _address_host(rule: Rule, solved: Solved) -> Iterator[Finding]:
    plan = solved.link.addresses
    if plan is None or any(m.found is None for m in plan.modules):
        return
    by_id = {m.id: m for m in solved.modules}
    hosts = [m for m in plan.modules if m.found_address == plan.modules[0].address]
    bms = by_id[plan.modules[0].module].bms
    if bms is None or len(hosts) == 1:
        return
    index = by_id[plan.modules[0].module].index
    if not hosts:
        lowest = min(plan.modules, key=lambda m: (m.found_address is None, m.found_address or 0))
        one = by_id[lowest.module]
        all_ = next(d for d in solved.link.displays if d.case == "all")
        shown_in = reported_a([one.charge_a], bms.buffer, bms.report_step_a)
        shown_out = reported_a([one.discharge_a], bms.buffer, bms.report_step_a)
        yield rule.finding(
            "stop",
            "No module is the host",
            f"The host's address is {plan.modules[0].address}; found are {', '.join(f'{m.module}: {m.found_address}' for m in plan.modules)}. "
            f"Each works alone, but the inverter would show one of {len(plan.modules)} at best: {figure(shown_in)} A in and {figure(shown_out)} A out "
            f"instead of {figure(all_.charge_a or 0)} and {figure(all_.discharge_a or 0)}, or nothing at all.",
            f"/bank/modules/{index}/switches",
            f"Set {plan.modules[0].module} to {plan.modules[0].address} as drawn, then power cycle.",
            host_address=plan.modules[0].address,
            found=[m.found_address for m in plan.modules],
            would_show_in_a=shown_in,
            would_show_out_a=shown_out,
        )
    else:
        yield rule.finding(
            "stop",
            f"{'Two' if len(hosts) == 2 else len(hosts)} modules are the host",
            f"{', '.join(m.module for m in hosts)} {'both' if len(hosts) == 2 else 'all'} carry address {plan.modules[0].address}: they talk over each other and the inverter shows one of them, or flickers.",
            f"/bank/modules/{by_id[hosts[1].module].index}/switches",
            "Set all but one as drawn, then power cycle.",
            hosts=[m.module for m in hosts],
        )


@check("address-unique", "link", "Addresses are unique and without gaps", "addresses = host, first .. first + q - 2")
def _address_unique(rule: Rule, solved: Solved) -> Iterator[Finding]:
    plan = solved.link.addresses
    if plan is None:
        return
    index = {m.id: m.index for m in solved.modules}
    seen: dict[int, str] = {}
    host = plan.modules[0].address
    for m in plan.modules:
        if m.found_address is None or m.found_address == host:
            continue
        if m.found_address in seen:
            yield rule.finding(
                "stop",
                f"{m.module} has the address of {seen[m.found_address]}",
                f"Both carry {m.found_address}; only one of them is counted.",
                f"/bank/modules/{index[m.module]}/switches",
                f"Set {m.module} to {m.address} as drawn, then power cycle.",
                address=m.found_address,
            )
        seen[m.found_address] = m.module
    wanted, have = {m.address for m in plan.modules}, {m.found_address for m in plan.modules if m.found_address is not None}
    if (
        all(m.found_address is not None for m in plan.modules)
        and len(have) == len(plan.modules)
        and host in have
        and have != wanted
    ):
        yield rule.finding(
            "caution",
            "Addresses have a gap",
            f"Found {', '.join(str(a) for a in sorted(have))}; the family counts {', '.join(str(a) for a in sorted(wanted))}. Modules behind the gap may not be seen.",
            f"/bank/modules/{index[plan.modules[-1].module]}/switches",
            "Number them without gaps as drawn, then power cycle.",
            found=sorted(have),
            wanted=sorted(wanted),
        )


@check("address-fits", "link", "The switches can hold every address", "address < 2^switches, q <= q_max")
def _address_fits(rule: Rule, solved: Solved) -> Iterator[Finding]:
    plan = solved.link.addresses
    if plan is None:
        return
    speaking = next(m for m in solved.modules if m.id == plan.modules[0].module)
    host_rule: HostRule | None = speaking.bms.addresses if speaking.bms else None
    if host_rule and (len(plan.modules) > host_rule.max_modules or any(not m.switches for m in plan.modules)):
        yield rule.finding(
            "stop",
            "More modules than addresses",
            f"{len(plan.modules)} modules of this family; it allows {host_rule.max_modules} with {host_rule.switches} switches.",
            "/bank/modules",
            "Two groups with a host each, or another family.",
            modules=len(plan.modules),
            max_modules=host_rule.max_modules,
        )
    for m in plan.modules:
        if m.found is not None and m.found_address is None:
            yield rule.finding(
                "caution",
                f"{m.module} has {len(m.found)} switches noted",
                f"This family has {host_rule.switches if host_rule else 0}.",
                f"/bank/modules/{speaking.index}/switches",
                "Count the switches again.",
            )
