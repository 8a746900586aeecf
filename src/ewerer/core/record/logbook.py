"""The logbook of a site: faults grouped and told present from past, what comes by itself, import and export, what is due."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from ..documents.event import LogEntry
from ..documents.job import Job
from ..documents.parse import read_rows, shortened
from ..documents.results.run import Due, FaultGroup, Run
from ..pages.cells import plain_cell
from ..symptoms.finder import likely
from ..trade.errors import DocumentError, Problem
from .steps import EXERCISE_DAYS, FOLLOW_UPS, full_charge_days

COLUMNS = ("kind", "when", "device", "code", "text", "cleared", "count", "seconds", "menu", "from", "to")
"""Columns of an import that mean something; others are passed over."""
BACK_AT_ONCE_S = 60.0
"""A fault that returns within this time of clearing is present [s]; common practice."""
MAX_ROWS = 20_000


def _plain_when(text: str) -> str:
    """Return a time as the unit tells it so that it sorts: ISO where it can be read, else as it is."""
    for form in (
        "%Y-%m-%d %H:%M:%S",
        "%Y-%m-%d %H:%M",
        "%Y-%m-%dT%H:%M:%S",
        "%d.%m.%Y %H:%M:%S",
        "%d.%m.%Y %H:%M",
        "%d/%m/%Y %H:%M:%S",
        "%d/%m/%Y %H:%M",
    ):
        try:
            return dt.datetime.strptime(text.strip(), form).isoformat(sep=" ", timespec="seconds")
        except ValueError:
            continue
    return text.strip()


def faults_of(log: Sequence[Mapping[str, Any]]) -> list[FaultGroup]:
    """Return the faults and warnings of a logbook in groups of device and code, each told present or past.

    Back within a minute of clearing, or raised after its last clearing: present. Cleared and not seen since: past. Several old
    ones of one code that were never cleared: history.
    """
    groups: dict[tuple[str, str], list[Mapping[str, Any]]] = {}
    for line in log:
        entry = line["entry"]
        if entry["kind"] in ("fault", "warning"):
            groups.setdefault((entry.get("device") or "", entry.get("code") or entry.get("text") or ""), []).append(line)
    out = []
    for (device, code), lines in groups.items():
        entries = [line["entry"] for line in lines]
        times = sorted(
            _plain_when(e.get("when") or line["at"][:19].replace("T", " ")) for e, line in zip(entries, lines, strict=True)
        )
        cleared = max((_plain_when(e["cleared"]) for e in entries if e.get("cleared")), default="")
        returned = [e["seconds"] for e in entries if e.get("seconds") is not None]
        words = next((e["text"] for e in entries if e.get("text")), code)
        count = sum(int(e.get("count") or 1) for e in entries)
        if returned and min(returned) <= BACK_AT_ONCE_S:
            standing, why = "present", f"came back {min(returned):g} s after it was cleared"
        elif cleared and times[-1] > cleared:
            standing, why = "present", f"raised again after it was cleared ({cleared})"
        elif cleared:
            standing, why = "past", f"cleared ({cleared}) and not seen since"
        elif count > 1:
            standing, why = "history", f"{count} times, nobody cleared it: clear it and look again"
        else:
            standing, why = "unknown", "clear it and look again"
        symptom, causes = likely(words)
        out.append(
            FaultGroup(
                device=device,
                code=code,
                text=words,
                count=count,
                first=times[0],
                last=times[-1],
                standing=standing,
                why=why,
                symptom=symptom,
                causes=causes,
            )
        )
    rank = {"present": 0, "unknown": 1, "history": 2, "past": 3}
    return sorted(out, key=lambda g: (rank[g.standing], -g.count, g.device, g.code))


def changes_of(run: Run, state: Mapping[str, Any]) -> list[LogEntry]:
    """Return the setting changes that the run itself tells: what was found, what was entered or read back."""
    out = []
    for s in run.steps:
        for line in s.lines:
            told = state["steps"].get(line.id)
            if not told or told["status"] not in ("done", "overridden"):
                continue
            now = told["back"] or told["shown"] or line.enter
            if line.shows == now:
                continue
            device = s.devices[0] if s.devices else None
            found = state["found"].get(device or "", {}).get(line.id.split(":")[-1])
            out.append(
                LogEntry.model_validate(
                    {
                        "kind": "setting",
                        "when": told["at"],
                        "device": device,
                        "menu": (line.menu or " › ".join(s.menu))[:200],
                        "text": line.label,
                        "from": found or line.shows or None,
                        "to": now[:60],
                    }
                )
            )
    return out


def read_log(text: str, mapping: Mapping[str, str]) -> tuple[list[LogEntry], list[Problem]]:
    """Return the entries of a CSV event list; ``mapping`` says which of :data:`COLUMNS` each of its columns is.

    The delimiter is found by itself. Lines that cannot be read are told with their number, the others are returned.
    """
    rows = _rows(text)
    if not rows:
        raise DocumentError(
            [Problem(pointer="", message="no lines", expected="a list with one event a line, names of the columns first")]
        )
    header, *body = rows
    if len(body) > MAX_ROWS:
        raise DocumentError([Problem(pointer="", message=f"{len(body)} lines", expected=f"at most {MAX_ROWS}")])
    wanted = {i: mapping[name] for i, name in enumerate(header) if mapping.get(name) in COLUMNS}
    if "text" not in wanted.values() and "code" not in wanted.values():
        raise DocumentError(
            [Problem(pointer="/mapping", message="no column is the code or the text", expected="one of " + ", ".join(header[:20]))]
        )
    entries, problems = [], []
    for number, row in enumerate(body, 2):
        data: dict[str, Any] = {"kind": "fault"}
        for i, meaning in wanted.items():
            cell = row[i].strip() if i < len(row) else ""
            if not cell:
                continue
            if meaning == "kind":
                word = cell.lower()
                data["kind"] = next(
                    (k for k in ("fault", "warning", "note", "setting") if word.startswith(k[:4])),
                    "warning" if "alarm" in word else "fault",
                )
            elif meaning in ("count", "seconds"):
                try:
                    data[meaning] = int(cell) if meaning == "count" else float(cell.replace(",", "."))
                except ValueError:
                    problems.append(
                        Problem(
                            pointer=f"line {number}",
                            message=f"{meaning} is not a number",
                            value=shortened(cell),
                            expected="a number",
                        )
                    )
            else:
                data[meaning] = cell[: {"text": 4000, "menu": 200, "when": 40, "cleared": 40, "code": 40}.get(meaning, 40)]
        if "text" not in data and "code" not in data:
            continue
        try:
            entries.append(LogEntry.model_validate(data))
        except ValueError:
            problems.append(
                Problem(
                    pointer=f"line {number}",
                    message="cannot be read",
                    value=shortened(" ".join(row), 80),
                    expected="device names as in the job",
                )
            )
    return entries, problems[:50]


def header_of(text: str) -> tuple[list[str], dict[str, str]]:
    """Return the column names of a CSV event list, and what each most likely is."""
    rows = _rows(text)
    header = rows[0] if rows else []
    words = {
        "when": ("time", "date", "raised", "when", "begin"), "code": ("code", "number", "no", "id"), "text": ("text", "message", "event", "description", "fault", "alarm"),
        "device": ("device", "unit", "module", "source"), "cleared": ("cleared", "end", "gone"), "count": ("count", "times"), "kind": ("kind", "type", "level", "severity"),
        "seconds": ("seconds", "return"), "menu": ("menu", "place"), "from": ("from", "old"), "to": ("to", "new"),
    }  # fmt: skip
    guessed: dict[str, str] = {}
    for name in header:
        plain = name.strip().lower()
        found = next((k for k, w in words.items() if plain in w), None) or next(
            (k for k, w in words.items() if any(plain.startswith(x) for x in w if len(x) > 3)), None
        )
        if found and found not in guessed.values():
            guessed[name] = found
    return header, guessed


def _rows(text: str) -> list[list[str]]:
    first = text.replace("\r", "\n").split("\n", 1)[0]
    delimiter = max((";", ",", "\t", "|"), key=first.count)
    return [r for r in read_rows(text, delimiter) if any(c.strip() for c in r)]


def log_csv(log: Iterable[Mapping[str, Any]]) -> bytes:
    """Return a logbook as CSV, one entry a line, no cell of which is ever a formula."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["noted", "by", *COLUMNS, "own limit", "due"])
    for line in log:
        e = line["entry"]
        cells = [line["at"], line["by"], *(e.get(c, "") for c in COLUMNS), e.get("own_limit", ""), e.get("due", "")]
        writer.writerow([plain_cell("" if c is None else str(c)) for c in cells])
    return out.getvalue().encode("utf-8-sig")


