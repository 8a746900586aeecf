"""Invented work on site for the demo jobs: a run half done, one done with a failed and an overridden test, two years of a logbook."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..core.devices.library import Library
from ..core.documents.event import Meter
from ..core.documents.job import Job as JobDocument
from ..core.documents.results.run import Ask, RunStep
from ..core.flow.predict import predict
from ..core.record.fold import fold
from ..core.record.judge import judge_ask
from ..core.record.record import judge_step
from ..core.record.run import run_of
from ..core.stages.pipeline import solve
from ..core.stages.sheet.found import planned_entries
from ..core.trade.margins import LEAST_CELL_V

METERS = (
    Meter(name="Red bench meter", kind="volts", pct=0.1, digits=2, step=0.01, due="2027-05-01"),
    Meter(name="Yellow clamp", kind="clamp", pct=2.0, digits=5, step=0.1, due="2027-02-01"),
    Meter(name="Small ohmmeter", kind="ohms", pct=1.2, digits=3, step=0.1, due="2027-05-01"),
    Meter(name="Probe thermometer", kind="temperature", pct=0.5, digits=5, step=0.1),
)
BY_KIND = {m.kind: m for m in METERS}
RESTS_V = {"lithium": 3.29, "lead": 2.11}
"""What a cell of the demo's banks rests at [V]."""
SECOND = "rook"
"""The second person of the demo crew."""

Event = dict[str, Any]


class Diary:
    """Events one after the other from a day and hour on, by two people."""

    def __init__(self, begin: dt.datetime, prefix: str) -> None:
        self.now, self.prefix, self.events = begin, prefix, list[Event]()

    def tell(self, kind: str, by: str = "demo", minutes: float = 1.0, **more: Any) -> None:
        """Add an event and let time go on."""
        self.now += dt.timedelta(minutes=minutes)
        at = self.now.strftime("%Y-%m-%dT%H:%M:%S.") + "000Z"
        self.events.append(
            {"ewerer": "event/1", "id": f"{self.prefix}-{len(self.events):04d}", "at": at, "by": by, "kind": kind, **more}
        )

    def read(self, step: RunStep, ask: Ask, value: float | None, shown: str, minutes: float = 0.5) -> None:
        """Add a reading with the verdict of its gate."""
        meter = BY_KIND.get(ask.meter) if ask.meter else None
        judged = judge_ask(ask, shown, value, meter)
        more: dict[str, Any] = {"unit": ask.unit} if ask.unit else {}
        more |= {"value": value} if value is not None else {}
        more |= {"verdict": judged.verdict, "text": judged.text} if judged is not None else {}
        more |= {"meter": meter.to_data()} if meter is not None else {}
        self.tell("reading", minutes=minutes, step=step.id, name=ask.name, shown=shown[:60] or "-", **more)

    def make(self, step: RunStep, job: JobDocument, library: Library) -> None:
        """Do a step as it goes well: what is asked is read, a change is put back, a stopwatch pressed."""
        if step.temporary is not None:
            self.tell("temporary", step=step.id, shown=step.temporary.to or "out")
        if step.lines:
            for line in step.lines:
                self.tell("done", minutes=0.4, step=line.id, shown=line.enter)
            return
        if step.id.startswith("found:settings:"):
            for setting, shown in harmless(job, step.devices[0], library):
                self.tell("as-found", minutes=0.3, device=step.devices[0], setting=setting, shown=shown)
        begin = self.now
        for i, name in enumerate(step.stopwatch):
            self.now = begin + dt.timedelta(seconds=step.given.get("lasts_s", 8.0) * i)
            self.tell("timer", minutes=0, step=step.id, name=name)
        if step.wait_s:
            self.tell("timer", minutes=0, step=step.id, name="wait")
            self.now += dt.timedelta(seconds=step.wait_s)
        figures = plausible(step, job, library)
        for ask in step.asks:
            if ask.kind == "figure":
                value = figures.get(ask.name)
                if value is None and (ask.needed or ask.gate is not None) and not step.figures:
                    value = _within(ask)
                if value is not None:
                    self.read(step, ask, value, f"{value:g}", 0.3)
            elif ask.needed or (ask.good and not step.id.startswith("recheck:")):
                self.read(step, ask, None, ask.good[0] if ask.good else _text(step, ask, job), 0.2)
        if step.figures:
            told = fold(e for e in self.events if e.get("step") == step.id)["steps"].get(step.id)
            judged = judge_step(job, library, step, told) if told is not None else None
            if judged is not None and judged.verdict is not None:
                self.tell("verdict", minutes=0.1, step=step.id, verdict=judged.verdict, text=judged.text)
        if step.temporary is not None:
            for c in step.changes:
                self.tell("temporary", minutes=0.3, step=c.id, shown=c.to or "changed")
                self.tell("restored", minutes=0.3, step=c.id, shown=c.back_to, verdict="pass", text="Back, read back")
            self.tell("restored", step=step.id, shown=step.temporary.back_to, verdict="pass", text="Back, read back")
        self.tell("done", by=SECOND if step.breaker else "demo", minutes=step.minutes / 3, step=step.id)


