"""``ewerer person``, ``backup``, ``restore`` and ``doctor``: what is done with a data folder from a terminal."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from ...core.trade.errors import DocumentError
from .serve import leave, settle, up_to_date


def run(args: argparse.Namespace) -> int:
    """Carry out a command; 2 where it is refused, 1 where the doctor finds something to do."""
    os.environ.setdefault("EWERER_SECRET_KEY", "only-to-look-" + "x" * 40)
    wanted = Path(args.data or os.environ.get("EWERER_DATA") or Path.home() / ".ewerer")
    if args.command != "person" and not wanted.is_dir():
        print(f"ewerer: there is no folder {wanted}; start `ewerer serve` once, or give --data", file=sys.stderr)
        return 1 if args.command == "doctor" else 2
    folder = settle(args.data, close=args.command != "doctor")
    if folder is None:
        return 2
    if args.command == "doctor":
        return _doctor(folder)
    from .backup import BackupError

    try:
        return _person(args, folder) if args.command == "person" else _copy(args, folder)
    except DocumentError as error:
        print("\n".join(f"ewerer: {p}" for p in error.problems), file=sys.stderr)
    except BackupError as error:
        print(f"ewerer: {error}; nothing was changed", file=sys.stderr)
    finally:
        leave()
    return 2


def _doctor(folder: Path) -> int:
    from .doctor import examine

    bad = 0
    for found in examine(folder):
        bad += not found.good
        print(f"{'ok    ' if found.good else 'TO DO '} {found.what}" + (f"\n       {found.to_do}" if found.to_do else ""))
    return 1 if bad else 0


def _person(args: argparse.Namespace, folder: Path) -> int:
    if not up_to_date(folder):
        return 2
    from ..crews.roles import Role
    from . import people

    if args.act == "add":
        print(people.add(args.name, args.crew, Role(args.role) if args.role else None))
    elif args.act == "password":
        print(people.set_password(args.name))
    else:
        print(people.people())
    return 0


def _copy(args: argparse.Namespace, folder: Path) -> int:
    from .backup import back_up, restore

    file = Path(args.file)
    if args.command == "backup":
        print(f"{file}: {back_up(file) / 1000:.0f} kB, checked")
        return 0
    kept = restore(file)
    if not up_to_date(folder):
        return 2
    print(f"{file} is in place; what was there before is in {kept}")
    return 0
