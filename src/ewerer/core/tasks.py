"""Plans, papers and readings as pure functions of text, so that any process can carry them out."""

from __future__ import annotations

import gzip
import hashlib
import json
import os
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any, Literal, cast

from .behaviour.trial import try_job
from .devices.library import Library, parse_job, parse_profile, shipped_library
from .documents.job import Job
from .documents.profiles import AdapterProfile, InverterProfile, MenuProfile, SunChargerProfile
from .documents.results.base import PlanPart
from .documents.results.plan import Plan
from .flow.measured import parse_series
from .pages.pdf import Paper
from .plan import find_sheet, plan
from .record.fold import State
from .record.handover import contents, facts_of
from .record.lines import statuses_of
from .record.logbook import header_of, read_log
from .record.photos import Photo, kept
from .record.record import record_of
from .record.run import run_of, why_not_closed, with_lines
from .record.signing import Verified, verify_file
from .stages.sheet.found import parse_found
from .trade.errors import DocumentError, Problem
from .trade.margins import ENOUGH_FULL_DAYS, NORMAL_CELLS
from .visit.working_list import unit_order

Own = tuple[tuple[str, int], ...]
"""A crew's own profiles as JSON text, each with the newest revision that is known of it."""
_parsed = lru_cache(maxsize=512)(parse_profile)
"""One text gives one profile, so that what a plan keeps with a profile is found again."""


@dataclass(frozen=True)
class Inputs:
    """A job and a crew's own profiles as text: all that what is computed of a job depends on."""

    document: str
    own: Own = ()

    @cached_property
    def key(self) -> str:
        """What a plan of it is kept by."""
        digest = hashlib.sha256(self.document.encode())
        for text, newest in self.own:
            digest.update(f"\n{newest}\n{text}".encode())
        return digest.hexdigest()

    def read(self) -> tuple[Job, Library]:
        """Return the job and the library again."""
        profiles = [(_parsed(text), newest) for text, newest in self.own]
        library = Library([*shipped_library(), *(p for p, _ in profiles)], {p.id: newest for p, newest in profiles})
        return Job.model_validate_json(self.document), library


def inputs_of(document: Job, library: Library) -> Inputs:
    """Return a job and a library as text."""
    shipped = {id(p) for p in shipped_library()}
    own = sorted((p for p in library if id(p) not in shipped), key=lambda p: p.id)
    texts = ((p.model_dump_json(by_alias=True, exclude_unset=True), library.newest(p.id) or p.revision) for p in own)
    return Inputs(document.model_dump_json(by_alias=True, exclude_unset=True), tuple(texts))


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


def plan_of(of: Inputs) -> tuple[bytes, dict[str, Any]]:
    """Return the plan of a job's JSON as compressed JSON (gzip), and what the list of jobs shows of it."""
    made = plan(*of.read())
    return _packed(made), _summary(made)


def simulation_of(of: Inputs, days: int, as_found: bool, lead_days: int) -> bytes:
    """Return some days of a job's JSON, simulated step by step, as compressed JSON (gzip)."""
    from .flow.results import simulate

    return _packed(simulate(*of.read(), days, as_found=as_found, lead_days=lead_days))


@dataclass(frozen=True, slots=True)
class Long:
    """What long work is done: its kind, a job's JSON and own profiles, those it is compared with, and how it is asked for."""

    kind: Literal["year", "advice", "gentlest", "compare", "sweep"]
    job: Inputs
    other: Inputs | None = None
    days: int = 365
    as_found: bool = False
    wanted: float = ENOUGH_FULL_DAYS
    weathers: int = 60
    vary: tuple[str, tuple[str, ...]] | None = None


def write_whole(path: Path, text: str) -> None:
    """Write a file so that whoever reads it finds all of it, or what was there before."""
    beside = path.with_name(f"{path.name}.{os.getpid()}.part")
    beside.write_text(text)
    beside.replace(path)


PROGRESS_S = 0.2
"""Least time between two notes of progress [s]."""


def long_work(of: Long, progress: str) -> str:
    """Return the result of long work as JSON; a word and a share (0..1) of how far it is are written to the file ``progress``."""
    from .flow import adviser, results, sweep

    last = 0.0

    def told(word: str, share: float) -> None:
        nonlocal last
        if time.monotonic() - last >= PROGRESS_S:
            last = time.monotonic()
            write_whole(Path(progress), json.dumps([word, share]))

    job, library = of.job.read()
    made: PlanPart
    if of.kind == "advice":
        made = adviser.advise(job, library, told=told)
    elif of.kind == "gentlest":
        made = results.gentlest_current(job, library, of.days, of.wanted, told=told)
    elif of.kind == "sweep":
        made = sweep.sweep(job, library, of.weathers, of.days, of.vary, told=told)
    elif of.kind == "compare":
        other = ("as found", job, library, True) if of.other is None else ("other", *of.other.read(), False)
        made = results.compare([("plan", job, library, False), other], of.days, told=told)
    else:
        made = results.simulate(job, library, of.days, record=False, as_found=of.as_found, told=told)
    return made.model_dump_json()


