"""``ewerer practice``: a drawn site with hidden faults, as a file that a trainer hands on; or a try, line by line."""

from __future__ import annotations

import argparse
import json
import random
import sys

from ..core.trade.errors import DocumentError
from ..rig.practice import MOST_SEED, draw, play
from .files import write


def run(args: argparse.Namespace) -> int:
    """Print a drawn scenario; with ``--play`` take acts as lines of JSON and print the state after each."""
    seed = args.seed if args.seed is not None else random.SystemRandom().randrange(MOST_SEED)
    scenario = draw(seed, args.level).document()
    if not args.play:
        write((json.dumps(scenario, indent=2) + "\n").encode(), args.output)
        return 0
    acts: list[dict[str, object]] = []
    print(json.dumps(play(scenario, acts)), flush=True)
    for line in sys.stdin:
        if not line.strip():
            continue
        try:
            act = json.loads(line)
            told = play(scenario, [*acts, act if isinstance(act, dict) else {"do": act}])
        except (ValueError, DocumentError) as error:
            print(json.dumps({"refused": str(error)}), flush=True)
            continue
        acts.append(act)
        print(json.dumps(told), flush=True)
        if told["over"]:
            break
    return 0
