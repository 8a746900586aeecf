"""What is made of a job's events: verdicts that need more than a gate, proposals to the plan, faults, what is due, what is open."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from ..devices.library import Library
from ..documents.event import Meter
from ..documents.job import Job, JobModule, JobUnit
from ..documents.results.run import Judged, Proposal, Run, RunStep, SiteRecord
from ..flow.predict import predict
from ..trade.errors import DocumentError
from .figures import KINDS, Noted
from .fold import State
from .logbook import changes_of, due_of, faults_of
from .run import open_points, why_not_closed

MOST_W = 2_000_000
"""Most watts that a prediction takes [W]: what a job may hold."""


def noted_at(step: RunStep, told: Mapping[str, Any]) -> Noted:
    """Return what a state holds of a step, as its figures take it."""
    asked = {a.name for a in step.asks}
    readings = {name: r for name, r in told["readings"].items() if name in asked}
    return Noted(
        values={name: float(r["value"]) for name, r in readings.items() if r["value"] is not None},
        shown={name: r["shown"] for name, r in readings.items()},
        meters={name: Meter.model_validate(r["meter"], strict=False) if r["meter"] else None for name, r in readings.items()},
        given=step.given,
        timers=told["timers"],
    )


def judge_step(job: Job, library: Library, step: RunStep, told: Mapping[str, Any]) -> Judged | None:
    """Return the verdict on a step whose figures are worked out; None for one that has none."""
    if not step.figures or step.figures not in KINDS:
        return None
    noted = noted_at(step, told)
    if step.figures == "mode" and noted.has("load", "soc", "bank"):
        clock = noted.shown.get("clock", "")
        clock = clock if len(clock) == 5 and clock[2] == ":" and clock.replace(":", "").isdigit() else "12:00"
        try:
            watts = {n: min(max(noted.values.get(n, 0.0), 0.0), MOST_W) for n in ("load", "sun")}
            given = predict(job, library, watts["load"], noted.values["soc"] / 100.0, watts["sun"], clock)
        except DocumentError as error:
            return Judged(step=step.id, verdict=None, text=f"Nothing to compare with: {error.problems[0].message}")
        noted = Noted(noted.values, noted.shown, noted.meters, {**step.given, **given}, noted.timers)
    return KINDS[step.figures](noted).model_copy(update={"step": step.id})


def proposals_of(job: Job, run: Run, state: State, judged: Mapping[str, Judged]) -> list[Proposal]:
    """Return the figures measured on site that differ from the job's: resting volts, ohms, firmware, resistance, overshoot, shunt, ambient."""
    out: list[Proposal] = []

    def offer(
        step: str,
        pointer: str,
        label: str,
        value: float | str,
        before: float | str | None,
        unit: str = "",
        error: float | None = None,
    ) -> None:
        if before is None or (value != before if isinstance(value, str) or isinstance(before, str) else abs(value - before) > 1e-9):
            out.append(
                Proposal(
                    name=f"{step}{pointer}={value}"[:120] if step in ("join:rest", "found:firmware") else f"{step}={value}"[:120],
                    pointer=pointer,
                    label=label,
                    value=value,
                    before=before,
                    unit=unit,
                    error=error,
                    step=step,
                )
            )

    def reading(step: str, name: str) -> Any:
        told = state["steps"].get(step, {}).get("readings", {}).get(name)
        return told if told and told["verdict"] != "fail" else None

    for i, m in enumerate(job.bank.modules):
        r = reading("join:rest", m.id) or reading(f"join:rest:{m.id}", "volts")
        if r and r["value"] is not None:
            offer("join:rest", f"/bank/modules/{i}/resting_v", f"{m.id} rests at", r["value"], m.resting_v, "V")
    parts: list[tuple[str, JobUnit | JobModule]] = [(f"/units/{i}", u) for i, u in enumerate(job.units)]
    parts += [(f"/bank/modules/{i}", m) for i, m in enumerate(job.bank.modules)]
    for place, part in parts:
        if r := reading("found:firmware", part.id) or reading(f"found:firmware:{part.id}", "firmware"):
            offer("found:firmware", f"{place}/firmware", f"Firmware of {part.id}", r["shown"][:40], part.firmware)
    if (r := reading("address:ohms", "ohms")) and r["value"] is not None:
        offer("address:ohms", "/link/measured_ohm", "Ohms across the pair", r["value"], job.link.measured_ohm, "ohm")
    figures = {(step, f.name): f for step, j in judged.items() for f in j.figures if f.value is not None}
    resistance = figures.get(("proof:resistance", "mohm"))
    given = next((s.given.get("expected_mohm") for s in run.steps if s.id == "proof:resistance"), None)
    if (
        resistance is not None
        and given is not None
        and resistance.value is not None
        and judged["proof:resistance"].verdict != "unsure"
    ):
        before = job.bank.main_lead_mohm
        rest = given - (before if before is not None else 0.5)
        lead = round(max(0.0, resistance.value - rest), 3)
        if resistance.error is None or abs(resistance.value - given) > resistance.error:
            offer("proof:resistance", "/bank/main_lead_mohm", "Main leads", lead, before, "mohm", resistance.error)
    over = figures.get(("proof:charge", "overshoot_v"))
    if over is not None and over.value:
        offer("proof:charge", "/policy/overshoot_v", "Overshoot", over.value, job.policy.overshoot_v, "V")
    entry = figures.get(("sensor:gain", "entry"))
    if entry is not None and entry.value is not None and judged["sensor:gain"].verdict == "fail":
        offer(
            "sensor:gain", "/bank/shunt_a", "Rated amps of the shunt, as entered", entry.value, job.bank.shunt_a, "A", entry.error
        )
    ramp = figures.get(("proof:ramp", "good_a"))
    if ramp is not None and ramp.value and judged["proof:ramp"].verdict != "pass":
        before = job.policy.own_number("mains_charge_max_a")
        offer(
            "proof:ramp",
            "/policy/own_figures/mains_charge_max_a",
            "Charging from AC, last good entry",
            ramp.value,
            before if before is not None else 0.0,
            "A",
        )
    ambient = figures.get(("proof:temperature", "ambient_c"))
    if ambient is not None and ambient.value is not None:
        offer("proof:temperature", "/site/bank_ambient_c", "Air at the bank", ambient.value, job.site.bank_ambient_c, "degC")
    answers = state["proposals"]
    return [p.model_copy(update={"answer": answers[p.name]["shown"]}) if p.name in answers else p for p in out]


def record_of(job: Job, library: Library, run: Run, state: State, instruments: Iterable[Mapping[str, Any]] = ()) -> SiteRecord:
    """Return what is made of a folded state beside the run of its job."""
    by_id = {s.id: s for s in run.steps}
    judged = {}
    for id, told in state["steps"].items():
        step = by_id.get(id)
        verdict = judge_step(job, library, step, told) if step is not None and (told["readings"] or told["timers"]) else None
        if verdict is not None:
            judged[id] = verdict
    why = why_not_closed(run, state)
    return SiteRecord(
        judged=judged,
        proposals=proposals_of(job, run, state, judged),
        faults=faults_of(state["log"]),
        changes=changes_of(run, state),
        due=due_of(job, state, instruments),
        open_points=open_points(run, state),
        may_close=not why,
        why_not=why,
    )
