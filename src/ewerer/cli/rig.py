"""``ewerer rig``: stand-ins of a job on this machine, with faults by switch."""

from __future__ import annotations

import argparse

from ..core.devices.library import parse_job
from ..core.trade.errors import DocumentError, Problem
from ..rig.faults import FAULTS
from ..rig.rig import Rig, RigError
from ..rig.serve import serve
from .files import library, read


def run(args: argparse.Namespace) -> int:
    """Run the stand-ins of a job until the input ends."""
    held = library(args.library)
    unknown = [f for f in args.fault or [] if f not in FAULTS]
    if unknown:
        raise DocumentError(
            [Problem(pointer="/fault", message="no such fault", value=unknown[0], expected="one of " + ", ".join(FAULTS))]
        )
    try:
        rig = Rig(parse_job(read(args.job), held), held, args.fault or [], args.speed, args.seed, args.entries)
    except RigError as error:
        raise DocumentError([Problem(pointer="", message=str(error), expected="a job that can be planned")]) from None
    return serve(rig, args.serial)
