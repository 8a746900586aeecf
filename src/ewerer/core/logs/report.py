"""A log judged: what scripts and screens read of it (``log/1``)."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from ..documents.job import Job
from ..documents.results.log import LogReport
from ..documents.results.plan import Plan
from .find import find
from .judge import judge
from .propose import proposals
from .table import Log, read_table

__all__ = ["LogReport", "open_log", "report"]

MOST_SEGMENTS = 5000
MOST_GAPS = 500


def open_log(source: Path | bytes, name: str, mapping: Mapping[str, str | None] | None = None, job: Job | None = None) -> Log:
    """Return the log in a file of any kind: a table, or frames of a bus."""
    from .frames import is_frames, read_frames

    zone = job.site.time_zone if job is not None else None
    if is_frames(source, name):
        return read_frames(source, name)
    return read_table(source, name, mapping, zone)


def report(log: Log, job: Job | None = None, plan: Plan | None = None) -> LogReport:
    """Return a log judged; against the plan where it is given."""
    bank = plan.bank if plan is not None else None
    rung = plan.ladder.get("absorb_v") if plan is not None else None
    found = find(log, bank.capacity_ah if bank is not None else None, rung.value if rung is not None else None)
    t = log.t_s
    return LogReport.model_validate(
        {
            "rows": log.rows,
            "bad_rows": log.bad_rows,
            "from": log.at(0),
            "to": log.at(-1),
            "span_s": round(float(t[-1]), 3),
            "step_s": round(log.clock.step_s, 3),
            "gaps": [{"from": log.at(g.after), "to": log.at(g.after + 1)} for g in log.clock.gaps[:MOST_GAPS]],
            "columns": log.mapping,
            "notes": log.notes[:50],
            "segments": [
                {
                    "kind": s.kind,
                    "from": log.at(s.first),
                    "to": log.at(s.last),
                    "from_s": round(float(t[s.first]), 1),
                    "to_s": round(float(t[s.last]), 1),
                }
                for s in found.segments[:MOST_SEGMENTS]
            ],
            "figures": {k: {"value": f.value, "error": f.error} for k, f in found.figures.items()},
            "findings": [
                {
                    "what": f.what,
                    "verdict": f.verdict,
                    "from": log.at(f.first),
                    "to": log.at(f.last),
                    "from_s": round(float(t[f.first]), 1),
                    "to_s": round(float(t[f.last]), 1),
                    "figure": f.figure,
                    "planned": f.planned,
                    "message": f.message,
                }
                for f in judge(log, found, job, plan)
            ],
            "proposals": proposals(log, found, job, plan) if job is not None and plan is not None else [],
        }
    )
