"""``ewerer verify``: whether a sealed handover is unaltered; needs no database."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from ..core.record.signing import Verified, verify, verify_file
from ..core.trade.errors import DocumentError, Problem
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
    found = _verified(args.file, args.key)
    if args.json:
        write((json.dumps(found.to_data(), indent=2, ensure_ascii=False) + "\n").encode(), None)
    else:
        lines = [WORDS[found.verdict], *(f"  {plain(p)}" for p in found.problems)]
        if found.fingerprint:
            lines += [f"Sealed with the key {found.fingerprint}"]
        if found.verdict == "unaltered" and not args.key:
            lines += [
                "No key was compared: anybody can seal a file with a key of their own. Give the fingerprint on the paper with --key."
            ]
        lines += [f"{plain(k)}: {plain(v)}" for k, v in found.about.items() if v not in ("", None)]
        write(("\n".join(lines) + "\n").encode(), None)
    return 0 if found.verdict == "unaltered" else STOPPED


def _verified(path: str, key: str) -> Verified:
    if path == "-":
        return verify(read(path, MAX_FILE_BYTES), key)
    try:
        return verify_file(Path(path), key)
    except OSError as error:
        raise DocumentError(
            [Problem(pointer="", message=f"cannot read {path}: {error.strerror}", expected="a file that can be read")]
        ) from None


def plain(value: object) -> str:
    """Return what a file says of itself as one line without signs that a terminal obeys."""
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in str(value))
