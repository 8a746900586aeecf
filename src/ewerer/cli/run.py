"""``ewerer run``: the steps on site, as JSON or as a checklist."""

from __future__ import annotations

import argparse

from ..core.devices.library import parse_job
from ..core.pages.checklist import checklist_page
from ..core.record.fold import fold, read_events
from ..core.record.handover import laid_over
from ..core.record.lines import statuses_of
from ..core.record.run import run_of, standing, with_lines
from . import STOPPED
from .files import library, read, write

MAX_EVENTS_BYTES = 50_000_000


def run(args: argparse.Namespace) -> int:
    """Print the run; 3 where the plan holds a stop."""
    held = library(args.library)
    job = parse_job(read(args.job), held)
    state = fold(e.to_data() for e in read_events(read(args.events, MAX_EVENTS_BYTES))) if args.events else fold([])
    made = run_of(laid_over(job, state), held, args.visit)
    statuses = statuses_of(state, made.steps)
    where = standing(made.steps, statuses) if args.events else {}
    if args.format == "pdf":
        write(checklist_page(made, with_lines(made.steps, statuses), args.paper), args.output)
    else:
        text = made.model_dump_json(indent=2)
        if where:
            import json

            text = json.dumps({**json.loads(text), "standing": where}, indent=2, ensure_ascii=False)
        write((text + "\n").encode(), args.output)
    return STOPPED if made.stopped else 0
