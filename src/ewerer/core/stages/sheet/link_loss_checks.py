"""Checks of what units do when the link is lost or silent."""

from __future__ import annotations

from collections.abc import Iterator

from ...devices.addresses import address_of
from ...trade.finding import Finding
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Module, Solved, Unit
from ..thresholds.ladder import charge_ceiling_v
from .own import fallback_missing, judged_units, setting_at, whose_setting


@check(
    "carry-on-safe",
    "sheet",
    "After loss of link a unit carries on only with volts, current and a shut-down that are entered and act",
    "link loss = carry on only if charging volts, charge current and shut-down stand on the sheet",
)
def _carry_on(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.link.loop != "closed":
        return
    for ids, unit, sheet in judged_units(solved):
        row = next((r for r in sheet.settings if r.quantity == "link_loss_action" and r.value == "carry-on"), None)
        missing = fallback_missing(solved, unit) if isinstance(unit, Unit) else []
        if row is not None and missing:
            yield rule.finding(
                "stop",
                "Carrying on without the link is unsafe",
                f"{', '.join(ids)}: {row.label} is {row.entry}, but {', '.join(missing)} would be the factory's, not the plan's.",
                "/policy/link_loss" if whose_setting(solved, unit, row) is None else setting_at(solved, unit, row),
                "Stop at loss of link.",
                missing=missing,
            )


@check(
    "silent-window",
    "link",
    "What the speaking modules ask for lies inside the window of those that are not heard",
    "V_asked <= n * V_max_silent; I_asked * w_i <= I_i of each silent module",
)
def _silent(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link, bank = solved.link, solved.bank
    seen = next((d for d in link.displays if d.case == "all"), None)
    if link.loop != "closed" or not link.silent or bank is None or seen is None:
        return
    share = {m.id: m.share for m in bank.modules}
    for m in (m for m in solved.modules if m.id in link.silent):
        top = m.series_cells * (m.charge_cell_high_v or m.cell_max_v)
        if seen.charge_v is not None and seen.charge_v > top + 1e-6:
            yield rule.finding(
                "stop",
                f"{m.id} is not heard and would be overcharged",
                f"{', '.join(link.speaking)} ask for {figure(seen.charge_v)} V; {m.id} bears {figure(top)} V.",
                f"/bank/modules/{m.index}",
                "Plan in open loop by the lower of both, or keep one make in the bank.",
                asked_v=seen.charge_v,
                limit_v=top,
            )
        for asked, limit, way in ((seen.charge_a, m.charge_a, "charge"), (seen.discharge_a, m.discharge_a, "discharge")):
            if asked is not None and asked * share[m.id] > limit + 1e-6:
                yield rule.finding(
                    "stop",
                    f"{m.id} is not heard: too much {way} current",
                    f"{', '.join(link.speaking)} allow {figure(asked)} A, of which {m.id} carries {figure(share[m.id] * 100, 1)} %: "
                    f"{figure(asked * share[m.id], 1)} A; it bears {figure(limit)} A.",
                    f"/bank/modules/{m.index}",
                    "Plan in open loop by the lower of both, or keep one make in the bank.",
                    asked_a=asked,
                    carried_a=round(asked * share[m.id], 2),
                    limit_a=limit,
                )


@check(
    "asked-volts",
    "link",
    "The volts that the BMS will ask for are shown beside the ladder",
    "V_asked - absorption; followers that do not listen keep the plan's",
)
def _asked(rule: Rule, solved: Solved) -> Iterator[Finding]:
    link, ladder, basis = solved.link, solved.ladder, solved.basis
    asked = next((d.charge_v for d in link.displays if d.case == "all"), None)
    rung = ladder.rungs.get("absorb_v") if ladder else None
    if link.loop != "closed" or asked is None or rung is None or basis is None or abs(asked - rung.value) <= rung.step + 1e-6:
        return
    deaf = [u.unit for u in link.units if u.battery_type != "protocol"]
    high = asked > charge_ceiling_v(basis) + 1e-6
    said = f"The BMS will ask for {figure(asked)} V. The plan's absorption, which counts when the link is lost, is {figure(rung.value)} V."
    yield rule.finding(
        "caution" if deaf or high else "note",
        "BMS and plan differ in charging voltage",
        said
        + (
            f" {', '.join(deaf)} {'do' if len(deaf) > 1 else 'does'} not listen and charge{'' if len(deaf) > 1 else 's'} to the plan's volts: the units work against each other."
            if deaf
            else ""
        )
        + (f" {figure(charge_ceiling_v(basis))} V leaves room for overshoot and spread." if high else ""),
        "/policy/charge_school" if "absorb_v" not in solved.job.policy.own_figures else "/policy/own_figures/absorb_v",
        f"Enter {figure(asked)} V as your own absorption: then all charge alike." if deaf and not high else "",
        asked_v=asked,
        absorb_v=rung.value,
    )


@check(
    "address-families",
    "link",
    "Where two families count the host differently, each is addressed by its own rule",
    "host_A != host_B",
)
def _families(rule: Rule, solved: Solved) -> Iterator[Finding]:
    by_family: dict[str, list[Module]] = {}
    for m in solved.modules:
        if m.bms is not None and m.bms.addresses is not None and m.family is not None:
            by_family.setdefault(m.family, []).append(m)
    hosts = {f: ms[0].bms.addresses.host_address for f, ms in by_family.items() if ms[0].bms and ms[0].bms.addresses}
    if len(set(hosts.values())) < 2:
        return
    given = {m.id: m.switches for m in solved.job.bank.modules}
    said = ", ".join(f"{f} counts its host as {a}" for f, a in hosts.items())
    wrong = []
    for family, ms in by_family.items():
        addresses = ms[0].bms.addresses if ms[0].bms else None
        found = {m.id: address_of(addresses, [c == "u" for c in given[m.id] or ""]) for m in ms if addresses and given[m.id]}
        if found and hosts[family] not in found.values():
            wrong += [m for m in ms if found.get(m.id) in set(hosts.values()) - {hosts[family]}]
    odd = wrong[0] if wrong else next(iter(by_family.values()))[0]
    yield rule.finding(
        "stop" if wrong else "caution",
        "Modules count the host in different ways",
        f"{said}."
        + (f" {', '.join(m.id for m in wrong)} is set to the other family's host address and leads nobody." if wrong else ""),
        f"/bank/modules/{odd.index}/switches",
        "Address each family by its own rule, and join no link cable from one to the other.",
        hosts=hosts,
    )
