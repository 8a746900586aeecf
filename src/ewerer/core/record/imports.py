"""Marks that a job of the first release carries in itself, as the events they stand for."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from typing import Any

from .fold import State, fold, marks_of


def _key(*parts: str) -> str:
    return "import:" + hashlib.sha256("\0".join(parts).encode()).hexdigest()[:24]


def marks_as_events(document: Mapping[str, Any], at: str, by: str, state: State | None = None) -> list[dict[str, Any]]:
    """Return the events that found values and marks of a job's data stand for, where a state does not say the same already.

    ``at`` is the moment and ``by`` the person they are told of; the same marks give the same ids.
    """
    known = state or fold([])
    out: list[dict[str, Any]] = []
    base = {"ewerer": "event/1", "at": at, "by": by}
    for device, shown in (document.get("as_found") or {}).items():
        for setting, text in shown.items():
            if known["found"].get(device, {}).get(setting) != text:
                out.append(
                    {
                        **base,
                        "id": _key(at, "found", device, setting, text),
                        "kind": "as-found",
                        "device": device,
                        "setting": setting,
                        "shown": text,
                    }
                )
    told = marks_of(known)
    for device, marks in (document.get("sheet_marks") or {}).items():
        for key, mark in marks.items():
            before = told.get(device, {}).get(key, {})
            step = f"enter:{device}:{key}"
            if before.get("state") != mark.get("state"):
                reason = {"text": "left out on the sheet"} if mark["state"] == "skipped" else {}
                out.append({**base, "id": _key(at, "mark", step, mark["state"]), "kind": mark["state"], "step": step, **reason})
            if mark.get("read_back") and before.get("read_back") != mark["read_back"]:
                out.append(
                    {
                        **base,
                        "id": _key(at, "back", step, mark["read_back"]),
                        "kind": "read-back",
                        "step": step,
                        "shown": mark["read_back"],
                    }
                )
            if mark.get("note") and before.get("note") != mark["note"]:
                out.append({**base, "id": _key(at, "note", step, mark["note"]), "kind": "note", "step": step, "text": mark["note"]})
    return out


def as_now(data: Mapping[str, Any]) -> dict[str, Any]:
    """Return a stored job's data as this version stores it: its name is job/2, its marks are in its events."""
    return {**{k: v for k, v in data.items() if k not in ("as_found", "sheet_marks")}, "ewerer": "job/2"}
