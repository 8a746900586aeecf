"""What a test changes for a while: which settings have to move, in which order, and up to which reading of the bank it can be made.

Asked of the unit's own behaviour: every write is one that the unit takes with its planned values in place, and so is every write back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import NamedTuple

from ..devices.codec import decode, encode
from ..devices.model import DeviceModel, UnitState
from ..documents.profiles import MenuProfile
from ..documents.results.run import Ask, Change, Temporary
from ..documents.results.sheet import SheetRow, UnitSheet
from ..trade.steps import figure
from ..visit.feasible import feasible
from .steps import Steps, figure_ask

HALVINGS = 12
"""Halvings of a setting's range in search of the highest reading at which a test can be made."""


class Move(NamedTuple):
    """A setting that a test may move: how many of its steps above the present reading it goes, and whether the test needs it."""

    row: SheetRow
    rank: int
    to: str
    needed: bool


class Changed(NamedTuple):
    """The moves of a test in the order in which the unit takes them, and the highest reading at which it takes them."""

    moves: list[Move]
    below: float
    gap: float


class Trial(NamedTuple):
    """A test that changes settings for a while, as a step has it."""

    device: str
    first: Temporary
    others: list[Change]
    told: str
    now: Ask
    fails: str


def owner(run: Steps, row: SheetRow) -> str:
    """Return the device whose sheet has a row; empty where none has."""
    return next((id for id, s in run.solved.sheets.items() if any(r is row for r in s.settings)), "")


def temporary(device: str, row: SheetRow, to: str) -> Temporary:
    """Return a row of a sheet as what a test changes for a while."""
    return Temporary(device=device, setting=row.setting, label=row.label, menu=row.menu, back_to=row.entry, to=to, unit=row.unit)


def trial(
    run: Steps,
    step: str,
    leading: SheetRow,
    wanted: Mapping[str, tuple[int, str, bool]],
    after: Mapping[str, str] | None = None,
    most: float | None = None,
) -> Trial | None:
    """Return the changes of a test on the device of ``leading``, or None where its ranges and interlocks never allow it.

    ``wanted`` has for each quantity its rank, words, and whether the test needs it; ``after`` what is moved later in the test;
    ``most`` what the changed setting has to stay under for the test to say anything, in the quantity's unit.
    """
    device = owner(run, leading)
    profile, sheet = run.profile(device), run.sheet(device)
    if profile is None or sheet is None or not isinstance(leading.value, float):
        return None
    rows = {r.quantity: r for r in reversed(sheet.settings) if r.quantity in {*wanted, *(after or {})}}
    moves = [Move(rows[q], *w) for q, w in wanted.items() if q in rows]
    found = changed(profile, sheet, moves, leading.value)
    below = min(found.below, most - 2 * found.gap if most is not None else found.below) if found is not None else 0.0
    if found is None or below <= leading.value:
        return None
    held = {m.row.setting for m in found.moves}
    order = [(m.row, m.to) for m in found.moves] + [
        (rows[q], to) for q, to in (after or {}).items() if q in rows and rows[q].setting not in held
    ]
    first, *others = [temporary(device, r, to) for r, to in order]
    volts = leading.quantity.endswith("_v")
    unit, top = ("V", int(below * 100) / 100) if volts else ("%", float(int(below * 100)))
    floor = round(leading.value * (1 if volts else 100), 2)
    if top <= floor:
        return None
    limit = f"{figure(top, 2)} {unit}"
    now = figure_ask("now", "The bank shows now", unit, floor, top, None, f"below, it acts already; above, {leading.label} cannot go over it")  # fmt: skip
    fails = f"Only possible up to {limit}: make it when the bank shows less."
    return Trial(device, first, [Change(id=f"{step}:{t.setting}", **t.model_dump()) for t in others], ", then ".join(m.row.label for m in found.moves), now, fails)  # fmt: skip


def changed(profile: MenuProfile, sheet: UnitSheet, moves: Sequence[Move], floor: float) -> Changed | None:
    """Return which of ``moves`` a test makes and the highest reading at which it can; None where there is none above ``floor``.

    ``floor`` and the reading are in the quantity's own unit (V, or a part of 1 for percent). The fewest moves win, then the highest reading.
    """
    model = DeviceModel(profile)
    start = model.start({r.setting: r.entry for r in sheet.settings}, "off", "installer")
    needed = [m for m in moves if m.needed]
    free = [m for m in moves if not m.needed]
    for more in range(len(free) + 1):
        best: Changed | None = None
        for others in combinations(free, more):
            found = _highest(model, start, [*needed, *others], floor)
            if found is not None and (best is None or found.below > best.below):
                best = found
        if best is not None:
            return best
    return None


def _highest(model: DeviceModel, start: UnitState, moves: list[Move], floor: float) -> Changed | None:
    gap = _gap(model, [m.row.setting for m in moves])
    low, high = floor, max(_top(model, m.row.setting)[0] for m in moves)
    order = _order(model, start, moves, low, gap)
    if order is None or not gap:
        return None
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        found = _order(model, start, moves, middle, gap)
        low, high, order = (middle, high, found) if found is not None else (low, middle, order)
    return Changed(order, low, gap) if low > floor else None


def _order(model: DeviceModel, start: UnitState, moves: list[Move], now: float, gap: float) -> list[Move] | None:
    """Return the moves in an order that the unit takes with ``now`` read, and takes back; None where it takes none."""
    target = {}
    for m in moves:
        s = model.settings[m.row.setting]
        entry = encode(s, now + m.rank * gap, model.profile)
        if entry.cut or (m.rank > 0 and isinstance(entry.value, float) and entry.value <= now):
            return None
        target[s.id] = entry.text
    there, state = feasible(model, start, target, lambda _id, _text: True)
    if any(state.shown.get(id) != text for id, text in target.items()) or {step.setting for step in there} - set(target):
        return None
    _, after = feasible(model, state, {id: start.shown[id] for id in target}, lambda _id, _text: True)
    if after.shown != start.shown:
        return None
    place = {step.setting: n for n, step in enumerate(there)}
    return sorted(moves, key=lambda m: place.get(m.row.setting, -1))


def _gap(model: DeviceModel, ids: list[str]) -> float:
    """Return how far apart moved settings stand: the widest step of them, or what an interlock between them wants."""
    wide = 0.0
    for id in ids:
        per = _top(model, id)[1]
        if per <= 0:
            return 0.0
        wide = max(wide, per * (model.settings[id].step or 0.0), *(per * k.parsed.margin for k in model.locks_of[id] if {k.above.id, k.below.id} <= set(ids)))  # fmt: skip
    return wide


def _top(model: DeviceModel, id: str) -> tuple[float, float]:
    """Return the upper end of a setting in its quantity's unit, and what one of the display is worth; zeros where it is no number."""
    s = model.settings[id]
    if s.min is None or s.max is None or s.max <= s.min:
        return 0.0, 0.0
    low, high = (decode(s, f"{end:g}", model.profile) for end in (s.min, s.max))
    return (high, (high - low) / (s.max - s.min)) if isinstance(low, float) and isinstance(high, float) else (0.0, 0.0)
