"""From a stream of events to one state, whatever order they arrived in and however often.

The browser folds the same way (web/src/record/fold.ts); a test holds the two to each other on random streams. The rules:

1. Events with one id are one event; of differing ones the first by time and text counts.
2. Order is by time, then id. An ``undo`` takes back one event that stands before it; an undo can be undone by a later one.
   A change made for a test cannot be taken back: it is put back, and read back.
3. What is left is applied in order. A device that is renamed takes with it what was told of it before. Nothing depends on the plan: a reading carries the verdict that was given then.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

from ..documents.event import Event
from ..documents.parse import parse_document, parse_json
from ..trade.errors import DocumentError

State = dict[str, Any]
"""``state/1``: plain data, so that it can be compared, stored and sent as it is."""

Plain = Mapping[str, Any]
WORDS = ("by", "kind", "step", "name", "shown", "verdict", "text", "device", "setting", "target", "photo")
"""Fields that decide between two events of one id and time."""
FINISHED = ("done", "overridden", "skipped")
"""Statuses of a step that lets others go on."""


def read_events(text: str | bytes) -> list[Event]:
    """Return the events of a JSON-lines text or a JSON list; raise :class:`DocumentError` naming the line or place."""
    plain = text if isinstance(text, str) else text.decode("utf-8-sig", errors="replace")
    if plain.lstrip().startswith("["):
        items = [(f"/{i}", item) for i, item in enumerate(parse_json(plain))]
    else:
        items = []
        for number, line in enumerate(plain.split("\n"), 1):
            if line.strip():
                try:
                    items.append((f"line {number} ", parse_json(line)))
                except DocumentError as error:
                    raise DocumentError(replace(p, pointer=f"line {number}") for p in error.problems) from None
    events, problems = [], []
    for place, item in items:
        try:
            events.append(parse_document(Event, item))
        except DocumentError as error:
            problems += [replace(p, pointer=f"{place}{p.pointer}") for p in error.problems]
    if problems:
        raise DocumentError(problems[:50])
    return events


def _rank(event: Plain) -> tuple[Any, ...]:
    words = tuple(str(event.get(name) or "") for name in WORDS)
    value = event.get("value")
    return (event["at"], event["id"], *words, value is not None, value or 0)


def ordered(events: Iterable[Plain]) -> list[Plain]:
    """Return each event once, in the order they count in, without what was taken back and without the taking back."""
    first: dict[str, Plain] = {}
    for event in sorted(events, key=_rank):
        first.setdefault(event["id"], event)
    line = list(first.values())
    place = {event["id"]: i for i, event in enumerate(line)}
    dead: set[str] = set()
    for i in range(len(line) - 1, -1, -1):
        event = line[i]
        at = place.get(event["target"], i) if event["kind"] == "undo" and event["id"] not in dead else i
        if at < i and line[at]["kind"] != "temporary":
            dead.add(event["target"])
    return [e for e in line if e["id"] not in dead and e["kind"] != "undo"]


def _step() -> dict[str, Any]:
    return {
        "status": "",
        "at": "",
        "by": "",
        "mark": "",
        "reason": "",
        "verdict": "",
        "text": "",
        "shown": "",
        "back": "",
        "override": None,
        "open": None,
        "readings": {},
        "timers": {},
        "notes": [],
        "photos": [],
    }


def _signed_by(event: Plain, *names: str) -> dict[str, Any]:
    return {"id": event["id"], "at": event["at"], "by": event["by"], **{n: event.get(n) for n in names}}


CARRIED = ("unit", "module", "charger")
"""What a breaker of a device is called before the device's own name."""


@lru_cache(maxsize=64)
def _naming(old: str, new: str) -> Callable[[str], str]:
    """Return what gives a step's id one device's name in the place of another."""
    whole = {head + old: head + new for head in ("", *(f"{c}-" for c in CARRIED))}
    was, now = f"sun-{old}-", f"sun-{new}-"

    def part(text: str) -> str:
        return whole[text] if text in whole else now + text[len(was) :] if text.startswith(was) else text

    return lru_cache(maxsize=1000)(lambda id: ":".join(map(part, id.split(":"))))


def _rename(state: State, old: str, new: str, *beside: dict[str, int]) -> None:
    """Give what was told of a device to its new name; what that name already has stays as it is."""
    if old == new:
        return
    if old in state["found"]:
        state["found"][new] = {**state["found"].pop(old), **state["found"].get(new, {})}
    moved: dict[str, str] = {}
    named, steps = _naming(old, new), state["steps"]
    for id in [id for id in steps if old in id]:
        to = named(id)
        if to != id and to not in steps:
            moved[id] = to
            steps[to] = steps.pop(id)
    for places in beside:
        for id in [id for id in places if id in moved]:
            places[moved[id]] = places.pop(id)
    for photo in state["photos"]:
        photo["step"] = moved.get(photo["step"], photo["step"])


