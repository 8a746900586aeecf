"""``ewerer windows``: each unit's slots and how they differ from the intent."""

from __future__ import annotations

import argparse

from ..core.devices.library import parse_job
from ..core.plan import plan
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print slots as JSON, or the intent as iCalendar."""
    held = library(args.library)
    job = parse_job(read(args.job), held)
    if args.format == "ics":
        from ..core.pages.calendar import calendar

        write(calendar(job), args.output)
        return 0
    made = plan(job, held)
    write((made.windows.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if made.worst() == "stop" else 0