def _within(ask: Ask) -> float:
    gate = ask.gate
    if gate is None:
        return 1.0
    if gate.expected is not None:
        return round(gate.expected, 2)
    low, high = gate.low if gate.low is not None else 0.0, gate.high if gate.high is not None else 100.0
    return round((low + high) / 2, 2)


def harmless(job: JobDocument, device: str, library: Library) -> list[tuple[str, str]]:
    """Return some settings of a device that stand as the plan wants them already, and what they show: as left from the factory."""
    solved = solve(job, library)
    found = next((d for d in solved.devices if d.id == device), None)
    if found is None:
        return []
    entries = planned_entries(found, solved)
    same = [(s.id, s.factory) for s in found.profile.settings if s.factory is not None and entries.get(s.id) == s.factory]
    return same[:4]


def _text(step: RunStep, ask: Ask, job: JobDocument) -> str:
    if step.id == "found:firmware":
        parts = {u.id: u.firmware for u in job.units} | {m.id: m.firmware for m in job.bank.modules}
        return parts.get(ask.name) or "as delivered"
    if step.id.startswith("decide:"):
        return "as it is"
    return ask.choices[0] if ask.choices else "seen"


def plausible(step: RunStep, job: JobDocument, library: Library) -> Mapping[str, float]:
    """Return readings at a step with figures that turn out well."""
    g = step.given
    makers: dict[str, Callable[[], Mapping[str, float]]] = {
        "rest": lambda: {a.name: _resting(a, i) for i, a in enumerate(step.asks)},
        "gain": lambda: {"shown": round(g["rated_a"] * 0.3 * 0.99, 1), "reference": round(g["rated_a"] * 0.3, 1)},
        "zero": lambda: {"amps": round(g["own_draw_a"], 2)},
        "resistance": lambda: {"v1": 53.2, "i1": 2.0, "v2": round(53.2 - 0.1 * g["expected_mohm"] * 1.02, 2), "i2": 102.0},
        "charge": lambda: _charge(g),
        "cap": lambda: {"bank": g["cap_a"] - g["dc_loads_a"], "dc": g["dc_loads_a"]},
        "ac_draw": lambda: {"amps": 20.0, "volts": 54.0, "loads": 600.0, "input": round(20 * 54 / g["efficiency"] + 600)},
        "ct": lambda: {"known": 1000.0, "before": 240.0, "after": 1230.0},
        "share": lambda: {a.name: 20.0 + 0.4 * i for i, a in enumerate(step.asks)},
        "soc_trend": lambda: {f"error{d}": float(v) for d, v in enumerate((48, 39, 30, 22, 13, 6, 2), 1)},
        "temperature": lambda: {"shown": 19.4, "second": 18.9, "ambient": 17.5},
        "shade": lambda: {"before": 22.0, "after": 21.6, "minutes": 6.0},
        "same": lambda: {a.name: a.gate.expected if a.gate and a.gate.expected is not None else {"volts": 53.0, "temp": 19.0, "soc": 64.0, "soh": 100.0}[a.name.split(".")[1]] for a in step.asks},
        "ramp": lambda: {a.name: _within(a) for a in step.asks},
    }  # fmt: skip
    if step.figures == "mode":
        sun = 0.0 if step.id.endswith("night") else 600.0 if step.id.endswith("dim") else 4200.0
        want = predict(job, library, 1500.0, 0.62, sun)
        return {
            "soc": 62.0,
            "sun": sun,
            "load": 1500.0,
            "bank": round(want["predicted_bank_w"] + 20),
            "grid": round(want["predicted_grid_w"]),
        }
    return makers.get(step.figures, dict)()


