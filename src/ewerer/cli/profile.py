"""``ewerer profile``: a manual's table as JSON, and the judgement of profiles that a shared folder's checks run on."""

from __future__ import annotations

import argparse
import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from ..core.devices.lacks import lacks
from ..core.devices.library import parse_profile
from ..core.devices.manual import read_table
from ..core.trade.errors import DocumentError, Problem
from . import REFUSED
from .files import read, write


def run(args: argparse.Namespace) -> int:
    """Read a table or check profiles."""
    return _read(args) if args.act == "read" else _check(args)


def _read(args: argparse.Namespace) -> int:
    table = read_table(read(args.table), args.class_v, args.kind)
    write((table.model_dump_json(indent=2) + "\n").encode(), args.output)
    return 0


def _check(args: argparse.Namespace) -> int:
    """Print a line of JSON's list for each profile: what is wrong, what a plan lacks, which factory values are dangerous."""
    path = Path(args.path)
    files = sorted(path.rglob("*.json")) if path.is_dir() else [path]
    if not files:
        raise DocumentError(
            [Problem(pointer="", message=f"no profiles in {path}", expected="a folder with files that end in .json")]
        )
    out: list[dict[str, Any]] = []
    ids: dict[str, str] = {}
    refused = False
    for file in files:
        line: dict[str, Any] = {"file": file.name if file == path else file.relative_to(path).as_posix()}
        try:
            profile = parse_profile(read(str(file)))
            if profile.id in ids:
                raise DocumentError(
                    [
                        Problem(
                            pointer="/id",
                            message=f"{ids[profile.id]} has the same short name",
                            value=profile.id,
                            expected="a name of its own",
                        )
                    ]
                )
            ids[profile.id] = line["file"]
            found = lacks(profile)
            line |= {
                "id": profile.id,
                "kind": profile.version_tag.split("/")[0],
                "name": profile.name,
                "about": profile.about(),
                "problems": [],
            }
            line |= {
                "lacks": [x.model_dump() for x in found if x.kind == "lacking"],
                "dangers": [x.model_dump() for x in found if x.kind == "danger"],
            }
        except DocumentError as error:
            refused = True
            line["problems"] = [asdict(p) for p in error.problems]
            for p in error.problems:
                print(f"ewerer: {line['file']}: {p}", file=sys.stderr)
        out.append(line)
    write((json.dumps({"ewerer": "check/1", "profiles": out}, ensure_ascii=False, indent=2) + "\n").encode(), args.output)
    return REFUSED if refused else 0
