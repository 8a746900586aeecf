"""``ewerer plan``: the plan as JSON."""

from __future__ import annotations

import argparse

from ..core.devices.library import parse_job
from ..core.plan import plan
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the plan; 3 where it holds a stop."""
    held = library(args.library)
    made = plan(parse_job(read(args.job), held), held)
    write((made.model_dump_json(indent=None if args.compact else 2) + "\n").encode(), args.output)
    return STOPPED if made.worst() == "stop" else 0