def _resting(ask: Ask, place: int) -> float:
    if ask.expect:
        return float(ask.expect.split(" ")[0])
    cells = (ask.least or 0.0) / LEAST_CELL_V
    each = RESTS_V["lithium" if (ask.most or 0.0) > 3 * cells else "lead"]
    return round(each * cells + 0.01 * (place % 2), 2)


def _charge(g: Mapping[str, float]) -> Mapping[str, float]:
    top, tail = g["absorb_v"], g.get("tail_a", 5.0)
    hold = g.get("hold_min", 30.0)
    rows = [(0, top - 1.4, 90), (35, top, 70), (40, round(top + 0.22, 2), 52), (60, top, 30), (round(35 + hold), top, tail * 0.95), (round(60 + hold), g.get("float_v", top - 1.5), 0)]  # fmt: skip
    return {f"{n}{i}": float(v) for i, row in enumerate(rows, 1) for n, v in zip("mva", row, strict=True)}


def _picture(words: str, hue: tuple[int, int, int]) -> bytes:
    """Return a drawn picture that stands for a photograph."""
    from PIL import Image, ImageDraw

    made = Image.new("RGB", (960, 640), (214, 216, 212))
    draw = ImageDraw.Draw(made)
    draw.rectangle((90, 70, 420, 570), fill=(243, 244, 241), outline=(60, 70, 74), width=4)
    draw.rectangle((500, 70, 870, 300), fill=hue, outline=(60, 70, 74), width=4)
    for i in range(4):
        draw.rectangle((120, 100 + 112 * i, 390, 190 + 112 * i), fill=(70, 78, 82))
        draw.line((390, 145 + 112 * i, 500, 185), fill=(152, 67, 27), width=9)
    draw.rectangle((540, 110, 720, 190), fill=(24, 36, 43))
    draw.text((560, 140), words, fill=(240, 240, 230))
    draw.text((500, 340), "a drawing, not a photograph", fill=(60, 70, 74))
    out = io.BytesIO()
    made.save(out, "PNG")
    return out.getvalue()


def _run(
    job: JobDocument, library: Library, diary: Diary, until: str | None = None, leave: tuple[str, ...] = ()
) -> dict[str, RunStep]:
    """Do the steps of a job's run but those left out, until one or the sign-off; return all steps by id."""
    steps = {s.id: s for s in run_of(job, library).steps}
    for step in steps.values():
        if step.id == until or step.after_days:
            break
        if step.id not in leave:
            diary.make(step, job, library)
    return steps


@dataclass(frozen=True, slots=True)
class Told:
    """What was done on site: events in order, and photographs by their ids."""

    events: list[Event]
    photos: dict[str, bytes] = field(default_factory=dict)


def half_done(job: JobDocument, library: Library, today: dt.datetime) -> Told:
    """Tell of a run that has come to the ohms across the pair, which are wrong."""
    diary = Diary(today.replace(hour=7, minute=40), "half")
    steps = _run(job, library, diary, until="address:ohms")
    diary.tell("note", by=SECOND, step="found:photo", text="Door of the second cabinet sticks; key hangs inside.")
    ohms = steps.get("address:ohms")
    if ohms is not None:
        diary.read(ohms, ohms.asks[0], 118.0, "118")
    return Told(diary.events)


def done_with_a_failed_test(job: JobDocument, library: Library, today: dt.datetime) -> Told:
    """Tell of a run that is finished but for one test that failed; another was gone past with a reason."""
    diary = Diary((today - dt.timedelta(days=3)).replace(hour=8, minute=5), "done")
    odd = ("proof:share", "proof:temperature")
    steps = _run(job, library, diary, until="handover:owner", leave=odd)
    share = steps.get("proof:share")
    if share is not None:
        for ask, amps in zip(share.asks, (24.0, 31.5), strict=False):
            diary.read(share, ask, amps, f"{amps:g}")
        diary.tell(
            "verdict",
            step=share.id,
            verdict="fail",
            text=f"{share.asks[1].name} is 13.5 % from the mean of 27.8 A: lead lengths, or one on other values",
        )
    warm = steps.get("proof:temperature")
    if warm is not None:
        for ask, value in zip(warm.asks, (12.0, 7.5, 6.0), strict=False):
            diary.read(warm, ask, value, f"{value:g}")
        diary.tell("verdict", step=warm.id, verdict="fail", text="4.5 K apart")
        diary.tell("override", step=warm.id, text="The cabinet's heater had run; measured again cold tomorrow.")
    return Told(diary.events)


