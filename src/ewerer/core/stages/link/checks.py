"""Checks of the link: protocol, cable, terminators, addresses."""

from __future__ import annotations

from collections.abc import Iterator

from ...devices.cable import DIFFERENTIAL, Contact, clashes, coincide, split_pair, straight_contacts
from ...documents.profiles import HostRule, InverterProfile, Port, SunChargerProfile
from ...trade.finding import Finding
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..bank.solve import reported_a
from ..solved import Solved
from .pairing import adapter_of, listener, rate_of


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


@check("link-near-miss", "link", "A link that almost fits is named", "same protocol, one thing against it")
def _near_miss(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.link.loop == "closed" or solved.job.policy.loop == "open" or (solved.job.link.choice or "").startswith("open"):
        return
    for c in solved.link.candidates:
        stops = [p for p in c.speaks_against if p.severity == "stop"]
        if c.protocol is not None and stops:
            yield rule.finding(
                "caution",
                f"{c.word} almost fits",
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
                f"Firmware {f.version} of {f.device} is not listed",
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
            "A patch cable connects the wrong pins",
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
            "Bus too long for its bit rate",
            f"{figure(cable.length_m)} m at {rate_of(solved.link.bitrate or 0)}; {figure(cable.length_limit_m)} m is the most.",
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
