"""``ewerer schema``: JSON Schema of job, profile, plan or event."""

from __future__ import annotations

import argparse
import json

from ..core.documents.schema import schema
from .files import write


def run(args: argparse.Namespace) -> int:
    """Print a JSON Schema."""
    write((json.dumps(schema(args.kind), indent=2) + "\n").encode(), args.output)
    return 0
