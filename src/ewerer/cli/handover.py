"""``ewerer handover``: everything that is left behind, as one sealed file."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from ..core.devices.library import parse_job
from ..core.record.fold import read_events
from ..core.record.handover import handover
from ..core.record.photos import kept
from ..core.record.signing import crew_key
from ..core.trade.errors import DocumentError, Problem
from .files import library, read, write
from .run import MAX_EVENTS_BYTES


def run(args: argparse.Namespace) -> int:
    """Write the sealed zip; refused while a change made for a test is not put back."""
    held = library(args.library)
    job = parse_job(read(args.job), held)
    events = [e.to_data() for e in read_events(read(args.events, MAX_EVENTS_BYTES))] if args.events else []
    home = Path(os.environ.get("EWERER_DATA") or Path.home() / ".ewerer")
    try:
        key = crew_key(Path(args.key) if args.key else home / "keys" / "crew.pem")
    except (OSError, ValueError) as error:
        raise DocumentError(
            [Problem(pointer="", message=f"cannot use the key: {error}", expected="an Ed25519 key in PEM, or a place to make one")]
        ) from None
    made = handover(
        job, held, events, key, args.crew, photos=_photos(args.photos), paper=args.paper, draft=args.draft or not events
    )
    write(made, args.out or args.output)
    return 0


def _photos(folder: str | None) -> dict[str, bytes]:
    if folder is None:
        return {}
    place = Path(folder)
    if not place.is_dir():
        raise DocumentError([Problem(pointer="", message=f"no such folder of photographs: {folder}", expected="a folder")])
    return {
        p.stem: kept(p.read_bytes()).data for p in sorted(place.iterdir()) if p.suffix.lower() in (".jpg", ".jpeg", ".png", ".webp")
    }
