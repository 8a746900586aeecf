"""Checks of the windows."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby

from ...devices.slots.week import days_said, spans, time_of
from ...documents.job import DAYS
from ...trade.finding import Finding
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Solved


@check(
    "windows-overlap", "windows", "No two windows want different things in the same minute", "action_i = action_j where they meet"
)
def _overlap(rule: Rule, solved: Solved) -> Iterator[Finding]:
    windows = solved.job.windows
    for (i, j), pair in groupby(solved.windows.clashes, key=lambda c: (c.first, c.second)):
        meet = [(c.day, c.start, c.end) for c in pair]
        _, a, b = meet[0]
        yield rule.finding(
            "caution",
            f"Windows {i + 1} and {j + 1} overlap",
            f"On {', '.join(dict.fromkeys(DAYS[k] for k, _, _ in meet))} from {time_of(a)} to {time_of(b)} one wants {windows[i].action}, the other "
            f"{windows[j].action}; the first counts.",
            f"/windows/{j}",
            "Move one of them.",
            windows=[i, j],
            minutes=sum(y - x for _, x, y in meet),
        )


@check("windows-empty", "windows", "A window has a length", "from != to")
def _empty(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for i, w in enumerate(solved.job.windows):
        if not list(spans(w)):
            yield rule.finding(
                "caution",
                f"Window {i + 1} is empty",
                f"It begins and ends at {w.from_}."
                if w.from_ == w.to
                else f"{w.from_} is the next day's 00:00, where it ends at once.",
                f"/windows/{i}",
                "Give it an end, or take it out.",
            )


_DOES = {"auto": "free", "use": "used", "charge": "charged", "hold": "held", "export": "sold"}
"""What becomes of the bank in a stretch of time; free: as the source order says."""


@check("windows-inexpressible", "windows", "The unit's slots can say what is meant", "minutes(expand(slots) != intent) = 0")
def _differs(rule: Rule, solved: Solved) -> Iterator[Finding]:
    seen = set()
    for u in solved.windows.units:
        unit = next(x for x in solved.units if x.id == u.unit)
        if u.differs_minutes and unit.profile.id not in seen:
            seen.add(unit.profile.id)
            some = "; ".join(
                f"{days_said(s.days)} from {s.start} to {s.end} {_DOES.get(s.gets, s.gets)} instead of {_DOES.get(s.wanted, s.wanted)}"
                for s in u.where[:3]
            )
            hours = u.differs_minutes / 60
            yield rule.finding(
                "note" if u.differs_minutes <= 7 * max(2, unit.profile.slots.step_min if unit.profile.slots else 1) else "caution",
                f"{unit.profile.name} cannot keep these windows exactly",
                f"Its closest slots differ for {f'{hours:.0f} h' if hours >= 3 else f'{u.differs_minutes} min'} a week, about "
                f"{figure(u.differs_kwh, 0 if u.differs_kwh >= 10 else 1)} kWh: {some}"
                + (f"; and {len(u.where) - 3} more" if len(u.where) > 3 else "")
                + ".",
                "/windows",
                "Accept it, or change the windows to what the unit's slots can hold.",
                minutes=u.differs_minutes,
                kwh=u.differs_kwh,
            )


@check(
    "windows-season-change",
    "windows",
    "A unit whose slots know no dates is set anew when other windows begin to hold",
    "slots(part of the year) != slots(next part)",
)
def _season_change(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in {u.year[0].from_date + u.form: u for u in solved.windows.units if u.year}.values():
        parts = unit.year
        others = [p for p, before in zip(parts, [parts[-1], *parts[:-1]], strict=True) if p.slots != before.slots]
        if not others:
            continue
        yield rule.finding(
            "note",
            f"The slots change {len(others)} times a year",
            f"{unit.unit} knows no dates: its sheet is for {solved.windows.date}. Other slots are entered on "
            + ", ".join(f"{p.from_date} (until {p.to_date})" for p in others)
            + ".",
            "/windows",
            "Note these days for the owner, or come back on them.",
            dates=[p.from_date for p in others],
        )


@check("windows-no-target", "windows", "A target needs a unit that keeps one", "form has a place for the target")
def _no_target(rule: Rule, solved: Solved) -> Iterator[Finding]:
    wanted = [i for i, w in enumerate(solved.job.windows) if w.target_soc is not None or w.power_w is not None]
    deaf = [u for u in solved.units if u.profile.slots is not None and u.profile.slots.target == "none"]
    if wanted and deaf:
        yield rule.finding(
            "note",
            f"{deaf[0].profile.name} keeps no target in its windows",
            "It charges to full and uses the bank down to its own thresholds; target and power of the windows are not entered.",
            f"/windows/{wanted[0]}",
            windows=wanted,
        )


@check("windows-idle", "windows", "Windows need a unit that has slots", "slots exist")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.job.windows and solved.units and not any(u.profile.slots for u in solved.units):
        yield rule.finding(
            "caution",
            "No unit keeps windows",
            "None of the units has time slots.",
            "/windows",
            "Take the windows out, or use a controller.",
        )


@check(
    "windows-charge-forbidden",
    "windows",
    "A charging window needs a charge order that lets the mains charge",
    "charge order allows mains",
)
def _forbidden(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.job.policy.charge_order == "sun-only" and any(w.action == "charge" for w in solved.job.windows):
        yield rule.finding(
            "caution",
            "A charging window that may not charge",
            "The charge order is sun only, so the mains do not charge in it.",
            "/policy/charge_order",
            "Let the mains charge, or take the window out.",
        )
    if any(w.action == "charge" for w in solved.job.windows) and not {"mains", "generator"} & set(solved.job.site.sources):
        yield rule.finding(
            "caution", "Nothing to charge from", "A charging window needs mains or a generator.", "/windows", "Take it out."
        )
