"""``ewerer verify``: whether a sealed handover is unaltered; needs no database."""

from __future__ import annotations

import argparse
import json

from ..core.record.signing import verify
from . import STOPPED
from .files import read, write

MAX_FILE_BYTES = 2_000_000_000
WORDS = {
    "unaltered": "Unaltered, every byte.",
    "altered": "ALTERED.",
    "other-key": "Unaltered, but sealed with another key than the one expected.",
    "unreadable": "Not a handover that can be read.",
}


def run(args: argparse.Namespace) -> int:
    """Say the verdict; 3 unless the file is unaltered."""
    found = verify(read(args.file, MAX_FILE_BYTES), args.key)
    if args.json:
        write((json.dumps(found.to_data(), indent=2, ensure_ascii=False) + "\n").encode(), None)
    else:
        lines = [WORDS[found.verdict], *(f"  {p}" for p in found.problems)]
        if found.fingerprint:
            lines += [f"Sealed with the key {found.fingerprint}"]
        lines += [f"{k}: {v}" for k, v in found.about.items() if v not in ("", None)]
        write(("\n".join(lines) + "\n").encode(), None)
    return 0 if found.verdict == "unaltered" else STOPPED
