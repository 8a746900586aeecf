"""The handover as PDF: a cover, one page for the owner, then everything in depth, with ladder and one-line picture as vectors."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..documents.job import Job
from ..documents.results.plan import Plan
from ..documents.results.run import GATE, Run, RunStep, SiteRecord
from ..trade.chemistries import CHEMISTRIES
from ..trade.steps import figure
from .cable import runs_of
from .pdf import PICTURE, Paper, pdf

VERDICTS = {"done": "good", "overridden": "overridden", "skipped": "left out", "failed": "failed", "open": "not put back", "unsure": "could not be told",
    "begun": "begun", "ready": "not made", "waiting": "not made", "blocked": "not made"}  # fmt: skip
INKS = {
    "sun": "#8f6200",
    "grid": "#4a4a9c",
    "generator": "#8d3a2c",
    "load": "#18242b",
    "bank": "#98431b",
    "bus": "#98431b",
    "ac": "#4a4a9c",
}
ENTRY = ("when", "device", "code", "text", "from", "to", "own_limit", "due", "kind")
MOST_LOG = 60
MOST_PHOTOS = 24


@dataclass(frozen=True)
class HandoverFacts:
    """What the pages show: job with its record laid over, plan, run, record, state, where each step stands, photographs by id."""

    job: Job
    plan: Plan
    run: Run
    record: SiteRecord
    state: Mapping[str, Any]
    standing: Mapping[str, str]
    crew: str = ""
    fingerprint: str = ""
    photos: Mapping[str, bytes] = field(default_factory=dict)


def handover_page(facts: HandoverFacts, paper: Paper = "A4") -> bytes:
    """Return a handover as PDF."""
    title = f"Handover {facts.job.name}"
    return pdf("handover.html", title, paper, **filled(facts))


def filled(facts: HandoverFacts) -> dict[str, Any]:
    """Return what the template of a handover is filled with."""
    job, made, run, state = facts.job, facts.plan, facts.run, facts.state
    steps = {s.id: s for s in run.steps}
    tests = [
        _test(steps[id], state["steps"].get(id), facts.standing[id], facts.record)
        for id in steps
        if steps[id].proof or id.startswith(("sensor:", "isolate:dead", "address:ohms", "join:rest"))
    ]
    counts = {
        word: sum(t["verdict"] == word for t in tests)
        for word in ("good", "failed", "overridden", "left out", "could not be told", "not made")
    }
    sheets = [_as_left(s, state) for s in (*made.units, *made.devices) if s.settings]
    signed = list(state["signed"])
    return {
        "job": job,
        "crew": facts.crew,
        "plan": made,
        "record": facts.record,
        "fingerprint": facts.fingerprint,
        "qr": _qr(facts.fingerprint) if facts.fingerprint else None,
        "signed": signed,
        "last": state["last"][:16].replace("T", " "),
        "people": state["people"],
        "visits": state["visits"],
        "owner": _owner(facts),
        "ladder": _ladder(made),
        "one": run.picture,
        "tests": tests,
        "look": _look(facts, sheets),
        "lithium": made.bank is None or CHEMISTRIES[made.bank.chemistry].has_bms,
        "counts": {k: v for k, v in counts.items() if v},
        "sheets": sheets,
        "cables": runs_of(made.link) if made.link.cable is not None else [],
        "addresses": made.link.addresses,
        "log": [
            {**dict.fromkeys(ENTRY), **line["entry"], "noted": line["at"][:16].replace("T", " "), "by": line["by"]}
            for line in reversed(state["log"][-MOST_LOG:])
        ],
        "log_more": max(0, len(state["log"]) - MOST_LOG),
        "changes": [c.model_dump(by_alias=True) for c in facts.record.changes[-MOST_LOG:]],
        "photos": _photos(facts),
        "inks": INKS,
        "limits": made.limits,
        "bank": made.bank,
        "figure": figure,
    }


def _look(facts: HandoverFacts, sheets: list[dict[str, Any]]) -> dict[str, Any]:
    """Return what the first page says in one look: steps, settings read back, a plan that stops and who went on."""
    where = [facts.standing[s.id] for s in facts.run.steps if not s.after_days]
    rows = [r for s in sheets for r in s["rows"]]
    return {
        "steps": len(where),
        "done": where.count("done"),
        "overridden": where.count("overridden"),
        "skipped": where.count("skipped"),
        "planned": len(rows),
        "read": sum(r["same"] for r in rows),
        "stops": facts.run.stopped[:3],
        "gate": facts.state["steps"].get(GATE, {}).get("override"),
    }


def _owner(facts: HandoverFacts) -> list[tuple[str, str]]:
    """Return what the owner must know: a word and a sentence each."""
    job, made = facts.job, facts.plan
    out: list[tuple[str, str]] = []
    bank = made.bank
    if bank is not None:
        out.append(
            (
                "What it is",
                f"A bank of {figure(bank.capacity_ah, 0)} Ah at {figure(bank.nominal_v, 1)} V, {figure(bank.energy_wh / 1000, 1)} kWh, from {len(bank.modules)} modules; {len(job.units)} unit{'s' if len(job.units) != 1 else ''}.",
            )
        )
    alarm = made.ladder.get("alarm_soc") or made.ladder.get("alarm_v")
    shut = made.ladder.get("shutdown_soc") or made.ladder.get("shutdown_v")
    if alarm is not None and shut is not None:
        out.append(
            (
                "Alarm",
                f"It warns at {_level(alarm.value, alarm.kind)} and shuts the output down at {_level(shut.value, shut.kind)}: save at the alarm, or bring in another source.",
            )
        )
    order = list(facts.run.isolating)
    names = {b.id: b.name for b in facts.run.breakers}
    if order:
        out.append(
            (
                "Switching it off",
                "In this order: "
                + ", ".join(names[i] for i in order[:8])
                + (" and on" if len(order) > 8 else "")
                + ". Back in the reverse order. The bank's posts stay live.",
            )
        )
    if job.generator is not None:
        how = "It starts by itself" if job.generator.start == "auto" else "Somebody starts it"
        out.append(
            ("Generator", f"{how}; nobody near its exhaust, never in a room. Leave its start locked out while anybody works on it.")
        )
    if job.seasons:
        out.append(
            (
                "Seasons",
                "Windows change with " + ", ".join(f"{s.name} ({s.from_} to {s.to})" for s in job.seasons) + ": see the sheets.",
            )
        )
    if (
        bank is not None
        and bank.without_one is not None
        and made.limits is not None
        and made.limits.charge.without_one_a is not None
    ):
        out.append(
            (
                "A module taken out",
                f"The cap for charging then is {figure(made.limits.charge.without_one_a, 0)} A instead of {figure(made.limits.charge.bank_a, 0)}: have it entered before it runs on.",
            )
        )
    due = facts.record.due[:4]
    if due:
        out.append(("What comes next", "; ".join(f"{d.date}: {d.what}" for d in due) + "."))
    out.append(
        ("Who may change it", "Modes and levels: the people named here, or whoever holds a licence for it. Local code counts.")
    )
    return out


def _level(value: float, kind: str) -> str:
    return f"{figure(100 * value, 0)} %" if kind == "soc" else f"{figure(value, 1)} V"


def _test(step: RunStep, told: Mapping[str, Any] | None, where: str, record: SiteRecord) -> dict[str, Any]:
    readings = []
    labels = {a.name: a for a in step.asks}
    for name, r in (told["readings"] if told else {}).items():
        ask = labels.get(name)
        meter = r["meter"]["name"] if r["meter"] else ""
        readings.append({"label": " ".join(x for x in ((ask.row or ask.label, ask.column) if ask else (name,)) if x), "shown": f"{r['shown']} {r['unit'] or ''}".strip(), "expect": ask.expect if ask else "", "verdict": r["verdict"] or "", "meter": meter})  # fmt: skip
    judged = record.judged.get(step.id)
    override = told["override"] if told else None
    return {
        "title": step.title,
        "section": step.section,
        "verdict": VERDICTS.get(where, where),
        "text": judged.text if judged and judged.verdict else (told["text"] if told else ""),
        "figures": [
            f"{f.word} {figure(f.value, 3)}" + (f" ± {figure(f.error, 3)}" if f.error else "") + f" {f.unit}"
            for f in (judged.figures if judged else [])
            if f.value is not None
        ],
        "readings": readings,
        "by": f"{told['by']}, {told['at'][:16].replace('T', ' ')}" if told and told["at"] else "",
        "reason": override["text"] if override else (told["reason"] if told else ""),
        "who": override["by"] if override else "",
    }


def _as_left(sheet: Any, state: Mapping[str, Any]) -> dict[str, Any]:
    rows = []
    read = state["steps"].get(f"recheck:{sheet.id}", {}).get("readings", {})
    planned = read.get("rest", {}).get("shown") == "as planned"
    for r in sheet.settings:
        again = read.get(r.setting) or (
            {"shown": r.entry, "verdict": "pass"} if planned and r.quantity not in ("new_bank", "soc_now") else None
        )
        told = state["steps"].get(f"enter:{sheet.id}:{r.setting}")
        back = again["shown"] if again else (told["back"] if told else "")
        rows.append({"menu": " › ".join(r.menu), "label": r.label, "entry": r.entry, "unit": r.unit, "back": back, "same": bool(back) and (again["verdict"] != "fail" if again else back == r.entry), "done": bool(told and told["status"] in ("done", "overridden"))})  # fmt: skip
    return {
        "id": sheet.id,
        "name": sheet.name,
        "role": sheet.role,
        "rows": rows,
        "leave": sheet.leave_alone,
        "decide": sheet.decide,
    }


def _qr(text: str) -> dict[str, Any]:
    import segno

    code = segno.make(f"ewerer:{text.replace(' ', '')}", error="m")
    matrix = [[bool(cell) for cell in row] for row in code.matrix]
    path = "".join(f"M{x} {y}h1v1h-1z" for y, row in enumerate(matrix) for x, cell in enumerate(row) if cell)
    return {"size": len(matrix), "path": path}


def _ladder(made: Plan) -> dict[str, Any] | None:
    """Return the places of the ladder's drawing: rungs by volts with words that do not overlap, charge beside."""
    view = made.ladder_view
    rungs = sorted((r for r in made.ladder.values() if r.kind == "volts" and r.settable), key=lambda r: -r.value)
    if view is None or not rungs:
        return None
    height, top = 330.0, 16.0
    span = max(view.high_v - view.low_v, 1e-9)

    def y(v: float) -> float:
        return round(top + (view.high_v - v) / span * height, 2)

    placed, last = [], -99.0
    for r in rungs:
        at = max(y(r.value), last + 15.0)
        last = at
        placed.append(
            {
                "y": y(r.value),
                "text_y": at,
                "word": r.word,
                "volts": figure(r.value, 2),
                "cell": figure(r.cell_v, 3) if r.cell_v else "",
            }
        )
    return {
        "height": max(height + 2 * top, last + 20.0),
        "top": top,
        "bottom": top + height,
        "rungs": placed,
        "zones": [
            {
                "y": y(min(z.high, view.high_v)),
                "h": max(0.0, y(max(z.low, view.low_v)) - y(min(z.high, view.high_v))),
                "word": z.word,
            }
            for z in view.zones
        ],
        "socs": _apart(
            [{"y": y(m.v), "text": f"{figure(100 * m.soc, 0)} %"} for m in view.soc_marks if view.low_v <= m.v <= view.high_v]
        ),
    }


def _apart(marks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return the marks that stand far enough apart to be read; the ends first."""
    kept: list[dict[str, Any]] = []
    for m in [*marks[:1], *marks[-1:], *marks[1:-1]]:
        if all(abs(m["y"] - k["y"]) >= 11 for k in kept):
            kept.append(m)
    return kept


def _photos(facts: HandoverFacts) -> list[dict[str, str]]:
    titles = {s.id: s.title for s in facts.run.steps}
    out: list[dict[str, str]] = []
    for p in facts.state["photos"]:
        data = facts.photos.get(p["photo"])
        if data is not None and len(out) < MOST_PHOTOS:
            words = p["text"] or titles.get(p["step"] or "", "")
            out.append(
                {
                    "src": PICTURE + base64.b64encode(_small(data)).decode(),
                    "words": words,
                    "by": f"{p['by']}, {p['at'][:16].replace('T', ' ')}",
                }
            )
    return out


def _small(data: bytes) -> bytes:
    import io

    from PIL import Image

    with Image.open(io.BytesIO(data)) as seen:
        seen.thumbnail((900, 900))
        out = io.BytesIO()
        seen.convert("RGB").save(out, "JPEG", quality=80)
    return out.getvalue()
