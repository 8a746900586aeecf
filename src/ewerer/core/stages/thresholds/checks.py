"""Checks of the thresholds."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from ...documents.results.thresholds import Rung
from ...trade.chemistries import Chemistry, ocv_v, soc_at
from ...trade.finding import Finding
from ...trade.lead_acid import charged_to
from ...trade.margins import INVERTER_EFFICIENCY, LEAST_HOURS, NIGHT_H, VAGUE_ELSEWHERE, VAGUE_PROTECTED
from ...trade.quantities import OWN_AMPS, QUANTITIES
from ...trade.rules import Rule, check
from ...trade.steps import clean, figure
from ..bank.solve import charge_cell_v, chemistry_of
from ..limits.ac import design_load_w
from ..solved import Basis, Ladder, Solved
from .basis import reserve_of
from .rules import (
    CELL_MAX,
    CHATTER,
    FLOAT,
    FLOAT_SCHOOL,
    INTERLOCK,
    REACHABLE,
    RECHARGE,
    RECOMMENDED,
    RESTART,
    SHUTDOWN_CUTOFF,
    UNIT_RANGE,
)
from .solve import transfers_in


@check("ladder-conflict", "thresholds", "All thresholds fit above each other", "the constraints have a solution")
def _conflict(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for key, ladder in solved.ladders.items():
        if ladder.conflict:
            rules = list(dict.fromkeys(c.rule for c in ladder.conflict))
            yield rule.finding(
                "stop",
                "No set of thresholds fits",
                f"These rules cannot hold together{f' on {key}' if key else ''}: "
                + "; ".join(c.text for c in ladder.conflict)
                + ". "
                + ladder.view.way_out,
                "/policy",
                ladder.view.way_out or "Another unit, or other margins.",
                rules=rules,
            )


def _once(solved: Solved, told: Callable[[Ladder], Iterable[tuple[Any, ...]]]) -> Iterator[tuple[Rung, tuple[Any, ...]]]:
    """Yield what the ladders tell of a threshold, its name first, with its rung: of each threshold once, however many models."""
    seen: set[str] = set()
    for ladder in solved.ladders.values():
        for one in told(ladder):
            if one[0] not in seen:
                seen.add(one[0])
                yield ladder.rungs[one[0]], one


@check(
    "own-figure-refused", "thresholds", "A figure of one's own is granted within what the rules permit", "lowest <= own <= highest"
)
def _refused(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (name, own, given, rules, texts) in _once(solved, lambda ladder: ladder.refused):
        k, unit = (100, "%") if rung.kind == "soc" else (1, "V")
        inside = rung.lowest - 1e-9 <= own <= rung.highest + 1e-9
        reason = "It gives way to your other figures." if inside else "; ".join(texts) + "."
        yield rule.finding(
            "note" if inside and abs(own - given) <= rung.step + 1e-9 else "caution",
            f"{rung.word} at {figure(own * k)} {unit} is not permitted",
            f"{figure(rung.lowest * k)} to {figure(rung.highest * k)} {unit} is. The plan keeps {figure(given * k)} {unit}. {reason}",
            f"/policy/own_figures/{name}",
            f"Take {figure(given * k)} {unit}, or change what limits it.",
            quantity=name,
            own=own,
            given=clean(given),
            lowest=rung.lowest,
            highest=rung.highest,
            rules=list(rules),
        )


@check("own-figure-idle", "thresholds", "A figure of one's own that does nothing here is named", "quantity is active")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or not solved.ladder.rungs:
        return
    planned = {n for ladder in solved.ladders.values() for n in ladder.rungs} | {n for d in solved.derived.values() for n in d}
    for name in solved.job.policy.own_figures:
        if name in planned or name in OWN_AMPS:
            continue
        yield rule.finding(
            "note",
            f"{QUANTITIES[name].word} is not used here",
            "You gave a figure, but this unit or this job does not use it.",
            f"/policy/own_figures/{name}",
            "Remove the figure.",
            quantity=name,
        )


@check(
    "volts-say-little",
    "thresholds",
    "Where the curve is flat a voltage is a poor measure of charge",
    "band of s(V +/- error) <= {VAGUE_PROTECTED:%} where the bank is protected, {VAGUE_ELSEWHERE:%} elsewhere",
)
def _vague(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or solved.ladder.view.decide_by != "volts":
        return
    wide = []
    for name, most in (
        ("to_mains_v", VAGUE_PROTECTED),
        ("gen_start_v", VAGUE_PROTECTED),
        ("return_bank_v", VAGUE_ELSEWHERE),
        ("recharge_v", VAGUE_ELSEWHERE),
    ):
        rung = solved.ladder.rungs.get(name)
        if rung and rung.at_rest_soc_band and rung.at_rest_soc_band[1] - rung.at_rest_soc_band[0] > most:
            wide.append((most == VAGUE_PROTECTED, rung.at_rest_soc_band[1] - rung.at_rest_soc_band[0], name, rung))
    if wide:
        protects, _, name, rung = max(wide, key=lambda w: w[:2])
        low, high = rung.at_rest_soc_band or (0, 0)
        yield rule.finding(
            "caution" if protects else "note",
            "Volts say little here",
            f"{rung.word} at {figure(rung.value)} V may mean {figure(low * 100, 0)} to {figure(high * 100, 0)} % of charge at rest. "
            "Decide by charge % where the unit allows it.",
            "/policy/control",
            "Let the unit count ampere-hours, or widen the gaps.",
            quantity=name,
            band_low=low,
            band_high=high,
        )


@check(
    "sag-at-peak",
    "thresholds",
    "A peak at the reserve does not pull the terminals to the shut-down",
    "n * OCV(reserve) - I_peak * R_path >= shut-down",
)
def _peak(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.ladder is None or solved.bank is None or solved.limits is None or "shutdown_v" not in solved.ladder.rungs:
        return
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    peak = solved.limits.discharge.needed_peak_a or 0.0
    volts = solved.bank.series_cells * ocv_v(chemistry_of(solved.modules), reserve) - peak * solved.bank.path_mohm / 1000
    shut = solved.ladder.rungs["shutdown_v"].value
    if volts < shut:
        yield rule.finding(
            "caution",
            "A peak at the reserve stops the output",
            f"At {figure(reserve * 100, 0)} % charge {figure(peak, 0)} A pull the terminals to {figure(volts)} V, below the shut-down at {figure(shut)} V.",
            "/policy/shutdown_soc",
            "A lower shut-down with a few seconds of delay, shorter leads, or a higher reserve.",
            terminal_v=round(volts, 2),
            shutdown_v=shut,
            peak_a=round(peak, 1),
        )


ADVICE: dict[str, tuple[str, ...]] = {
    RESTART.id: ("thicker or shorter leads", "less discharge current", "modules of lower resistance"),
    CHATTER.id: ("less charging current from AC", "thicker or shorter leads"),
    RECHARGE.id: ("float at absorption",),
    FLOAT.id: ("a higher absorption",),
    FLOAT_SCHOOL.id: ("float at absorption",),
    REACHABLE.id: ("a higher absorption",),
    CELL_MAX.id: ("a smaller measured overshoot or spread",),
    RECOMMENDED.id: ("the figure that the module's sheet recommends",),
    UNIT_RANGE.id: ("a unit whose range fits",),
    INTERLOCK.id: ("a unit without this gap",),
    SHUTDOWN_CUTOFF.id: ("a smaller gap above the cut-off, where the module allows it",),
}
"""What loosens a rule that binds."""


def _advice(rules: Sequence[str], more: Sequence[str]) -> str:
    """Return what would loosen the rules that bind, in the order they bind, and what helps in any case."""
    parts = list(dict.fromkeys([*(a for r in rules for a in ADVICE.get(r, ())), *more]))
    if not parts:
        return "Another unit, or another charging level."
    words = parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} or {parts[-1]}"
    return f"{words[0].upper()}{words[1:]}."


@check(
    "reserve-kept",
    "thresholds",
    "Where the other thresholds leave no room for the chosen reserve, that is said",
    "transfer >= n * OCV(reserve) - I * R_path, less one step",
)
def _kept(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (name, wished, rules, texts) in _once(solved, lambda ladder: ladder.squeezed):
        wanted = reserve_of(solved.job, chemistry_of(solved.modules))
        yield rule.finding(
            "caution",
            f"The reserve of {figure(wanted * 100, 0)} % is not kept",
            f"{rung.word} would have to stand at {figure(wished)} V; {figure(rung.value)} V is what is left, "
            f"{figure((rung.under_load_soc or 0.0) * 100, 0)} % charged at the design load. What holds it down: {'; '.join(texts)}.",
            "/policy/reserve_soc",
            _advice(rules, ["deciding by charge %", "a smaller reserve"]),
            quantity=name,
            wished_v=round(wished, 3),
            given_v=rung.value,
            reserve_soc=wanted,
            under_load_soc=rung.under_load_soc,
        )


@check(
    "school-raised",
    "thresholds",
    "Where the thresholds below push absorption over the chosen level, that is said",
    "absorption <= V_cell * n, plus one step",
)
def _raised(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for rung, (_, wished, rules, texts) in _once(solved, lambda ladder: ladder.raised):
        yield rule.finding(
            "caution",
            "Absorption is higher than you chose",
            f"{solved.job.policy.charge_school} asks for {figure(wished)} V; {figure(rung.value)} V is the lowest that fits. "
            f"What pushes it: {'; '.join(texts)}.",
            "/policy/charge_school",
            _advice(rules, []),
            wished_v=round(wished, 3),
            absorb_v=rung.value,
        )


def _charged_at(b: Basis, chemistry: Chemistry, volts: float) -> float:
    """Return the charge (0..1) at which the pack shows ``volts`` while the AC sources charge it."""
    amps = b.transfer_charge_a
    if b.rises:
        return charged_to((volts - amps * b.lead_ohm) / b.n, amps, b.c10_ah)
    return soc_at(chemistry, (volts - amps * b.path_ohm) / b.n)


@check(
    "transfer-hours",
    "thresholds",
    "Between going to another source and coming back the bank carries the load for hours",
    "(E(return) - E(transfer)) / P_load >= {LEAST_HOURS} h, with the sag of the load and the lift of charging from AC",
)
def _hours(rule: Rule, solved: Solved) -> Iterator[Finding]:
    ladder, b, bank = solved.ladder, solved.basis, solved.bank
    if ladder is None or b is None or bank is None or b.load_a <= 0 or solved.limits is None:
        return
    chem = chemistry_of(solved.modules)
    watts = design_load_w(solved.job, solved.units)
    for back, away in (("return_bank", "to_mains"), ("gen_stop", "gen_start")):
        high, low = (ladder.rungs.get(f"{n}_soc") or ladder.rungs.get(f"{n}_v") for n in (back, away))
        if high is None or low is None or watts <= 0:
            continue
        top = high.value if high.kind == "soc" else _charged_at(b, chem, high.value)
        bottom = low.value if low.kind == "soc" else soc_at(chem, (low.value + b.load_a * b.path_ohm) / b.n)
        hours = max(0.0, top - bottom) * bank.energy_wh / watts
        # What the units themselves take is drawn too; charging from AC carries the bank back up.
        worst = min((u.profile.ratings.inverter_efficiency for u in solved.units), default=INVERTER_EFFICIENCY)
        drawn = watts / worst + sum(u.profile.ratings.idle_w for u in solved.units)
        bank_h = max(0.0, top - bottom) * bank.energy_wh / drawn
        ac_h = max(0.0, top - bottom) * bank.capacity_ah / b.transfer_charge_a if b.transfer_charge_a > 0 else float("inf")
        moves = transfers_in(NIGHT_H, bank_h, ac_h)
        if hours < LEAST_HOURS - 1e-9:
            yield rule.finding(
                "caution",
                "Grid and bank would switch all night",
                f"{high.word} at {figure(top * 100, 0)} % charged, {low.word.lower()} at {figure(bottom * 100, 0)} %: between them the bank "
                f"carries the design load of {figure(watts)} W for {figure(hours, 2)} h; {figure(LEAST_HOURS)} h is the least. In a night of {figure(NIGHT_H)} h each "
                f"unit would go over {moves} times.",
                "/policy/reserve_soc",
                "A wider gap by own figures, deciding by charge %, more charging current from AC, or a larger bank.",
                hours=round(hours, 2),
                transfers=moves,
                return_soc=round(top, 3),
                transfer_soc=round(bottom, 3),
            )


@check(
    "alarm-cries-wolf",
    "thresholds",
    "An alarm that sounds at full load while the bank is well charged is not heeded for long",
    "s(alarm at full load) <= careful level",
)
def _wolf(rule: Rule, solved: Solved) -> Iterator[Finding]:
    rung = solved.ladder.rungs.get("alarm_v") if solved.ladder and solved.units else None
    if rung is None or rung.full_load_soc is None or rung.full_load_soc <= chemistry_of(solved.modules).low_end("careful") + 1e-9:
        return
    yield rule.finding(
        "caution",
        "The low-voltage alarm is too high",
        f"At full load it sounds at {figure(rung.full_load_soc * 100, 0)} % of charge; {figure(chemistry_of(solved.modules).low_end('careful') * 100)} % is where it should.",
        "/policy/own_figures/alarm_v",
        "A lower alarm, a delay, thicker or shorter leads, or an alarm by charge %.",
        full_load_soc=rung.full_load_soc,
        alarm_v=rung.value,
    )


@check("reserve-order", "thresholds", "The reserve lies above the shut-down level", "shut-down level < reserve")
def _reserve(rule: Rule, solved: Solved) -> Iterator[Finding]:
    p = solved.job.policy
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    if p.shutdown_soc is not None and p.shutdown_soc >= reserve:
        yield rule.finding(
            "caution",
            "Shut-down level is not below the reserve",
            f"Shut-down at {figure(p.shutdown_soc * 100, 0)} %, reserve {figure(reserve * 100, 0)} %.",
            "/policy/shutdown_soc",
            "Lower the shut-down or raise the reserve.",
            shutdown_soc=p.shutdown_soc,
            reserve_soc=reserve,
        )


@check(
    "limit-school",
    "thresholds",
    "Charging to the cells' limit leaves no room for spread",
    "school V * n + overshoot + spread <= V_max * n",
)
def _limit(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if (
        solved.ladder is None
        or "absorb_v" not in solved.ladder.rungs
        or solved.bank is None
        or "absorb_v" in solved.job.policy.own_figures
    ):
        return
    rung = solved.ladder.rungs["absorb_v"]
    cell, school = charge_cell_v(solved.job, chemistry_of(solved.modules))
    wish = cell * solved.bank.series_cells
    if rung.value < wish - rung.step - 1e-9:
        high = next((r.text for r in rung.reasons if r.bound == "highest"), "")
        yield rule.finding(
            "note",
            "Absorption is lower than you chose",
            f"{school} asks for {figure(wish)} V; {high}. The plan charges to {figure(rung.value)} V.",
            "/policy/charge_school",
            "Measure overshoot and spread; smaller figures leave more room.",
            wished_v=round(wish, 3),
            absorb_v=rung.value,
        )