def two_years(job: JobDocument, library: Library, today: dt.datetime) -> Told:
    """Tell of a site that was handed over two years ago: signed, with its logbook since and a second visit."""
    begin = today - dt.timedelta(days=745)
    diary = Diary(begin.replace(hour=8, minute=0), "first")
    steps, photos = _run(job, library, diary), dict[str, bytes]()
    for key, words, hue in (("p-cabinet", "53.2 V", (200, 206, 204)), ("p-after", "52.9 V", (176, 196, 190))):
        photos[key] = _picture(words, hue)
        diary.tell(
            "photo",
            photo=key,
            step="found:photo" if key == "p-cabinet" else "handover:covers",
            text="as found" if key == "p-cabinet" else "covers closed",
        )
    diary.tell("signed", name="I. Demoner", text="commissioned it", minutes=10)
    diary.tell("signed", name="R. Rookwood", text="was there and saw it", by=SECOND)
    for after, step in ((1, "follow:day"), (7, "follow:week"), (7, "follow:full")):
        diary.now = begin + dt.timedelta(days=after, hours=9)
        diary.make(steps[step], job, library)
    units = [u.id for u in job.units]
    module = job.bank.modules[0].id

    def note(days: float, **entry: Any) -> None:
        diary.now = begin + dt.timedelta(days=days, hours=10)
        when = diary.now.strftime("%Y-%m-%d %H:%M")
        diary.tell("log", entry={k: v for k, v in ({"when": when} | entry).items() if v is not None})

    def day(n: float) -> str:
        return (begin + dt.timedelta(days=n)).strftime("%Y-%m-%d %H:%M")

    note(20, kind="note", text="Owner asks why it charges at night: the window, explained.")
    note(64, kind="warning", device=units[0], code="W21", text="Fan runs long", cleared=day(66))
    note(118, kind="firmware", device=units[0], text="Firmware unchanged, read at the yearly look", to="31")
    for n in (131, 133, 140):
        note(
            n,
            kind="fault",
            device=units[-1],
            code="F08",
            text="Low-voltage alarm with the bank half full",
            cleared=day(n + 0.6),
            seconds=5400.0,
        )
    note(
        142,
        kind="setting",
        device=units[-1],
        menu="as the sheet says",
        text="Alarm put back to the plan",
        **{"from": "51.0 V", "to": "48.1 V"},
    )
    note(210, kind="reading", text="Quarterly: 53.1 V at rest, 78 %, 19 degC")
    note(365, kind="visit", text="Yearly look: lugs cool, dust out of the fans, nothing changed")
    note(401, kind="fault", device=units[0], code="F30", text="Generator did not start in three tries", cleared=day(402))
    note(402, kind="note", text="Starter battery of the generator was flat: replaced, exercised for 30 min")
    note(540, kind="reading", text="Half-yearly: capacity by a full cycle 98 % of the plate")
    note(
        610,
        kind="limit",
        device=module,
        text="charge limit for the barn party",
        own_limit="140 A",
        due=(today + dt.timedelta(days=16)).date().isoformat(),
        **{"from": "100 A", "to": "120 A"},
    )
    note(731, kind="visit", text="Second yearly look", due=(today + dt.timedelta(days=350)).date().isoformat())
    for n, seconds in ((738, 3.0), (743, 2.0)):
        note(
            n,
            kind="fault",
            device=units[0],
            code="F17",
            text="Over-temperature with a cool bank",
            cleared=day(n + 0.43),
            seconds=seconds,
        )
    return Told(diary.events, photos)


RECORDS = {"Skerry Field Station": half_done, "Larch Hollow Workshop": done_with_a_failed_test, "Heron Weir Mill": two_years}
"""What was done on site, by the name of the job."""