def menu_of(of: Inputs, device: str) -> MenuProfile | None:
    """Return the profile of a device of a job that has a menu, by the device's id; None where it has none, or there is no such device."""
    job, library = of.read()
    named: list[Any] = [*job.units, *job.sun.chargers, *([job.controller] if job.controller else []), *job.bank.modules]
    profile = next((d.profile for d in named if d.id == device), None)
    return library.menu(profile) if profile else None


def order_of(of: Inputs, unit: str) -> str:
    """Return the working list of a unit of a job's JSON as JSON; raises DocumentError where there is none."""
    job, library = of.read()
    return unit_order(job, unit, library).model_dump_json(by_alias=True)


def trial_of(of: Inputs, as_found: bool) -> str:
    """Return what the units do by their entries in every situation that matters, as JSON."""
    return try_job(*of.read(), as_found).model_dump_json()


def sheet_pdf(of: Inputs, unit: str, paper: Paper) -> bytes:
    """Return the working list of a unit as PDF; raises DocumentError where there is none."""
    from .pages.sheet import sheet_page

    job, library = of.read()
    return sheet_page(job, find_sheet(job, plan(job, library), unit), unit_order(job, unit, library), paper)


def shared_pages(of: Inputs, crew: str, revision: int, until: str) -> str:
    """Return the pages of a job that a link shows, as HTML; ``until`` is when it ends, in words."""
    from .pages.shared import shared_html

    job, library = of.read()
    return shared_html(job, plan(job, library), crew, revision, until)


def cable_pdf(of: Inputs, paper: Paper) -> bytes:
    """Return the cable card as PDF; raises DocumentError where there is none."""
    from .pages.cable import cable_page

    job, library = of.read()
    return cable_page(job, plan(job, library), paper)


def sheet_file(of: Inputs, unit: str, format: str) -> bytes:
    """Return a unit's sheet as json, csv or xlsx; raises DocumentError where there is none."""
    from .pages.export import sheet_bytes

    job, library = of.read()
    return sheet_bytes(job, find_sheet(job, plan(job, library), unit), format)


def run_of_job(of: Inputs, visit: str = "") -> str:
    """Return the run of a job for a kind of visit as JSON."""
    return run_of(*of.read(), visit).model_dump_json(by_alias=True)


def record_of_job(of: Inputs, state: State) -> str:
    """Return what is made of a job's events, folded to ``state``, as JSON."""
    job, library = of.read()
    return record_of(job, library, run_of(job, library), state).model_dump_json(by_alias=True)


def why_open(of: Inputs, state: State) -> list[str]:
    """Return why a visit may not be closed as it stands."""
    return why_not_closed(run_of(*of.read()), state)


def told_of(state: State) -> dict[str, dict[str, str]]:
    """Return what became of each step of a record, and what was entered at it: as much as a checklist needs."""
    return {id: {"status": step["status"], "shown": step["shown"]} for id, step in state["steps"].items()}


def run_pdf(of: Inputs, told: Mapping[str, Mapping[str, str]], paper: Paper) -> bytes:
    """Return the run as a checklist in PDF; ``told`` says what became of its steps."""
    from .pages.checklist import checklist_page

    run = run_of(*of.read())
    return checklist_page(run, with_lines(run.steps, statuses_of({"steps": told}, run.steps)), paper)


def handover_pdf(of: Inputs, events: Sequence[Mapping[str, Any]], crew: str, photos: Mapping[str, bytes], paper: Paper) -> bytes:
    """Return the pages of a handover of a job without its record, and its events, as things stand."""
    from .pages.handover import handover_page

    return handover_page(facts_of(*of.read(), events, crew, b"", photos), paper)


def handover_contents(
    of: Inputs,
    events: Sequence[Mapping[str, Any]],
    public: bytes,
    crew: str,
    revision: int,
    photos: Mapping[str, bytes],
    paper: Paper,
) -> tuple[dict[str, bytes], dict[str, Any]]:
    """Return what a handover holds but for its photographs, and what its manifest says; raises DocumentError while it may not be closed."""
    return contents(*of.read(), events, public, crew, revision, photos, paper)


def photo_kept(data: bytes) -> Photo:
    """Return what is kept of a photograph."""
    return kept(data)


