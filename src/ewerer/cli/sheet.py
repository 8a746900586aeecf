"""``ewerer sheet``: one unit's sheet as JSON, CSV, XLSX or PDF."""

from __future__ import annotations

import argparse
import sys

from ..core.devices.library import parse_job
from ..core.plan import find_sheet, plan
from ..core.trade.errors import DocumentError, Problem
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Write the sheet of one unit; 3 where the plan holds a stop."""
    held = library(args.library)
    job = parse_job(read(args.job), held)
    made = plan(job, held)
    unit = find_sheet(job, made, args.unit)
    if args.format in ("xlsx", "pdf") and not args.output and sys.stdout.isatty():
        raise DocumentError(
            [Problem(pointer="", message=f"{args.format} cannot be shown on a terminal", expected=f"-o FILE.{args.format}")]
        )
    if args.format == "pdf":
        from ..core.pages.sheet import sheet_page
        from ..core.visit.working_list import unit_order

        write(sheet_page(job, unit, unit_order(job, args.unit, held), args.paper), args.output)
    else:
        from ..core.pages.export import sheet_bytes

        write(sheet_bytes(job, unit, args.format), args.output)
    return STOPPED if made.worst() == "stop" else 0
