"""``ewerer trial``: what the units do by their entries in every situation that matters, as JSON or as a table."""

from __future__ import annotations

import argparse
import csv
import io

from ..core.behaviour.trial import told
from ..core.devices.library import parse_job
from ..core.stages.pipeline import solve
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the trial; 3 where a promise is broken."""
    held = library(args.library)
    made = told(solve(parse_job(read(args.job), held), held), args.as_found)
    if args.format == "csv":
        out = io.StringIO()
        rows = csv.DictWriter(out, list(type(made.rows[0]).model_fields) if made.rows else ["when"], lineterminator="\r\n")
        rows.writeheader()
        rows.writerows(r.model_dump() | {"broken": " ".join(r.broken)} for r in made.rows)
        write(out.getvalue().encode(), args.output)
    else:
        write((made.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if made.broken else 0
