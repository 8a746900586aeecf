"""Stage Link: does the BMS speak to the units, in which protocol, over which ports."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from .bank import Module
from .documents.job import Job
from .documents.plan import Finding, Link
from .documents.profiles import Protocol
from .findings import Rule, check, formula_rule
from .units import Unit, host_of

if TYPE_CHECKING:
    from .plan import Context

LINK = formula_rule(
    "link-exists",
    "link",
    "A link exists when both ends share protocol, version, bus, bit rate and free ports",
    "protocol_bms = protocol_unit, bus_bms = bus_unit, bitrate in both",
    "common practice",
    "T",
)


def shared_protocols(module: Module, unit: Unit) -> list[tuple[Protocol, Protocol]]:
    """Return pairs (unit's, module's) of the protocols both speak on the same bus and bit rate, best first."""
    if module.bms is None:
        return []
    unit_ports = {p.id: p for p in unit.profile.ports}
    bms_ports = {p.id: p for p in module.bms.ports}
    found = []
    for ours in unit.profile.protocols:
        for theirs in module.bms.protocols:
            here, there = unit_ports.get(ours.port), bms_ports.get(theirs.port)
            if (
                here
                and there
                and ours.name == theirs.name
                and ours.version == theirs.version
                and here.bus == there.bus
                and ours.bitrate == theirs.bitrate
            ):
                found.append((ours, theirs))
    return sorted(found, key=lambda pair: not (pair[0].approved or pair[1].approved))


def plan_link(job: Job, modules: Sequence[Module], units: Sequence[Unit]) -> Link:
    """Return the link of the plan: closed loop where a shared protocol exists and it is not overruled."""
    host = host_of(units)

    def open_loop(why: str) -> Link:
        return Link(
            loop="open", protocol=None, host_unit=host.id if host else None, unit_port=None, bms_port=None, bitrate=None, why=why
        )

    if host is None or not modules:
        return open_loop("There is nothing to link yet.")
    if job.policy.loop == "open":
        return open_loop("Open loop was chosen for this job.")
    if len({m.family for m in modules}) > 1:
        return open_loop("The modules are of different makes; one cannot speak for the others.")
    pairs = shared_protocols(modules[0], host)
    if not pairs:
        return open_loop("Unit and BMS share no protocol on the same bus and bit rate.")
    ours, theirs = pairs[0]
    return Link(
        loop="closed",
        protocol=f"{ours.name} {ours.version}",
        host_unit=host.id,
        unit_port=ours.port,
        bms_port=theirs.port,
        bitrate=ours.bitrate,
        why=f"Both ends speak {ours.name} {ours.version} at {ours.bitrate // 1000} kbit/s.",
    )


@check("link-chosen", "link", "A closed loop that was chosen must exist", "loop = closed only if link-exists")
def _chosen(rule: Rule, ctx: Context) -> Iterator[Finding]:
    if ctx.job.policy.loop == "closed" and ctx.link.loop == "open" and ctx.units and ctx.modules:
        yield rule.finding(
            "stop",
            "No link can be made",
            f"Closed loop is wanted. {ctx.link.why}",
            "/policy/loop",
            "Plan in open loop, or choose devices that share a protocol.",
        )
