"""Which ways of speaking there are between a BMS and a unit, and how good each is."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from ...devices.cable import clashes, coincide, make_cable, split_pair
from ...devices.library import Library
from ...devices.wire.protocols import protocol_word
from ...documents.job import Job
from ...documents.profiles import AdapterProfile, Bms, Firmware, InverterProfile, ModuleProfile, Port, Protocol, SunChargerProfile
from ...documents.results.link import AdapterLink, FirmwareVerdict, LampRow, LinkCandidate, LinkProblem
from ..solved import Device, Module, Part, Unit, host_of
from .rules import BITRATE, BUS, FIRMWARE, PORT_FREE, PROTOCOL, RANK, SILENT, VERSION

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
            text=f"{protocol_word(theirs.name)}: the BMS speaks version {theirs.version}, the unit version {ours.version}",
        )
    if here.bus != there.bus:
        words = {"can": "CAN", "rs485": "RS-485"}
        yield LinkProblem(
            rule=BUS.id,
            severity="stop",
            text=f"{protocol_word(theirs.name)}: the BMS has {words[there.bus]} at {there.label}, the unit {words[here.bus]} at {here.label}",
        )
    for side, protocol, port in (("the unit", ours, here), ("the BMS", theirs, there)):
        if protocol.bitrate not in port.bitrates:
            yield LinkProblem(
                rule=BITRATE.id,
                severity="stop",
                text=f"{protocol_word(theirs.name)}: {side} does not offer {rate_of(protocol.bitrate)} at {port.label}",
            )
    if ours.bitrate != theirs.bitrate:
        yield LinkProblem(
            rule=BITRATE.id,
            severity="stop",
            text=f"{protocol_word(theirs.name)}: the BMS sends at {rate_of(theirs.bitrate)}, the unit listens at {rate_of(ours.bitrate)}",
        )


def rate_of(bitrate: int) -> str:
    """Return a bit rate in words."""
    return f"{bitrate // 1000} kbit/s" if bitrate % 1000 == 0 else f"{bitrate} bit/s"


Talker = InverterProfile | SunChargerProfile
"""Devices that a BMS can speak to."""


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
                f"both speak {protocol_word(f'{theirs.name} {theirs.version}')} at {rate_of(ours.bitrate)}"
                if adapter is None
                else f"{adapter.name} turns {protocol_word(f'{behind.name} {behind.version}')} into {protocol_word(f'{theirs.name} {theirs.version}')}"
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
                    word=protocol_word(f"{theirs.name} {theirs.version}") + (f" through {adapter.name}" if adapter else ""),
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
    return sorted(found, key=worth_of)


def worth_of(c: LinkCandidate) -> tuple[bool, bool, bool, int]:
    """Return how good a way is, the best first when sorted."""
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


def link_by_adapter(adapter: AdapterProfile, theirs: Protocol, there: Port, job: Job, out: Protocol) -> tuple[AdapterLink, Port]:
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
    ranked = [*sorted(good, key=worth_of), *open_candidates(talker), *sorted(unheard, key=worth_of)]
    ranked += sorted((c for c in found if not c.possible), key=worth_of)
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


def between_lists(
    adapter: AdapterProfile | None, c: LinkCandidate, bms: Bms, there: Port, job: Job
) -> tuple[AdapterLink | None, Port]:
    """Return the adapter's part of a candidate, where it goes through one, and the port that the device's cable meets."""
    if adapter is None or c.adapter is None:
        return None, there
    theirs = next(p for p in bms.protocols if f"{p.name} {p.version}" == c.bms_protocol and p.port == c.bms_port)
    spoken = next(p for p in adapter.device_side if p.name == c.protocol and p.version == c.version)
    return link_by_adapter(adapter, theirs, there, job, spoken)


def why_open(job: Job, modules: Sequence[Module], candidates: Sequence[LinkCandidate]) -> str:
    """Return the sentence that says why the loop stays open."""
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
