"""The command line: ``ewerer plan``, ``sheet``, ``schema``. Exit codes 0, 3 (a stop finding), 2 (input refused), 1."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path

from pydantic import TypeAdapter

from .documents import DocumentError, InverterProfile, Job, Plan, Problem, Profile
from .documents.plan import UnitSheet
from .library import Library, parse_job, shipped_library
from .plan import plan

REFUSED, STOPPED = 2, 3


def schema(kind: str) -> dict[str, object]:
    """Return the JSON Schema of ``job``, ``profile`` (any of the three kinds) or ``plan``."""
    if kind == "profile":
        return {"title": "Profile", **TypeAdapter(Profile).json_schema(by_alias=True)}
    if kind == "plan":
        return Plan.model_json_schema(by_alias=True, mode="serialization")
    return Job.model_json_schema(by_alias=True)


def _read(path: str) -> bytes:
    try:
        return sys.stdin.buffer.read() if path == "-" else Path(path).read_bytes()
    except OSError as error:
        raise DocumentError(
            [Problem(pointer="", message=f"cannot read {path}: {error.strerror}", expected="a file that can be read")]
        ) from None


def _library(folder: str | None) -> Library:
    return shipped_library().with_folder(Path(folder)) if folder else shipped_library()


def _write(data: bytes, path: str | None) -> None:
    if path and path != "-":
        try:
            Path(path).write_bytes(data)
        except OSError as error:
            raise DocumentError(
                [Problem(pointer="", message=f"cannot write {path}: {error.strerror}", expected="a place to write")]
            ) from None
    else:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()


def _plan_command(args: argparse.Namespace) -> int:
    made = plan(parse_job(_read(args.job), library := _library(args.library)), library)
    _write((made.model_dump_json(indent=None if args.compact else 2) + "\n").encode(), args.output)
    return STOPPED if made.worst() == "stop" else 0


def _sheet_command(args: argparse.Namespace) -> int:
    library = _library(args.library)
    job = parse_job(_read(args.job), library)
    made = plan(job, library)
    unit = find_sheet(job, made, args.unit)
    from .export import sheet_bytes

    if args.format in ("xlsx", "pdf") and not args.output and sys.stdout.isatty():
        raise DocumentError(
            [Problem(pointer="", message=f"{args.format} cannot be shown on a terminal", expected=f"-o FILE.{args.format}")]
        )
    if args.format == "pdf":
        from .pages import sheet_page
        from .visit import unit_order

        _write(sheet_page(job, unit, unit_order(job, args.unit, library), args.paper), args.output)
    else:
        _write(sheet_bytes(job, unit, args.format), args.output)
    return STOPPED if made.worst() == "stop" else 0


def _order_command(args: argparse.Namespace) -> int:
    from .as_found import parse_found
    from .visit import unit_order

    library = _library(args.library)
    job = parse_job(_read(args.job), library)
    found = None
    if args.as_found:
        unit = next((u for u in job.units if u.id == args.unit), None)
        profile = library.get(unit.profile, InverterProfile) if unit else None
        if profile is None:
            known = ", ".join(u.id for u in job.units) or "none"
            raise DocumentError([Problem(pointer="/units", message="no such unit", value=args.unit, expected=f"one of {known}")])
        found, problems = parse_found(profile, _read(args.as_found))
        if problems:
            raise DocumentError(p.model_copy(update={"pointer": f"{args.as_found} {p.pointer}"}) for p in problems)
    made = unit_order(job, args.unit, library, found)
    _write((made.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if made.blocked or plan(job, library).worst() == "stop" else 0


def _windows_command(args: argparse.Namespace) -> int:
    library = _library(args.library)
    job = parse_job(_read(args.job), library)
    if args.format == "ics":
        from .windows import calendar

        _write(calendar(job), args.output)
        return 0
    made = plan(job, library)
    _write((made.windows.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if made.worst() == "stop" else 0


def _simulate_command(args: argparse.Namespace) -> int:
    from .flow.results import series_csv, simulate

    if args.step_s % 60 or not 60 <= args.step_s <= 3600 or 3600 % args.step_s:
        raise DocumentError(
            [
                Problem(
                    pointer="/step-s", message="no such step", value=args.step_s, expected="60, 300, 600, 900, 1800 or 3600 seconds"
                )
            ]
        )
    library = _library(args.library)
    job = parse_job(_read(args.job), library)
    made = simulate(job, library, args.days, args.step_s // 60, record=True if args.output and args.days <= 31 else None)
    if args.output:
        _write(series_csv(made), args.output)
    _write((made.model_copy(update={"series": None}).model_dump_json(indent=2) + "\n").encode(), None)
    return STOPPED if plan(job, library).worst() == "stop" else 0


def find_sheet(job: Job, made: Plan, unit: str) -> UnitSheet:
    """Return the sheet of ``unit``; raise :class:`DocumentError` saying why there is none."""
    for sheet in made.units:
        if sheet.id == unit:
            return sheet
    known = ", ".join(u.id for u in job.units) or "none"
    if any(u.id == unit for u in job.units):
        first = next((f for f in made.findings if f.severity == "stop"), None)
        raise DocumentError(
            [
                Problem(
                    pointer=first.at if first else "/units",
                    message="no sheet can be made yet" + (f": {first.title}" if first else ""),
                    expected=first.fix if first else "a complete job",
                )
            ]
        )
    raise DocumentError([Problem(pointer="/units", message="no such unit", value=unit, expected=f"one of {known}")])


def _schema_command(args: argparse.Namespace) -> int:
    _write((json.dumps(schema(args.kind), indent=2) + "\n").encode(), args.output)
    return 0


def parser() -> argparse.ArgumentParser:
    """Return the parser of the whole command line, the server's commands included."""
    top = argparse.ArgumentParser(
        prog="ewerer",
        description="Plans and records the commissioning of lithium banks and inverter-chargers.",
        epilog="Exit codes: 0 done; 3 done, with a stop finding; 2 input refused; 1 a defect of Ewerer's own.",
    )
    commands = top.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def job_command(name: str, help: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=help)
        sub.add_argument("job", metavar="JOB.json", help="a job document; - reads standard input")
        sub.add_argument("--library", metavar="DIR", help="a folder of further profiles")
        sub.add_argument("-o", "--output", metavar="FILE", help="write to FILE instead of standard output")
        return sub

    p = job_command("plan", "print the plan as JSON")
    p.add_argument("--compact", action="store_true", help="one line, no indent")
    p.set_defaults(run=_plan_command)
    s = job_command("sheet", "print one unit's sheet")
    s.add_argument("--unit", required=True, metavar="ID")
    s.add_argument("--format", choices=["json", "csv", "xlsx", "pdf"], default="json")
    s.add_argument("--paper", choices=["A4", "Letter"], default="A4", help="paper of the pdf")
    s.set_defaults(run=_sheet_command)
    o = job_command("order", "print the order of entry of one unit as JSON")
    o.add_argument("--unit", required=True, metavar="ID")
    o.add_argument(
        "--as-found", metavar="FILE.csv", help="what the unit shows: columns setting,value; the job's own notes by default"
    )
    o.set_defaults(run=_order_command)
    w = job_command("windows", "print each unit's slots and how they differ from the intent")
    w.add_argument("--format", choices=["json", "ics"], default="json")
    w.set_defaults(run=_windows_command)
    f = job_command("simulate", "print the energy ledger; -o writes the series as CSV")
    f.add_argument("--days", type=int, default=1, metavar="N")
    f.add_argument("--step-s", type=int, default=60, metavar="S")
    f.set_defaults(run=_simulate_command)
    c = commands.add_parser("schema", help="print a JSON Schema")
    c.add_argument("kind", choices=["job", "profile", "plan"])
    c.add_argument("-o", "--output", metavar="FILE")
    c.set_defaults(run=_schema_command)
    for name, help in (("demo", "serve with demo data on loopback"), ("serve", "serve the web application")):
        d = commands.add_parser(name, help=help)
        d.add_argument("--port", type=int, default=8017)
        d.add_argument("--data", metavar="DIR", help="where the database is kept")
        if name == "serve":
            d.add_argument("--host", default="127.0.0.1")
    return top


def run(args: argparse.Namespace) -> int:
    """Run a parsed command of the core; print refusals on standard error."""
    try:
        return int(args.run(args))
    except DocumentError as error:
        for problem in error.problems:
            print(f"ewerer: {problem}", file=sys.stderr)
        return REFUSED
    except BrokenPipeError:
        return 0


def main(argv: Sequence[str] | None = None) -> int:
    """Parse ``argv`` and run a core command."""
    return run(parser().parse_args(argv))
