"""``ewerer fold``: the state of a stream of events."""

from __future__ import annotations

import argparse
import json

from ..core.record.fold import fold, read_events
from .files import read, write
from .run import MAX_EVENTS_BYTES


def run(args: argparse.Namespace) -> int:
    """Print the state as JSON."""
    state = fold(e.to_data() for e in read_events(read(args.events, MAX_EVENTS_BYTES)))
    write((json.dumps(state, indent=2, ensure_ascii=False) + "\n").encode(), args.output)
    return 0
