"""The command line, one file a command. Exit codes 0, 3 (a stop finding), 2 (input refused), 1 (a defect)."""

from __future__ import annotations

import argparse
import importlib
import sys
from collections.abc import Sequence

REFUSED, STOPPED = 2, 3


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
    s = job_command("sheet", "print one unit's sheet")
    s.add_argument("--unit", required=True, metavar="ID")
    s.add_argument("--format", choices=["json", "csv", "xlsx", "pdf"], default="json")
    s.add_argument("--paper", choices=["A4", "Letter"], default="A4", help="paper of the pdf")
    o = job_command("order", "print the order of entry of one unit as JSON")
    o.add_argument("--unit", required=True, metavar="ID")
    o.add_argument(
        "--as-found", metavar="FILE.csv", help="what the unit shows: columns setting,value; the job's own notes by default"
    )
    t = job_command("trial", "say what the units do by their entries in every situation that matters; 3 where a promise is broken")
    t.add_argument("--format", choices=["json", "csv"], default="json")
    t.add_argument("--as-found", action="store_true", help="by what was found on the units")
    w = job_command("windows", "print each unit's slots and how they differ from the intent")
    w.add_argument("--format", choices=["json", "ics"], default="json")
    f = job_command("simulate", "print the energy ledger; -o writes the series as CSV")
    f.add_argument("--days", type=int, default=1, metavar="N")
    f.add_argument("--step-s", type=int, default=60, metavar="S")
    v = job_command("sweep", "print the bands of many weathers as JSON")
    v.add_argument("--weathers", type=int, default=200, metavar="N", help="how many years of weather")
    v.add_argument("--days", type=int, default=365, metavar="N", help="days of each")
    v.add_argument(
        "--vary", metavar="FIELD=A,B,C", help="modules, array (W), reserve (0..1), amps (A), or a pointer such as /loads/daily_wh"
    )
    v.add_argument("--scheduler", metavar="tcp://HOST:PORT", help="run on a Dask cluster (extra part: ewerer[fleet])")
    r = job_command("run", "print the steps on site")
    r.add_argument("--format", choices=["json", "pdf"], default="json")
    r.add_argument(
        "--visit", choices=["full", "settings", "part", "check", "fault"], default="full", help="what kind of visit it is"
    )
    r.add_argument("--events", metavar="FILE.jsonl", help="events so far: each step is told with where it stands")
    r.add_argument("--paper", choices=["A4", "Letter"], default="A4", help="paper of the pdf")
    e = commands.add_parser("fold", help="print the state of a stream of events as JSON")
    e.add_argument("events", metavar="EVENTS.jsonl", help="one event a line; - reads standard input")
    e.add_argument("-o", "--output", metavar="FILE")
    h = job_command("handover", "make the sealed handover of a visit")
    h.add_argument("--events", metavar="FILE.jsonl", help="the events of the job")
    h.add_argument("--photos", metavar="DIR", help="a folder of photographs named by their ids")
    h.add_argument("--out", metavar="FILE", help="write the zip to FILE")
    h.add_argument("--key", metavar="FILE.pem", help="the crew's key, made where there is none; beside the data by default")
    h.add_argument("--crew", default="", metavar="NAME")
    h.add_argument("--draft", action="store_true", help="although changes are not put back or failed steps not answered")
    h.add_argument("--paper", choices=["A4", "Letter"], default="A4")
    y = commands.add_parser("verify", help="say whether a sealed handover is unaltered; 3 when it is not")
    y.add_argument("file", metavar="FILE.zip")
    y.add_argument("--key", default="", metavar="FINGERPRINT", help="the fingerprint on the paper")
    y.add_argument("--json", action="store_true", help="print the verdict as JSON")
    c = commands.add_parser("schema", help="print a JSON Schema")
    c.add_argument("kind", choices=["job", "profile", "plan", "event"])
    c.add_argument("-o", "--output", metavar="FILE")
    profiles = commands.add_parser("profile", help="profiles of devices").add_subparsers(
        dest="act", required=True, metavar="read|check"
    )
    m = profiles.add_parser("read", help="print what a manual's table of settings says, row by row, as JSON")
    m.add_argument("table", metavar="TABLE", help="text, CSV or XLSX; - reads standard input")
    m.add_argument("--kind", choices=["inverter", "module", "sun-charger"], default="inverter", help="whose menu it is")
    m.add_argument("--class-v", type=float, metavar="V", help="voltage class of the device; else its figures tell it")
    m.add_argument("-o", "--output", metavar="FILE")
    k = profiles.add_parser("check", help="judge profiles; 2 where one is refused")
    k.add_argument("path", metavar="FILE|DIR", help="a profile, or a folder of them")
    k.add_argument("-o", "--output", metavar="FILE")
    g = job_command("rig", "run stand-ins of a job on this machine: bus, registers, displays, faults")
    g.add_argument("--fault", action="append", metavar="NAME", help="a fault to begin with; again for more")
    g.add_argument("--speed", type=float, default=1.0, metavar="N", help="times real time, up to 600")
    g.add_argument("--seed", type=int, default=1, metavar="N")
    g.add_argument("--entries", choices=["planned", "found", "factory"], default="planned", help="what the devices show at first")
    g.add_argument("--serial", action="store_true", help="also a serial line, by a pseudo-terminal")
    n = commands.add_parser("log", help="judge a log: CSV, XLSX, Parquet, or frames of a bus; 3 where something is bad")
    n.add_argument("file", metavar="FILE", help="- reads standard input; a folder: every log below it, as one table")
    n.add_argument("--scheduler", metavar="tcp://...", help="judge a folder of logs on a Dask cluster")
    n.add_argument("--job", metavar="JOB.json", help="judge it against this job's plan")
    n.add_argument("--map", metavar="MAP.json", help='what columns hold: {"column": "volts", "other": null}')
    n.add_argument("--library", metavar="DIR", help="a folder of further profiles")
    n.add_argument("-o", "--output", metavar="FILE", help="write to FILE instead of standard output")
    x = commands.add_parser("practice", help="draw a site with hidden faults to practise on, as JSON")
    x.add_argument("--seed", type=int, metavar="N", help="the same number draws the same site; a new one where it is left out")
    x.add_argument("--level", type=int, choices=range(1, 6), default=1, help="1 one fault at one site, to 5 three faults")
    x.add_argument("--play", action="store_true", help="a try: acts come as lines of JSON, the state is printed after each")
    x.add_argument("-o", "--output", metavar="FILE", help="write to FILE instead of standard output")
    q = commands.add_parser("port", help="keep one port: read devices over a cable; lines of JSON ask and answer")
    q.add_argument("settings", metavar="SETTINGS.json")
    for name, help in (("demo", "serve with demo data on loopback"), ("serve", "serve the web application")):
        d = commands.add_parser(name, help=help)
        d.add_argument("--port", type=_port, default=8017)
        d.add_argument("--data", metavar="DIR", help="where the database is kept")
        if name == "serve":
            d.add_argument("--host", default="127.0.0.1")
    kept = argparse.ArgumentParser(add_help=False)
    kept.add_argument("--data", metavar="DIR", help="where the database is kept")
    commands.add_parser("doctor", parents=[kept], help="look whether the data of the web application are whole, and say what to do")
    people = commands.add_parser("person", help="people of the web application").add_subparsers(
        dest="act", required=True, metavar="add|list|password"
    )
    a = people.add_parser(
        "add", parents=[kept], help="add a person to a crew; the password comes from the terminal or standard input"
    )
    a.add_argument("name", metavar="NAME")
    a.add_argument("--crew", required=True, metavar="CREW", help="made when it is new")
    a.add_argument("--role", choices=["reader", "member", "lead"], help="lead in a new crew, else member, unless it is said")
    people.add_parser("list", parents=[kept], help="list everybody with crew, role and last sign-in")
    people.add_parser("password", parents=[kept], help="give a person a new password").add_argument("name", metavar="NAME")
    for name, help in (
        ("backup", "write a whole, checked copy of the data to FILE while people work"),
        ("restore", "put a copy back in place"),
    ):
        commands.add_parser(name, parents=[kept], help=help).add_argument("file", metavar="FILE")
    return top


def _port(text: str) -> int:
    port = int(text) if text.isascii() and text.isdigit() and len(text) < 6 else 0
    if not 1 <= port <= 65535:
        raise argparse.ArgumentTypeError(f"{text!r} is no port; right would be a number from 1 to 65535")
    return port


def perform(args: argparse.Namespace) -> int:
    """Run a parsed command of the core; print refusals on standard error."""
    command = importlib.import_module(f".{args.command}", __package__)
    from ..core.trade.errors import DocumentError

    try:
        return int(command.run(args))
    except DocumentError as error:
        for problem in error.problems:
            print(f"ewerer: {problem}", file=sys.stderr)
        return REFUSED
    except BrokenPipeError:
        return 0


def main(argv: Sequence[str] | None = None) -> int:
    """Parse ``argv`` and run a core command."""
    return perform(parser().parse_args(argv))
