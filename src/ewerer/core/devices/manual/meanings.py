"""What rows mean: words, unit and usual figures weighed, each quantity given to the row that is likest, sure only where all agree."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from ...documents.parse import shortened
from ...trade.numbers import read_number
from ...trade.quantities import QUANTITIES
from ...trade.usual import CELL_CLASS_V, CLASSES_V, PART_OF_RATED, PER_CLASS, is_usual
from .cells import Cell, is_yes
from .context import Context, Found
from .table import Candidate, ChoiceRead, ManualRow
from .values import minutes_of
from .words import choice_meaning, likeness, parts_of, plain, same_measure

SURE, LEAST, APART, WORSE = 0.86, 0.62, 0.06, 0.15
"""From this confidence on a match can be sure; below the second it is none; so much better than the next it must be; so much worse than
its best a row takes another meaning [T]."""
BY_HEADING = 0.85
"""What a meaning counts that needs the heading above to be told [T]; it must stay below what is sure."""
CANDIDATES = 6


def class_of(found: Sequence[Found]) -> float | None:
    """Return the voltage class that most battery volts of a table lie in; None where they say none."""
    spans = [
        f.cell
        for f in found
        if f.cell.unit == "V" and not f.cell.per_cell and f.cell.low is not None and f.cell.high is not None and f.cell.high < 80
    ]
    middles = [(c.low + c.high) / 2 for c in spans]  # type: ignore[operator]
    if not middles:
        return None
    counts = {v: sum(0.72 * v <= m <= 1.36 * v for m in middles) for v in CLASSES_V}
    best = max(CLASSES_V, key=lambda v: (counts[v], -abs(sum(middles) / len(middles) - 1.1 * v)))
    return best if counts[best] >= 0.5 * len(middles) else None


def weigh(f: Found, context: Context) -> None:
    """Weigh what a row may be: its words and unit, and whether its figures are where they usually are."""
    cell = f.cell
    unit = "% of rated" if cell.of_rated and cell.unit == "%" else cell.unit
    if unit == "C" and "temp" in plain(f.named):
        unit = cell.unit = "°C"
    numbers = f.form == "figure" and not (len(cell.figures) > 1 and cell.low is None and not unit)
    form = f.form if f.form != "figure" or numbers else ""
    shares = likeness(f.named, unit if unit != "HH:MM" else "", form)
    if unit == "%" and not cell.of_rated:
        # Percent beside a current is percent of a rating.
        for name, (value, needs) in likeness(f.named, "A", form).items():
            if QUANTITIES[name].unit == "A" and value > shares.get(name, (0.0, 0))[0]:
                shares[name] = (value - 0.02, needs)
    if f.path and max((v for v, _ in shares.values()), default=0.0) < SURE:
        # What its own words leave open, the heading above may say; that is never sure.
        for name, (value, needs) in likeness(f"{f.path[-1]} {f.named}", unit if unit != "HH:MM" else "", form).items():
            if value * BY_HEADING > shares.get(name, (0.0, 0))[0]:
                shares[name] = (value * BY_HEADING, needs)
    for name, (value, needs) in list(shares.items()):
        usual = _usual(name, f, context)
        shares[name] = (value * 0.72 if usual is False else value, needs)
    f.shares = shares


def _factory_figure(cell: Cell) -> float | None:
    try:
        return float(cell.default)
    except ValueError:
        return minutes_of(cell.default)


def _usual(name: str, f: Found, context: Context) -> bool | None:
    """Return whether the figures of a row are usual for a quantity; None where nothing is known of them."""
    q, cell = QUANTITIES[name], f.cell
    if f.form not in ("figure", ""):
        return None
    low, high = (min(cell.figures), max(cell.figures)) if cell.low is None and len(cell.figures) > 1 else (cell.low, cell.high)
    factory = _factory_figure(cell)
    if q.unit == "A" and cell.unit in ("%", "% of C", "C"):
        if cell.unit == "%" and name != "tail_a":
            return None
        band = PART_OF_RATED.get(name)
        scale = 100.0 if cell.unit == "C" else 1.0
        return None if band is None or low is None or high is None else low * scale <= band[1] and high * scale >= band[0]
    class_v = context.class_v
    if name in PER_CLASS and cell.per_cell:
        class_v = CELL_CLASS_V[_cell_kind(cell)]
    if q.unit == "mV/°C":
        return is_usual(name, low, high, factory, None)
    factor = 1.0
    if cell.unit and cell.unit != q.unit and same_measure(cell.unit, q):
        said = read_number(f"1 {cell.unit}", q.unit).value if cell.unit not in ("°F", "HH:MM") else None
        if said is None:
            return None
        factor = said
    low, high, factory = (None if v is None else v * factor for v in (low, high, factory))
    return is_usual(name, low, high, factory, class_v)


def _cell_kind(cell: Cell) -> int:
    top = cell.high if cell.high is not None else _factory_figure(cell) or 0.0
    return 2 if top <= 2.9 else 1


def one_each(found: Sequence[Found]) -> None:
    """Give every quantity to the row that is likest to be it; a row that loses takes the next that is nearly as likely, unsure."""
    for f in found:
        best = sorted(f.shares.items(), key=lambda kv: (-kv[1][0], -kv[1][1], kv[0]))
        f.row = ManualRow(
            line=f.line,
            label=f.label,
            candidates=[
                Candidate(quantity=n, word=QUANTITIES[n].word, unit=QUANTITIES[n].unit, confidence=round(v, 3))
                for n, (v, _) in best[:CANDIDATES]
                if v > 0.4
            ],
        )
    offers = sorted(
        ((value, needs, -k, name) for k, f in enumerate(found) for name, (value, needs) in f.shares.items() if value >= LEAST),
        reverse=True,
    )
    taken: dict[str, Found] = {}
    for value, _, minus, name in offers:
        f = found[-minus]
        assert f.row is not None
        if f.row.quantity is not None or value < f.row.candidates[0].confidence - WORSE:
            continue
        if name in taken:
            if value >= f.row.candidates[0].confidence - 1e-3:
                f.row.doubts.append(f"“{taken[name].label}” is taken for {QUANTITIES[name].word}; choose which it is")
            continue
        f.row.quantity, f.row.confidence = name, round(value, 3)
        taken[name] = f


def finished(f: Found, context: Context, found: Sequence[Found]) -> ManualRow:
    """Put a row together: what stood there, what it means, what is doubtful, and whether all of it is sure."""
    row, cell = f.row, f.cell
    assert row is not None
    place = f.got.get("place", "").strip("[]() .:")
    menu = [p[:40] for p in [*f.path, *([place] if place and place != f.label else [])]]
    row.menu = menu[-5:] or None
    row.unit, row.step, row.factory = cell.unit, cell.step, cell.default[:60]
    row.min, row.max = cell.low, cell.high
    row.note = " ".join(
        dict.fromkeys(
            [*([f.got["note"]] if f.got.get("note") else []), *(context.notes[m] for m in cell.marks if m in context.notes)]
        )
    )
    row.of_rated = cell.of_rated or (cell.unit == "%" and row.quantity is not None and QUANTITIES[row.quantity].unit == "A")
    if cell.per_cell:
        row.per_cell = 2 if _cell_kind(cell) == 2 or cell.unit == "mV/°C" else 1
    if cell.off:
        row.off = float(cell.off.replace(",", ".")) if re.fullmatch(r"[\d.,]+", cell.off) else cell.off
    _listed(row, cell)
    doubts = list(cell.doubts)
    if cell.rest:
        doubts.append(f"“{shortened(cell.rest)}” was not understood")
    if (cell.low is None and cell.high is not None) or (cell.high is None and cell.low is not None):
        doubts.append("one end of the range is not given")
    if f.form == "" and not f.got.get("range"):
        doubts.append("nothing says what it takes")
    if (
        cell.clock
        and row.quantity is None
        and any(QUANTITIES[n].kind == "time" and v >= LEAST for n, (v, _) in likeness(f.named, "", "figure").items())
    ):
        doubts.append("a time of day, or a length of time? choose which it is")
    factory = _factory_figure(cell)
    if (
        factory is not None
        and row.min is not None
        and row.max is not None
        and not row.choices
        and not row.min - 1e-9 <= factory <= row.max + 1e-9
        and str(row.off) not in (cell.default, f"{factory:g}")
    ):
        doubts.append(f"the factory value {cell.default} lies outside its range")
    if (
        cell.unit == "V"
        and not cell.per_cell
        and row.max is not None
        and row.max < 3.9
        and row.candidates
        and QUANTITIES[row.candidates[0].quantity].unit == "V"
    ):
        doubts.append("so few volts are those of one cell: say so, or look again")
        row.quantity = row.quantity if row.quantity and PER_CLASS.get(row.quantity) is None else None
    row.doubts = doubts + row.doubts
    if row.quantity:
        _choices_meant(row)
        row.sure = _is_sure(f, row, context, found)
    return row


def _listed(row: ManualRow, cell: Cell) -> None:
    """Write down the choices of a row; figures in even steps become a range."""
    if cell.listed:
        entries = cell.listed
        said = [is_yes(e.shows) for e in entries]
        if len(entries) > 2 and None not in said:  # the same two in two languages
            entries = [entries[said.index(True)], entries[said.index(False)]] if True in said and False in said else entries
        row.choices = {e.code: ChoiceRead(shows=e.shows) for e in entries}
        return
    figures = cell.figures
    if cell.low is not None and cell.high is not None and figures:
        if cell.step and (cell.high - cell.low) / cell.step <= 200:
            steps = [round(cell.low + k * cell.step, 9) for k in range(int((cell.high - cell.low) / cell.step + 1e-6) + 1)]
            figures = sorted({*figures, *steps})
        else:
            row.doubts.append(
                f"{', '.join(f'{v:g}' for v in figures)} {cell.unit} besides its range: the step says which figures it takes"
            )
            row.min, row.max = min(cell.low, *figures), max(cell.high, *figures)
            return
    if len(figures) > 1:
        gaps = {round(b - a, 9) for a, b in pairwise(figures)}
        row.min, row.max = min(figures), max(figures)
        if len(gaps) == 1 and min(gaps) > 0 and len(figures) > 2:
            row.step = row.step or gaps.pop()
            return
        row.step = None
        row.choices = {f"{v:.12g}": ChoiceRead(shows=f"{v:.12g}", means=f"{v:.12g}") for v in figures}
    elif len(figures) == 1 and cell.low is None:
        row.doubts.append("only one figure stands where its range should")


def _choices_meant(row: ManualRow) -> None:
    """Say what the words beside a quantity's choices mean, where they say it plainly and each says another."""
    q = QUANTITIES[row.quantity or ""]
    if q.kind == "switch":
        means = {code: is_yes(c.shows) for code, c in row.choices.items()}
        if None in means.values() and set(row.choices) == {"0", "1"} and all(is_yes(c.shows) is None for c in row.choices.values()):
            return
        for code, yes in means.items():
            row.choices[code].means = None if yes is None else "yes" if yes else "no"
    elif q.kind == "choice":
        found = {code: choice_meaning(q.name, c.shows) for code, c in row.choices.items()}
        for code, key in found.items():
            row.choices[code].means = key if list(found.values()).count(key) == 1 else None


