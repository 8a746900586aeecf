"""``ewerer simulate``: the energy ledger of some days; the series as CSV."""

from __future__ import annotations

import argparse

from ..core.devices.library import parse_job
from ..core.plan import plan
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the ledger, write the series where asked; 3 where the plan holds a stop."""
    from ..core.flow.results import series_csv, simulate

    held = library(args.library)
    job = parse_job(read(args.job), held)
    made = simulate(job, held, args.days, args.step_s, record=True if args.output and args.days <= 31 else None)
    if args.output:
        write(series_csv(made), args.output)
    write((made.model_copy(update={"series": None}).model_dump_json(indent=2) + "\n").encode(), None)
    return STOPPED if plan(job, held).worst() == "stop" else 0