def fold(events: Iterable[Plain]) -> State:
    """Return the state of a stream of events (plain data): steps, found values, log, photos, signatures and the rest.

    Any permutation and any duplication of the events gives the same state.
    """
    line = ordered(events)
    state: State = {
        "ewerer": "state/1",
        "count": len(line),
        "last": line[-1]["at"] if line else "",
        "steps": {},
        "found": {},
        "log": [],
        "notes": [],
        "photos": [],
        "answers": [],
        "proposals": {},
        "visits": [],
        "signed": [],
        "people": [],
    }
    steps: dict[str, dict[str, Any]] = state["steps"]
    failed_at: dict[str, int] = {}
    overridden_at: dict[str, int] = {}
    for position, event in enumerate(line):
        kind = event["kind"]
        if event["by"] not in state["people"]:
            state["people"].append(event["by"])
        if kind == "as-found":
            shown = state["found"].setdefault(event["device"], {})
            if event["shown"]:
                shown[event["setting"]] = event["shown"]
            else:
                shown.pop(event["setting"], None)
            if not shown:
                del state["found"][event["device"]]
        elif kind == "renamed":
            _rename(state, event["device"], event["shown"], failed_at, overridden_at)
        elif kind == "log":
            state["log"].append(_signed_by(event, "entry"))
        elif kind == "answer":
            state["answers"].append(_signed_by(event, "name", "shown", "text"))
        elif kind == "proposal":
            state["proposals"][event["name"]] = _signed_by(event, "shown", "text", "value")
        elif kind == "visit":
            state["visits"].append(_signed_by(event, "text"))
        elif kind == "signed":
            state["signed"].append(_signed_by(event, "name", "text", "shown"))
        elif kind == "note" and not event.get("step"):
            state["notes"].append(_signed_by(event, "text"))
        elif kind == "photo":
            state["photos"].append(_signed_by(event, "photo", "step", "text"))
        if kind in ("as-found", "renamed", "log", "answer", "proposal", "visit", "signed") or not event.get("step"):
            continue
        step = steps.setdefault(event["step"], _step())
        step["at"], step["by"] = event["at"], event["by"]
        if kind in ("done", "skipped"):
            step["mark"], step["reason"] = kind, event.get("text") or ""
            if kind == "done" and event.get("shown"):
                step["shown"] = event["shown"]
        elif kind == "reading":
            told = _signed_by(event, "value", "shown", "unit", "verdict", "text", "low", "high", "meter")
            if _outside(event):
                told["verdict"], told["text"] = "fail", "outside what may be read"
            step["readings"][event["name"]] = told
        elif kind == "verdict":
            # A good verdict without anything that was read counts for nothing; a failure is believed.
            if event["verdict"] == "fail" or step["readings"] or step["timers"]:
                step["verdict"], step["text"] = event["verdict"], event.get("text") or ""
        elif kind == "override":
            step["override"] = _signed_by(event, "text")
            overridden_at[event["step"]] = position
        elif kind == "temporary":
            step["open"] = _signed_by(event, "shown", "text", "device", "setting")
        elif kind == "restored":
            if event.get("verdict") != "fail":
                step["open"] = None
            step["back"] = event["shown"]
        elif kind == "read-back":
            step["back"] = event["shown"]
        elif kind == "decision":
            step["shown"] = event["shown"]
        elif kind == "timer":
            step["timers"][event["name"]] = event["at"]
        elif kind == "note":
            step["notes"].append(_signed_by(event, "text"))
        elif kind == "photo":
            step["photos"].append(event["photo"])
        if kind in ("read-back", "decision") and event.get("verdict"):
            step["verdict"], step["text"] = event["verdict"], event.get("text") or ""
        if (event.get("verdict") == "fail" or (kind == "reading" and _outside(event))) and kind != "restored":
            failed_at[event["step"]] = position
    for id, step in steps.items():
        step["status"] = _status(step, failed_at.get(id, -1), overridden_at.get(id, -1))
    return state


def _outside(event: Plain) -> bool:
    """Return whether a reading claims to be good though it lies outside its own gate."""
    value, low, high = event.get("value"), event.get("low"), event.get("high")
    if event.get("verdict") != "pass" or value is None:
        return False
    slack = 1e-9 * max(1.0, abs(value))
    return (low is not None and value < low - slack) or (high is not None and value > high + slack)


def _status(step: Mapping[str, Any], failed_at: int, overridden_at: int) -> str:
    """Return what a step is: open, failed, overridden, done, skipped, unsure, begun, or nothing."""
    if step["open"] is not None:
        return "open"
    verdicts = [step["verdict"], *(r["verdict"] for r in step["readings"].values())]
    if "fail" in verdicts:
        return "overridden" if step["override"] is not None and overridden_at > failed_at else "failed"
    if step["override"] is not None and not step["mark"]:
        return "overridden"
    if step["mark"]:
        return str(step["mark"])
    if "unsure" in verdicts:
        return "unsure"
    return "begun" if step["readings"] or step["timers"] or step["back"] or step["shown"] or step["verdict"] else ""


def marks_of(state: State) -> dict[str, dict[str, dict[str, str]]]:
    """Return the marks on sheets that a state holds, by device and step of its working list, as a job carries them."""
    out: dict[str, dict[str, dict[str, str]]] = {}
    for id, step in state["steps"].items():
        if not id.startswith("enter:") or id.count(":") < 2:
            continue
        _, device, key = id.split(":", 2)
        mark: dict[str, str] = {"state": "skipped" if step["mark"] == "skipped" else "done"}
        if step["mark"] not in ("done", "skipped") and not step["back"]:
            continue
        if step["back"]:
            mark["read_back"] = step["back"]
        if step["shown"] and step["mark"] == "done":
            mark["entered"] = step["shown"]
        if step["notes"]:
            mark["note"] = step["notes"][-1]["text"]
        out.setdefault(device, {})[key] = mark
    return out


def canonical(data: Any) -> str:
    """Return plain data as JSON with sorted keys and whole numbers without a point: equal states, equal text."""
    return json.dumps(_plain(data), sort_keys=True, ensure_ascii=False, separators=(",", ":"))


def _plain(data: Any) -> Any:
    if isinstance(data, dict):
        return {k: _plain(v) for k, v in data.items()}
    if isinstance(data, (list, tuple)):
        return [_plain(v) for v in data]
    return int(data) if isinstance(data, float) and data.is_integer() else data
