"""``ewerer order``: from what a unit shows to the plan, step by step."""

from __future__ import annotations

import argparse
from dataclasses import replace

from ..core.devices.library import parse_job
from ..core.plan import device_ids, plan, profile_of
from ..core.stages.sheet.found import parse_found
from ..core.trade.errors import DocumentError, Problem
from ..core.visit.working_list import unit_order
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the order of entry; 3 where it is blocked or the plan holds a stop."""
    held = library(args.library)
    job = parse_job(read(args.job), held)
    found = None
    if args.as_found:
        profile = profile_of(job, args.unit, held)
        if profile is None:
            known = ", ".join(device_ids(job)) or "none"
            raise DocumentError([Problem(pointer="/units", message="no such unit", value=args.unit, expected=f"one of {known}")])
        found, problems = parse_found(profile, read(args.as_found))
        if problems:
            raise DocumentError(replace(p, pointer=f"{args.as_found} {p.pointer}") for p in problems)
    made = unit_order(job, args.unit, held, found)
    write((made.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if made.blocked or plan(job, held).worst() == "stop" else 0