def table_read(source: bytes, class_v: float | None, kind: str) -> str:
    """Return what a manual's table says, row by row, as JSON; ``class_v`` is the device's voltage class [V] where it is known."""
    from .devices.manual import read_table

    return read_table(source, class_v, kind).model_dump_json()


def registers_read(source: str, profile: str) -> str:
    """Return what a manual's table of registers says against a profile's menu (its JSON), row by row, as JSON."""
    from .devices.manual.registers import read_registers

    held = _parsed(profile)
    if isinstance(held, AdapterProfile):
        raise DocumentError([Problem(pointer="/profile", message="an adapter has no menu", expected="a device with settings")])
    return read_registers(source, held).model_dump_json(by_alias=True)


def file_verified(path: str, key: str) -> Verified:
    """Say whether the sealed handover in a file is unaltered."""
    return verify_file(Path(path), key)


def log_read(text: str, mapping: dict[str, str] | None) -> tuple[list[str], dict[str, str], list[dict[str, Any]], list[Problem]]:
    """Return the columns of an event list, what each is, its entries as plain data, and what could not be read."""
    columns, guessed = header_of(text)
    mapping = guessed if mapping is None else mapping
    try:
        entries, problems = read_log(text, mapping)
    except DocumentError as error:
        if not columns:
            raise
        entries, problems = [], error.problems  # nobody has said yet which column is which: that is asked, not refused
    return columns, mapping, [e.model_dump(mode="json", by_alias=True, exclude_none=True) for e in entries], problems


def found_read(profile: str, text: bytes) -> tuple[dict[str, str], list[Problem]]:
    """Return the found settings that a list says of a device, and the lines that could not be read."""
    return parse_found(cast(MenuProfile, _parsed(profile)), text)


def series_read(text: bytes, step_min: int) -> dict[str, Any]:
    """Return measured power from CSV."""
    return parse_series(text, step_min).model_dump(exclude_unset=True)


TRIED_CELL_V = 3.2
TRIED_MODULE = {"capacity_ah": 200, "resistance_mohm": 8, "charge_a": 100, "discharge_a": 150}
"""The module of an ordinary job on which a profile is tried [T]."""


def plan_tried(profile_json: str) -> str:
    """Return the order in which an ordinary plan is entered on a unit or sun charger of a profile, from its factory values, as JSON.

    The job is one device on two usual modules of its class, with loads and the mains: what nearly every such device meets.
    Raises DocumentError where such a profile plans nothing.
    """
    profile = parse_profile(profile_json)
    if not isinstance(profile, (InverterProfile, SunChargerProfile)) or not profile.settings:
        raise DocumentError(
            [Problem(pointer="", message="there is no menu to enter a plan on", expected="a unit or a sun charger with settings")]
        )
    cells = NORMAL_CELLS.get(round(profile.menu_class_v), max(1, round(profile.menu_class_v / TRIED_CELL_V)))
    module = {"series_cells": cells, **TRIED_MODULE}
    job: dict[str, Any] = {
        "ewerer": "job/2",
        "name": "An ordinary job",
        "bank": {"modules": [{"id": "M1", **module}, {"id": "M2", **module}]},
    }
    if isinstance(profile, InverterProfile):
        job |= {"units": [{"id": "U1", "profile": profile.id}], "mains": {"breaker_a": 32}}
    else:
        job |= {"sun": {"chargers": [{"id": "S1", "profile": profile.id, "array_w": 2000}]}}
    device = "U1" if isinstance(profile, InverterProfile) else "S1"
    library = Library([*shipped_library(), profile])
    return unit_order(parse_job(json.dumps(job), library), device, library).model_dump_json()


def log_kept(path: str, name: str, kept: str, mapping: dict[str, str | None] | None, of: Inputs) -> dict[str, Any]:
    """Read an uploaded log and keep its columns as Parquet at ``kept``; return what it holds."""
    from .logs import keeping
    from .logs.report import open_log

    log = open_log(Path(path), name, mapping, of.read()[0])
    keeping.save(log, Path(kept))
    return {"rows": log.rows, "bad_rows": log.bad_rows, "mapping": log.mapping, "span_s": float(log.t_s[-1])}


def log_report(kept: str, of: Inputs) -> str:
    """Return a kept log, judged against the plan of a job, as JSON."""
    from .logs import keeping
    from .logs.report import report

    job, library = of.read()
    return report(keeping.load(Path(kept)), job, plan(job, library)).model_dump_json(by_alias=True)


def log_series(kept: str, columns: list[str], from_s: float, to_s: float, most: int) -> str:
    """Return the lines of a stretch of a kept log as JSON."""
    from .logs import keeping

    return json.dumps(keeping.series(keeping.load(Path(kept)), columns, from_s, to_s, most))
