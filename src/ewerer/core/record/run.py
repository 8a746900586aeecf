"""The run of a job: its steps as a graph, and where each stands in a state.

The ids and the order of steps depend on what they are about only, so that a change elsewhere in the job moves nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

from ..devices.library import Library, shipped_library
from ..devices.plates import charger_profile, unit_profile
from ..documents.job import Job
from ..documents.profiles import MenuProfile
from ..documents.results.run import Run, RunSection, RunStep
from ..stages.checks import findings_of
from ..stages.pipeline import solve
from . import proof, site
from .breakers import breakers_of, isolating
from .fold import FINISHED
from .oneline import one_line
from .steps import SECTIONS, Steps

Standing = Literal["done", "overridden", "skipped", "failed", "open", "unsure", "begun", "ready", "waiting", "blocked"]


def run_of(job: Job, library: Library | None = None) -> Run:
    """Return the run of a job; a pure function of job and library. A job without a bank has the steps that need none."""
    library = library or shipped_library()
    solved = solve(job, library)
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
    steps = Steps(job, library, solved, breakers, order)
    for add in (site.before, site.found, site.isolate, site.hardware, site.join, site.addresses, site.protocol, site.power,
                site.enter, site.sensor, site.live, proof.proof, proof.clock, proof.handover):  # fmt: skip
        add(steps)
    rank = {id: i for i, id in enumerate(SECTIONS)}
    made = sorted(steps.made, key=lambda s: rank[s.section])
    sections = [RunSection(id=id, word=word) for id, word in SECTIONS.items() if any(s.section == id for s in made)]
    return Run(
        job=job.name,
        sections=sections,
        steps=made,
        breakers=breakers,
        derived=not job.breakers,
        isolating=[b.id for b in order],
        picture=one_line(job, breakers, [b.id for b in order]),
        stopped=[f.title for f in findings_of(solved) if f.severity == "stop"],
    )


def standing(steps: Sequence[RunStep], statuses: Mapping[str, str]) -> dict[str, Standing]:
    """Return where each step stands: what its events say, else ready, waiting for a need, or blocked by a failed one.

    ``statuses`` are those of a folded state by step. A failed step, and one whose temporary change is not put back, blocks
    exactly what depends on it, directly or through others. The browser does the same (web/src/record/standing.ts).
    """
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


def statuses_of(state: Mapping[str, Any]) -> dict[str, str]:
    """Return the status of each step of a folded state."""
    return {id: str(step["status"]) for id, step in state["steps"].items()}


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
    now = standing(run.steps, statuses_of(state))
    words = {
        "failed": "failed",
        "open": "not put back",
        "overridden": "went on anyway",
        "unsure": "could not be told",
        "begun": "begun, not finished",
    }
    out = []
    for s in run.steps:
        where = now[s.id]
        if where in words:
            told = state["steps"][s.id]
            why = told["override"]["text"] if where == "overridden" and told["override"] else ""
            out.append(f"{s.title}: {words[where]}" + (f" ({why})" if why else ""))
        elif where == "skipped":
            out.append(f"{s.title}: left out ({state['steps'][s.id]['reason']})")
        elif s.proof and where in ("ready", "waiting", "blocked"):
            out.append(f"{s.title}: not made")
    return out


def why_not_closed(run: Run, state: Mapping[str, Any]) -> list[str]:
    """Return what keeps a visit from being signed off: temporary changes that are not put back, failed steps nobody answered for."""
    titles = {s.id: s.title for s in run.steps}
    out = []
    for id, step in state["steps"].items():
        if step["status"] == "open":
            out.append(f"{titles.get(id, id)}: put back what was changed for the test, and read it back")
        elif step["status"] == "failed":
            out.append(f"{titles.get(id, id)}: failed; make it good, or go on with a reason")
    return out


def needs_met(steps: Iterable[RunStep]) -> bool:
    """Return whether every step stands after all it needs."""
    seen: set[str] = set()
    for s in steps:
        if not set(s.needs) <= seen:
            return False
        seen.add(s.id)
    return True
