"""Checks of leads, fuses and pre-charge."""

from __future__ import annotations

from collections.abc import Iterator

from ...trade.finding import Finding
from ...trade.margins import FUSES, INRUSH_A, MOST_DROP, USUAL_DROP
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Solved
from .wiring import carries_a


@check(
    "fuse-breaking",
    "limits",
    "The main fuse can break a dead short of the whole bank",
    "V_max / (R_bank + R_leads) <= breaking capacity",
    "common practice; the fuse's own sheet",
)
def _breaking(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or solved.job.bank.fuse_a is None:
        return
    w, breaks = solved.limits.wiring, solved.job.bank.fuse_breaking_a
    said = (
        f"{figure(w.short_circuit_v)} V over {figure(w.short_circuit_v / w.short_circuit_a * 1000)} mΩ of bank and leads would draw "
        f"{figure(w.short_circuit_a, 0)} A into a dead short"
    )
    if breaks is None:
        yield rule.finding(
            "note",
            "What the fuse must break",
            f"{said}.",
            "/bank/fuse_breaking_a",
            "Read the fuse's breaking capacity at DC and enter it.",
            short_circuit_a=w.short_circuit_a,
        )
    elif breaks < w.short_circuit_a:
        yield rule.finding(
            "stop",
            "The fuse cannot break this bank's short",
            f"{said}; the fuse breaks {figure(breaks, 0)} A.",
            "/bank/fuse_breaking_a",
            "A fuse of a class that breaks more, close to the bank.",
            short_circuit_a=w.short_circuit_a,
            breaking_a=breaks,
        )


@check(
    "fuse-protects-lead",
    "limits",
    "The fuse opens before the main lead is overloaded",
    "fuse <= ampacity; at most the next standard size above it",
    "NEC 240.4(B), 240.6(A)",
    "S, M",
)
def _protects(rule: Rule, solved: Solved) -> Iterator[Finding]:
    fuse = solved.job.bank.fuse_a
    carries = [a for a in (solved.job.bank.cable_a, carries_a(solved.job.bank.main_lead, solved.job)) if a is not None]
    if fuse is not None and carries and fuse > min(carries) + 1e-6:
        following = next((size for size in FUSES if size >= min(carries)), FUSES[-1])
        yield rule.finding(
            "note" if fuse <= following else "caution",
            "The fuse is larger than the main lead",
            f"The fuse is {figure(fuse)} A; the lead carries {figure(min(carries))} A.",
            "/bank/fuse_a",
            "A smaller fuse or a thicker lead; local code decides.",
            fuse_a=fuse,
            ampacity_a=min(carries),
        )


@check("lead-drop", "limits", "Little is lost over the main leads", "I * R / V <= {USUAL_DROP:%} to {MOST_DROP:%}")
def _drop(rule: Rule, solved: Solved) -> Iterator[Finding]:
    w = solved.limits.wiring if solved.limits else None
    if w is None or w.drop_part is None or w.drop_part <= USUAL_DROP + 1e-9:
        return
    yield rule.finding(
        "caution" if w.drop_part > MOST_DROP + 1e-9 else "note",
        "Much is lost over the main leads",
        f"{figure(w.drop_v or 0.0)} V over {figure(w.main_mohm)} mΩ at the design load, {figure(w.drop_part * 100, 1)} %; 2 to 3 % is the most.",
        "/bank/main_lead" if solved.job.bank.main_lead is not None else "/bank/main_lead_mohm",
        "Thicker or shorter leads, clean joints.",
        drop_v=w.drop_v,
        drop_part=w.drop_part,
    )


@check("module-lead", "limits", "A module's leads carry what the module may give", "I_module <= ampacity", "NEC 310.16", "S, M")
def _module_lead(rule: Rule, solved: Solved) -> Iterator[Finding]:
    w = solved.limits.wiring if solved.limits else None
    if w is None or w.module is None:
        return
    most = max(max(m.charge_a, m.discharge_a) for m in solved.modules)
    if most > w.module.ampacity_a + 1e-6:
        yield rule.finding(
            "caution",
            "The modules' leads are thin",
            f"A module may carry {figure(most)} A; its lead carries {figure(w.module.ampacity_a)} A.",
            "/bank/lead",
            "Thicker leads, or a fuse for each module that protects them.",
            module_a=most,
            ampacity_a=w.module.ampacity_a,
        )


@check(
    "pre-charge",
    "limits",
    "Discharged inputs are charged through a resistor before the main switch closes",
    "I = V / R, t = 5 R C, W = C V^2 / 2",
)
def _precharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank, w = solved.job.bank, solved.limits.wiring if solved.limits else None
    if w is None or bank.inputs_uf is None:
        return
    if bank.precharge_ohm is None:
        path = w.short_circuit_v / w.short_circuit_a
        yield rule.finding(
            "caution",
            "Closing the main switch onto empty inputs",
            f"{figure(bank.inputs_uf, 0)} µF at {figure(w.short_circuit_v)} V draw up to {figure(w.short_circuit_v / path, 0)} A for a moment: "
            "contacts weld and the BMS opens.",
            "/bank/precharge_ohm",
            "A pre-charge resistor; enter its ohms.",
            inrush_a=w.short_circuit_a,
        )
    elif w.precharge_a is not None and w.precharge_a > INRUSH_A:
        yield rule.finding(
            "caution",
            "The pre-charge resistor is small",
            f"{figure(w.precharge_a, 0)} A at first; {figure(INRUSH_A, 0)} A is borne by most contacts.",
            "/bank/precharge_ohm",
            "More ohms.",
            first_a=w.precharge_a,
        )
    else:
        yield rule.finding(
            "note",
            "Pre-charge",
            f"{figure(w.precharge_a or 0.0, 1)} A at first; wait {figure(w.precharge_s or 0.0, 1)} s (5 RC) before the main switch. "
            f"The resistor takes {figure(w.precharge_j or 0.0, 1)} J each time.",
            "/bank/precharge_ohm",
            seconds=w.precharge_s,
            joules=w.precharge_j,
        )