def _is_sure(f: Found, row: ManualRow, context: Context, found: Sequence[Found]) -> bool:
    q = QUANTITIES[row.quantity or ""]
    value, needs = f.shares[q.name]
    if any(not p.ideas or p.slip for p in parts_of(f.named)) or (q.unit and not row.unit and q.kind != "clock"):
        return False
    if value < SURE or row.doubts or any(name != q.name and v > value - APART and n >= needs for name, (v, n) in f.shares.items()):
        return False
    if any(o is not f and (o.shares.get(q.name, (0.0, 0))[0] > value - APART) for o in found):
        return False
    if q.kind in ("choice", "switch"):
        return (
            bool(row.choices)
            and (f.form == "switch") == (q.kind == "switch")
            and (q.kind == "choice" or all(c.means for c in row.choices.values()))
        )
    if q.kind == "clock":
        return f.cell.clock
    usual = _usual(q.name, f, context)
    if usual is None and ((q.unit and not f.cell.unit) or (q.name in PER_CLASS and context.class_v is None)):
        return False
    return usual is not False and f.form == "figure"


def suggested_steps(rows: Sequence[ManualRow]) -> dict[str, float]:
    """Return by unit what step rows without one probably have: the commonest of that unit, else the last decimal that their figures show."""
    out: dict[str, float] = {}
    for row in rows:
        if row.step is not None or row.choices or row.min is None or row.max is None or row.unit == "HH:MM" or row.unit in out:
            continue
        said = Counter(r.step for r in rows if r.unit == row.unit and r.step is not None and r.per_cell == row.per_cell)
        shown = [t for r in rows if r.unit == row.unit and r.step is None for t in (r.min, r.max, r.factory) if t not in (None, "")]
        places = max((len(f"{v:g}".partition(".")[2]) for t in shown if (v := read_number(str(t)).value) is not None), default=0)
        out[row.unit] = said.most_common(1)[0][0] if said else round(10.0**-places, 6)
    return out