def due_of(job: Job, state: Mapping[str, Any], instruments: Iterable[Mapping[str, Any]] = ()) -> list[Due]:
    """Return what is due at a site: follow-ups of the last sign-off, limits to take back, the generator's exercise, instruments."""
    out = []
    signed = state["signed"][-1]["at"][:10] if state["signed"] else ""
    if signed:
        begin = dt.date.fromisoformat(signed)
        for id, (title, after) in FOLLOW_UPS.items():
            if state["steps"].get(id, {}).get("status", "") not in ("done", "skipped", "overridden"):
                day = begin + dt.timedelta(days=round(full_charge_days(job) if id == "follow:full" else after))
                out.append(
                    Due(date=day.isoformat(), what=title, kind="full-charge" if id == "follow:full" else "follow-up", step=id)
                )
        if job.generator is not None and job.generator.start == "manual":
            told = [line["at"][:10] for line in state["log"] if "exercis" in (line["entry"].get("text") or "").lower()]
            last = dt.date.fromisoformat(max([signed, *told]))
            out.append(
                Due(
                    date=(last + dt.timedelta(days=EXERCISE_DAYS)).isoformat(),
                    what="Run the generator for half an hour under load",
                    kind="exercise",
                )
            )
    reverted = {
        (e["entry"].get("device"), e["entry"].get("text"))
        for e in state["log"]
        if e["entry"]["kind"] == "limit" and not e["entry"].get("due")
    }
    for line in state["log"]:
        e = line["entry"]
        if e["kind"] == "limit" and e.get("due") and (e.get("device"), e.get("text")) not in reverted:
            out.append(
                Due(
                    date=e["due"],
                    what=f"Take back: {e.get('text') or 'a raised limit'}"
                    + (f" of {e['device']}" if e.get("device") else "")
                    + (f" to {e['from']}" if e.get("from") else ""),
                    kind="limit",
                )
            )
        elif e.get("due"):
            out.append(Due(date=e["due"], what=e.get("text") or e["kind"], kind="follow-up"))
    for i in instruments:
        if i.get("due"):
            out.append(Due(date=i["due"], what=f"Calibrate {i['name']}", kind="instrument"))
    return sorted(out, key=lambda d: (d.date, d.what))
