"""The run of a job: its steps as a graph, and where each stands in a state.

The ids and the order of steps depend on what they are about only, so that a change elsewhere in the job moves nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

from ..behaviour.trial import trial
from ..devices.library import Library, shipped_library
from ..devices.plates import charger_profile, unit_profile
from ..documents.event import Meter
from ..documents.job import Job
from ..documents.profiles import MenuProfile
from ..documents.results.run import GATE, Run, RunSection, RunStep
from ..plan import profile_of
from ..stages.checks import findings_of
from ..stages.pipeline import solve
from ..stages.sheet.found import planned_entries, same_display
from ..stages.solved import Solved
from . import proof, site
from .breakers import breakers_of, isolating
from .fold import FINISHED
from .judge import judge_gate
from .lines import of_pages, statuses_of
from .oneline import one_line
from .steps import SECTIONS, Steps

Standing = Literal["done", "overridden", "skipped", "failed", "open", "unsure", "begun", "ready", "waiting", "blocked"]


ALL_PARTS = (site.before, site.found, site.isolate, site.hardware, site.plan_gate, site.join, site.addresses, site.protocol, site.power,
    site.enter, site.together, site.sensor, site.live, proof.proof, proof.clock, proof.handover)  # fmt: skip
VISITS = ("full", "settings", "part", "check", "fault")
"""Kinds of visit: a new build; entries only; one part comes or goes; readings and tests, nothing opened; a fault."""
PARTS = {
    "settings": (site.before, site.found, site.plan_gate, site.enter, proof.proof, proof.clock, proof.handover),
    "part": (site.before, site.found, site.isolate, site.plan_gate, site.hardware, site.join, site.power, site.enter, site.together, site.live, proof.proof, proof.handover),
    "check": (site.before, site.found, proof.proof, proof.clock, proof.handover),
    "fault": (site.before, site.found, proof.proof, proof.handover),
}  # fmt: skip
"""What each kind of visit is made of; a full one has all of it."""


def run_of(job: Job, library: Library | None = None, visit: str = "") -> Run:
    """Return the run of a job; a pure function of job, library and kind of visit. A job without a bank has the steps that need none.

    Without a kind it is the full run. A visit has the steps whose facts are wanted and do not stand: entries start from what was
    found and read back, which the job carries.
    """
    library = library or shipped_library()
    kind = visit if visit in VISITS else "full"
    shown = as_entered(job, library)
    solved = solve(job if kind == "full" else shown, library)
    profiles: dict[str, MenuProfile] = {}
    for unit in job.units:
        if (p := unit_profile(unit, library)) is not None:
            profiles[unit.id] = p
    for charger in job.sun.chargers:
        if (c := charger_profile(charger, library)) is not None:
            profiles[charger.id] = c
    breakers = breakers_of(job, profiles)
    followers = [u.id for u in job.units if u.role == "follower"]
    closing = list(solved.bank.closing.order) if solved.bank and solved.bank.closing else [m.id for m in job.bank.modules]
    order = isolating(breakers, followers)
    modules = sorted((b for b in order if b.side == "module"), key=lambda b: -closing.index(b.device) if b.device in closing else 1)
    order = [b for b in order if b.side != "module"] + modules
    tried = [f for f in trial(solved).findings() if f.severity == "stop"]
    stopped = [f.title for f in (*findings_of(solved), *tried) if f.severity == "stop"]
    whole = Steps(job, library, solved, breakers, order, stopped, kind)
    for add in PARTS.get(kind, ALL_PARTS):
        add(whole)
    rank = {id: i for i, id in enumerate(SECTIONS)}
    made = wanted(kind, sorted(whole.made, key=lambda s: rank[s.section]), shown)
    sections = [RunSection(id=id, word=word) for id, word in SECTIONS.items() if any(s.section == id for s in made)]
    return Run(
        job=job.name,
        sections=sections,
        steps=made,
        breakers=breakers,
        derived=not job.breakers,
        isolating=[b.id for b in order],
        picture=one_line(job, breakers, [b.id for b in order]),
        stopped=stopped,
        visit=kind,
        visits=list(VISITS),
        proposed=proposed(shown, solved),
    )


def as_entered(job: Job, library: Library) -> Job:
    """Return a job whose found values are what its devices show now: what was found, over it what was entered and read back since."""
    found = {d: dict(v) for d, v in job.as_found.items()}
    for device, marks in job.sheet_marks.items():
        profile = profile_of(job, device, library)
        ids = {s.id for s in profile.settings} if profile is not None else set()
        for key, mark in marks.items():
            now = mark.read_back or (mark.entered if mark.state == "done" else None)
            if key in ids and now is not None:
                found.setdefault(device, {})[key] = now
    return job if found == job.as_found else job.model_copy(update={"as_found": found})


def wanted(kind: str, steps: Sequence[RunStep], job: Job) -> list[RunStep]:
    """Return the steps of a visit: those that are wanted, with what they need among them; what stands already is not needed again."""
    if kind == "full":
        return list(steps)
    touched = {d for s in steps if s.lines for d in s.devices}

    def keeps(s: RunStep) -> bool:
        if s.id == GATE:
            return True
        if s.section == "before":
            return s.id == "before:papers" or (kind != "settings" and s.id in ("before:people", "before:meters"))
        if kind == "settings":
            if s.section == "found":
                return s.id.startswith("found:settings:") and not job.as_found.get(s.devices[0])
            return (
                (s.section == "enter" and bool(set(s.devices) & touched))
                or (s.section == "clock" and any(line.label for x in steps for line in x.lines if ":win" in line.id))
                or s.id in ("handover:lock", "follow:day")
            )
        if kind == "part":
            return s.section not in ("proof", "clock") or s.id in ("proof:share", "proof:same", "proof:resistance")
        if kind == "check":
            return (s.section in ("proof", "clock") and s.temporary is None and not s.optional) or s.id.startswith(
                ("found:faults", "found:photo", "recheck:", "follow:")
            )
        return s.section == "found" or s.id.startswith("proof:faults") or s.id in ("proof:same", "handover:lock", "follow:day")

    kept = [s for s in steps if keeps(s)]
    ids = {s.id for s in kept}
    return [s.model_copy(update={"needs": _through(s, {x.id: x for x in steps}, ids)}) for s in kept]


def _through(step: RunStep, by_id: Mapping[str, RunStep], kept: set[str]) -> list[str]:
    """Return what a step needs among the kept steps: its needs, or what those need in turn."""
    out: dict[str, None] = {}
    seen: set[str] = set()
    line = list(step.needs)
    while line:
        id = line.pop(0)
        if id in seen:
            continue
        seen.add(id)
        if id in kept:
            out[id] = None
        elif id in by_id:
            line += by_id[id].needs
    return list(out)


def proposed(job: Job, solved: Solved) -> str:
    """Return the kind of visit that fits what is known: full where nothing was ever entered, part for what is new, settings, else a check."""
    known = {id for id, found in job.as_found.items() if found} | {id for id, marks in job.sheet_marks.items() if marks}
    if not any(marks for marks in job.sheet_marks.values()):
        return "full"
    if any(u.id not in known for u in job.units):
        return "part"
    for device in solved.devices:
        planned = planned_entries(device, solved)
        found = job.as_found.get(device.id, {})
        settings = {s.id: s for s in device.profile.settings}
        if any(id in found and not same_display(settings[id], found[id], text, device.profile) for id, text in planned.items()):
            return "settings"
    return "check"


def standing(steps: Sequence[RunStep], statuses: Mapping[str, str]) -> dict[str, Standing]:
    """Return where each step stands: what its events say, else ready, waiting for a need, or blocked by a failed one.

    ``statuses`` are those of a folded state by step. A failed step, and one whose temporary change is not put back, blocks
    exactly what depends on it, directly or through others. The browser does the same (web/src/record/standing.ts).
    """
    statuses = of_pages(steps, statuses)
    by_id = {s.id: s for s in steps}
    blocked: dict[str, bool] = {}

    def is_blocked(id: str) -> bool:
        if id not in blocked:
            blocked[id] = False  # a graph has no circle; this keeps a broken one from going round
            needs = by_id[id].needs if id in by_id else []
            blocked[id] = any(statuses.get(n) in ("failed", "open") or is_blocked(n) for n in needs)
        return blocked[id]

    out: dict[str, Standing] = {}
    for s in steps:
        status = statuses.get(s.id, "")
        if status in (*FINISHED, "failed", "open"):
            out[s.id] = status  # type: ignore[assignment]
        elif is_blocked(s.id):
            out[s.id] = "blocked"
        elif any(statuses.get(n) not in FINISHED for n in s.needs):
            out[s.id] = "waiting"
        else:
            out[s.id] = status or "ready"  # type: ignore[assignment]
    return out


def with_lines(steps: Sequence[RunStep], statuses: Mapping[str, str]) -> dict[str, str]:
    """Return where each step stands, and what became of each line of a page, for paper."""
    return {line.id: statuses.get(line.id, "") for s in steps for line in s.lines} | standing(steps, statuses)


def waits_for(steps: Sequence[RunStep], id: str) -> list[str]:
    """Return the steps that wait for one, directly or through others, in the order of the run."""
    waiting = {id}
    for s in steps:
        if waiting & set(s.needs):
            waiting.add(s.id)
    return [s.id for s in steps if s.id in waiting and s.id != id]


def open_breakers(run: Run, state: Mapping[str, Any]) -> set[str]:
    """Return the breakers that are open in a state: those whose opening was done and not undone by a later closing."""
    latest: dict[str, tuple[str, bool]] = {}
    for s in run.steps:
        told = state["steps"].get(s.id)
        if s.breaker and told and told["status"] in ("done", "overridden") and told["at"] >= latest.get(s.breaker, ("", False))[0]:
            latest[s.breaker] = (told["at"], s.opens)
    return {id for id, (_, opens) in latest.items() if opens}


def open_points(run: Run, state: Mapping[str, Any]) -> list[str]:
    """Return what is not finished, in words: failed and overridden steps, open changes, tests that nobody made."""
    now = standing(run.steps, statuses_of(state, run.steps))
    held = state["steps"]
    words = {
        "failed": "failed",
        "open": "not put back",
        "overridden": "overridden",
        "unsure": "could not be told",
        "begun": "begun, not finished",
    }
    out = []
    for s in run.steps:
        where = now[s.id]
        if where in words:
            told = held.get(s.id) or next((held[line.id] for line in s.lines if line.id in held), None)
            why = told["override"]["text"] if told is not None and where == "overridden" and told["override"] else ""
            out.append(f"{s.title}: {words[where]}" + (f" ({why})" if why else ""))
        elif where == "skipped":
            out.append(f"{s.title}: left out ({held[s.id]['reason']})")
        elif s.proof and where in ("ready", "waiting", "blocked"):
            out.append(f"{s.title}: not made")
        for a in s.asks:
            shown = held.get(s.id, {}).get("readings", {}).get(a.name, {}).get("shown")
            if shown and shown in a.opens:
                out.append(f"{s.title}: {shown}")
        out += [f"{line.label} ({s.devices[0]}): left out" for line in s.lines if held.get(line.id, {}).get("status") == "skipped"]
    return out


def why_not_closed(run: Run, state: Mapping[str, Any]) -> list[str]:
    """Return what keeps a visit from being signed off: temporary changes that are not put back, failed steps nobody answered for."""
    titles = {s.id: s.title for s in run.steps} | {line.id: line.label for s in run.steps for line in s.lines}
    titles |= {c.id: f"{s.title}, {c.label}" for s in run.steps for c in s.changes}
    firm = {s.id for s in run.steps if s.firm}
    gated = {s.id: s for s in run.steps if any(a.gate is not None for a in s.asks)}
    gone_on = state["steps"].get(GATE, {}).get("override")
    out = (
        []
        if gone_on or not run.stopped
        else [f"The plan stops: {'; '.join(run.stopped[:3])}. Mend it, or go on at its gate by name and reason"]
    )
    for id, step in state["steps"].items():
        if step["status"] == "open":
            out.append(f"{titles.get(id, id)}: put back what was changed for the test, and read it back")
        elif step["status"] == "done" and id in gated and (wrong := _not_good(gated[id], step)):
            out.append(f"{titles[id]}: {wrong}")
        elif step["status"] == "failed" or (id in firm and step["status"] in ("overridden", "skipped")):
            out.append(f"{titles.get(id, id)}: failed; make it good, or override it with a reason")
    return out


def _not_good(step: RunStep, told: Mapping[str, Any]) -> str:
    """Return which reading of a step that is called done lies outside its gate, whatever it was claimed to be; empty where none does."""
    for a in step.asks:
        r = told["readings"].get(a.name)
        if a.gate is None or r is None or r["value"] is None or r["verdict"] == "fail":
            continue
        meter = Meter.model_validate(r["meter"], strict=False) if r["meter"] else None
        if judge_gate(a.gate, r["value"], meter, a.unit, a.compared).verdict == "fail":
            return f"{a.label} {r['shown']} {a.unit} is not good; measure again"
    return ""


def needs_met(steps: Iterable[RunStep]) -> bool:
    """Return whether every step stands after all it needs."""
    seen: set[str] = set()
    for s in steps:
        if not set(s.needs) <= seen:
            return False
        seen.add(s.id)
    return True
