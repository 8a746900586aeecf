"""What is computed beside the server: pure functions of text, without the web framework, so that any process can carry them out."""

from __future__ import annotations

import gzip
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

from ..core.devices.library import Library, parse_profile, shipped_library
from ..core.documents import Job, Plan
from ..core.documents.results.base import PlanPart
from ..core.pages.pdf import Paper
from ..core.plan import find_sheet, plan
from ..core.record.fold import State
from ..core.record.handover import contents, facts_of
from ..core.record.record import record_of
from ..core.record.run import run_of, standing, why_not_closed
from ..core.visit.working_list import unit_order

Own = tuple[tuple[str, int], ...]
"""A crew's own profiles as JSON text, each with the newest revision that is known of it."""
_parsed = lru_cache(maxsize=512)(parse_profile)
"""One text gives one profile, so that what a plan keeps with a profile is found again."""


def _read(document: str, own: Own) -> tuple[Job, Library]:
    profiles = [(_parsed(text), newest) for text, newest in own]
    library = Library([*shipped_library(), *(p for p, _ in profiles)], {p.id: newest for p, newest in profiles})
    return Job.model_validate_json(document), library


def _summary(made: Plan) -> dict[str, Any]:
    counts = {s: sum(f.severity == s for f in made.findings) for s in ("stop", "caution", "note")}
    waits = next((f for f in made.findings if f.severity in ("stop", "caution")), None)
    return {
        **counts,
        "waits_for": waits.title if waits else "",
        "waits_stage": waits.stage if waits else "",
        "keys": {s.stage: s.key for s in made.stages if s.key},
    }


def _packed(made: PlanPart) -> bytes:
    return gzip.compress(made.model_dump_json(by_alias=True).encode(), 4, mtime=0)


def plan_of(document: str, own: Own) -> tuple[bytes, dict[str, Any]]:
    """Return the plan of a job's JSON as compressed JSON (gzip), and what the list of jobs shows of it."""
    made = plan(*_read(document, own))
    return _packed(made), _summary(made)


def simulation_of(document: str, own: Own, days: int, as_found: bool, lead_days: int) -> bytes:
    """Return some days of a job's JSON, simulated step by step, as compressed JSON (gzip)."""
    from ..core.flow.results import simulate

    return _packed(simulate(*_read(document, own), days, as_found=as_found, lead_days=lead_days))


@dataclass(frozen=True, slots=True)
class Long:
    """What long work is done: its kind, a job's JSON and own profiles, those it is compared with, and how it is asked for."""

    kind: Literal["year", "advice", "gentlest", "compare", "sweep"]
    job: tuple[str, Own]
    other: tuple[str, Own] | None = None
    days: int = 365
    as_found: bool = False
    wanted: float = 0.8
    weathers: int = 60
    vary: tuple[str, tuple[str, ...]] | None = None


def long_work(of: Long, told: Callable[[str, float], None]) -> str:
    """Return the result of long work as JSON; ``told`` hears a word and a share (0..1) as it goes on, and may raise to stop it."""
    from ..core.flow import adviser, results, sweep

    job, library = _read(*of.job)
    made: PlanPart
    if of.kind == "advice":
        made = adviser.advise(job, library, told=told)
    elif of.kind == "gentlest":
        made = results.gentlest_current(job, library, of.days, of.wanted, told=told)
    elif of.kind == "sweep":
        made = sweep.sweep(job, library, of.weathers, of.days, of.vary, told=told)
    elif of.kind == "compare":
        other = ("as found", job, library, True) if of.other is None else ("other", *_read(*of.other), False)
        made = results.compare([("plan", job, library, False), other], of.days, told=told)
    else:
        made = results.simulate(job, library, of.days, record=False, as_found=of.as_found, told=told)
    return made.model_dump_json()


def order_of(document: str, own: Own, unit: str) -> str:
    """Return the working list of a unit of a job's JSON as JSON; raises DocumentError where there is none."""
    job, library = _read(document, own)
    return unit_order(job, unit, library).model_dump_json(by_alias=True)


def sheet_pdf(document: str, own: Own, unit: str, paper: Paper) -> bytes:
    """Return the working list of a unit as PDF; raises DocumentError where there is none."""
    from ..core.pages.sheet import sheet_page

    job, library = _read(document, own)
    return sheet_page(job, find_sheet(job, plan(job, library), unit), unit_order(job, unit, library), paper)


def cable_pdf(document: str, own: Own, paper: Paper) -> bytes:
    """Return the cable card as PDF; raises DocumentError where there is none."""
    from ..core.pages.cable import cable_page

    job, library = _read(document, own)
    return cable_page(job, plan(job, library), paper)


def sheet_file(document: str, own: Own, unit: str, format: str) -> bytes:
    """Return a unit's sheet as json, csv or xlsx; raises DocumentError where there is none."""
    from ..core.pages.export import sheet_bytes

    job, library = _read(document, own)
    return sheet_bytes(job, find_sheet(job, plan(job, library), unit), format)


def run_of_job(document: str, own: Own) -> str:
    """Return the run of a job as JSON."""
    return run_of(*_read(document, own)).model_dump_json(by_alias=True)


def record_of_job(document: str, own: Own, state: State) -> str:
    """Return what is made of a job's events, folded to ``state``, as JSON."""
    job, library = _read(document, own)
    return record_of(job, library, run_of(job, library), state).model_dump_json(by_alias=True)


def why_open(document: str, own: Own, state: State) -> list[str]:
    """Return why a visit may not be closed as it stands."""
    return why_not_closed(run_of(*_read(document, own)), state)


def run_pdf(document: str, own: Own, statuses: Mapping[str, str], paper: Paper) -> bytes:
    """Return the run as a checklist in PDF; ``statuses`` says what became of its steps."""
    from ..core.pages.checklist import checklist_page

    run = run_of(*_read(document, own))
    return checklist_page(run, standing(run.steps, statuses), paper)


def handover_pdf(
    document: str, own: Own, events: Sequence[Mapping[str, Any]], crew: str, photos: Mapping[str, bytes], paper: Paper
) -> bytes:
    """Return the pages of a handover of a job without its record, and its events, as things stand."""
    from ..core.pages.handover import handover_page

    return handover_page(facts_of(*_read(document, own), events, crew, b"", photos), paper)


def handover_contents(
    document: str,
    own: Own,
    events: Sequence[Mapping[str, Any]],
    public: bytes,
    crew: str,
    revision: int,
    photos: Mapping[str, bytes],
    paper: Paper,
) -> tuple[dict[str, bytes], dict[str, Any]]:
    """Return what a handover holds but for its photographs, and what its manifest says; raises DocumentError while it may not be closed."""
    return contents(*_read(document, own), events, public, crew, revision, photos, paper)
