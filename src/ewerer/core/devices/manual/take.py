"""Rows of a manual's table, confirmed by a person, made into settings of a profile: each is taken with its meaning or refused at its row."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from ...documents.parse import problems_of
from ...documents.profile_words import plain as in_words
from ...documents.profiles import Setting
from ...trade.errors import Error
from ...trade.numbers import read_number
from ...trade.quantities import QUANTITIES, Quantity
from ...trade.usual import CELL_CLASS_V
from .cells import is_yes
from .table import ManualRow
from .words import plain, same_measure

CLOCK_STEP_MIN = 1.0
LONGEST_ID = 34


class Decided(ManualRow):
    """A row as a person confirms it: as read, with what was chosen, and the rating or cells that its figures are of."""

    rated: float | None = Field(default=None, gt=0, description="what 100 % is, in the quantity's own unit")
    cells: int | None = Field(
        default=None, gt=0, le=400, description="lithium cells in series that a figure of one cell is counted with"
    )


class RefusedRow(BaseModel):
    """A row that cannot be taken: which field, why, what would be right."""

    line: int
    label: str
    field: str
    message: str
    expected: str


class Taken(BaseModel):
    """The settings that rows make, in their order, and the rows that are refused."""

    settings: list[dict[str, Any]]
    lines: list[int] = Field(description="the row of each setting")
    refused: list[RefusedRow]


class _RowRefused(Error):
    def __init__(self, field: str, message: str, expected: str) -> None:
        super().__init__(message)
        self.field, self.message, self.expected = field, message, expected


def take(
    rows: Collection[Decided], taken: Collection[str] = (), class_v: float | None = None, ratings: dict[str, float] | None = None
) -> Taken:
    """Return the settings of confirmed rows. Nothing that was confirmed is lost: a row is taken whole, or refused in words.

    ``taken`` are names that are used already; ``class_v`` the voltage class [V]; ``ratings`` the device's rating [A] by quantity,
    for what is displayed in percent of it.
    """
    used = set(taken)
    out = Taken(settings=[], lines=[], refused=[])
    held: dict[str, str] = {}
    for row in rows:
        try:
            if row.quantity and row.quantity in held:
                word = QUANTITIES[row.quantity].word
                raise _RowRefused("quantity", f"“{held[row.quantity]}” is already taken for {word}", "one row for each meaning")
            setting = _setting(row, used, class_v, ratings or {})
        except _RowRefused as why:
            out.refused.append(
                RefusedRow(line=row.line, label=row.label, field=why.field, message=why.message, expected=why.expected)
            )
            continue
        if row.quantity:
            held[row.quantity] = row.label
        used.add(setting["id"])
        out.settings.append(setting)
        out.lines.append(row.line)
    return out


def _slug(label: str, used: Collection[str]) -> str:
    stem = (re.sub(r"[^a-z0-9]+", "-", plain(label)).strip("-") or "setting")[:LONGEST_ID].strip("-")
    name, n = stem, 2
    while name in used:
        name, n = f"{stem}-{n}", n + 1
    return name


def _setting(row: Decided, used: Collection[str], class_v: float | None, ratings: dict[str, float]) -> dict[str, Any]:
    q = QUANTITIES.get(row.quantity or "")
    if row.quantity and q is None:
        raise _RowRefused("quantity", f"{row.quantity} is not known", "one from the list")
    out: dict[str, Any] = {"id": _slug(row.label, used), "menu": row.menu or ["Settings"], "label": row.label}
    if q:
        out["quantity"] = q.name
    if row.note:
        out["note"] = row.note[:600]
    listed = [read_number(code) for code in row.choices] if row.choices else []
    numbers = [n.value for n in listed if n.value is not None]
    figures = bool(row.choices) and len(numbers) == len(row.choices) and all(c.shows == code for code, c in row.choices.items())
    if row.choices and not (figures and (q is None or q.kind not in ("choice", "switch"))):
        out |= _chosen(row, q)
    else:
        out |= _figured(row, q, sorted(n for n in numbers) if figures else [], class_v, ratings)
    try:
        Setting.model_validate(out)
    except ValidationError as error:
        first = problems_of(Setting, error)[0]
        field = first.pointer.split("/")[1] if first.pointer else "row"
        raise _RowRefused(field, in_words(first.message), "a row that a display can show") from None
    return out


def _chosen(row: Decided, q: Quantity | None) -> dict[str, Any]:
    """Return how a row of words is written: each choice by its meaning, else by its own words."""
    shown = {code: code if c.shows == code or not c.shows else f"{code} {c.shows}"[:60] for code, c in row.choices.items()}
    if q is not None and q.kind not in ("choice", "switch"):
        raise _RowRefused("quantity", f"{q.word} is a figure, and this row lists words", "another meaning, or none")
    factory = next(
        (
            shown[code]
            for code, c in row.choices.items()
            if row.factory and row.factory.casefold() in (code.casefold(), c.shows.casefold())
        ),
        None,
    )
    means = {code: c.means for code, c in row.choices.items()}
    if q is None or q.kind == "switch":
        said = {code: means[code] or {True: "yes", False: "no", None: None}[is_yes(c.shows)] for code, c in row.choices.items()}
        if set(said.values()) == {"yes", "no"} and len(said) == 2:
            encoding: dict[str, Any] = {"kind": "on-off", "choices": {key: shown[code] for code, key in said.items() if key}}
            return {"encoding": encoding, **({"factory": factory} if factory else {})}
        if q is not None:
            raise _RowRefused("choices", f"which of {', '.join(shown.values())} is on, and which is off?", "one on, one off")
    keys: dict[str, str] = {}
    for code, key in means.items():
        if key and key in keys:
            raise _RowRefused(
                "choices", f"{shown[code]} and {keys[key]} are said to mean the same", "a meaning of its own for each"
            )
        keys[key or _slug(row.choices[code].shows or code, keys)] = shown[code]
    if len(set(keys.values())) != len(keys):
        raise _RowRefused("choices", "two of them show the same", "a different word for each")
    return {"encoding": {"kind": "choice", "choices": keys}, **({"factory": factory} if factory else {})}


def _figured(
    row: Decided, q: Quantity | None, values: list[float], class_v: float | None, ratings: dict[str, float]
) -> dict[str, Any]:
    """Return how a row of figures is written: its ends, its step, and how the quantity becomes what the display shows."""
    if q is not None and q.kind in ("choice", "switch"):
        raise _RowRefused(
            "quantity", f"{q.word} is chosen from words, and this row has figures", "another meaning, or the list of its words"
        )
    clock = row.unit == "HH:MM"
    if not values:
        for name, word in (("min", "lowest"), ("max", "highest")):
            if getattr(row, name) is None:
                raise _RowRefused(name, f"its {word} figure is not given", "a figure as displayed")
        if row.step is None and not clock:
            raise _RowRefused("step", "its step is not given", "the least change of its display, such as 0.1")
    out: dict[str, Any] = {"unit": "" if clock else row.unit[:12]}
    out |= {"values": values} if values else {"min": row.min, "max": row.max, "step": row.step or CLOCK_STEP_MIN}
    if row.factory:
        out["factory"] = row.factory
    if row.off is not None:
        out["off"] = f"{row.off:g}" if isinstance(row.off, float) else str(row.off)
    encoding = _encoding(row, q, clock, class_v, ratings)
    return {**out, **({"encoding": encoding} if encoding else {})}


def _encoding(row: Decided, q: Quantity | None, clock: bool, class_v: float | None, ratings: dict[str, float]) -> dict[str, Any]:
    if clock:
        if q is not None and q.kind != "clock":
            raise _RowRefused(
                "quantity",
                f"{q.word} is a length of time, and this row shows a time of day",
                "another meaning, or the range in minutes",
            )
        return {"kind": "hhmm"}
    if q is None:
        return {}
    if q.kind == "clock":
        raise _RowRefused("unit", f"{q.word} is a time of day", "a range such as 00:00 to 23:59")
    if row.of_rated or (row.unit == "%" and q.unit == "A") or (row.unit == "C" and q.unit == "A"):
        rated = row.rated or (ratings.get(q.name) if row.unit == "%" else None)
        if rated is None:
            raise _RowRefused(
                "rated",
                "it is shown as a part of a rating",
                f"how many {q.unit} 100 % are" if row.unit != "C" else "the capacity in Ah",
            )
        return {"kind": "plain", "scale": 1 / rated} if row.unit == "C" else {"kind": "percent-of-rated", "rated": rated}
    if q.kind in ("soc", "level"):
        if row.unit not in ("%", ""):
            raise _RowRefused("unit", f"{q.word} is in percent, and this row in {row.unit}", "another meaning, or %")
        return {"kind": "plain", "scale": 100.0}
    if row.per_cell == 2:
        return {"kind": "per-2v-cell"}
    if row.per_cell == 1:
        cells = row.cells or (round(class_v / CELL_CLASS_V[1]) if class_v else None)
        if cells is None:
            raise _RowRefused("cells", "it is shown for one cell", "how many cells are in series")
        return {"kind": "plain", "scale": round(1 / cells, 9)}
    if row.unit and row.unit != q.unit:
        if not same_measure(row.unit, q):
            raise _RowRefused(
                "unit",
                f"{q.word} is in {q.unit or 'no unit'}, and this row in {row.unit}",
                f"another meaning, or {q.unit or 'no unit'}",
            )
        factor = read_number(f"1 {q.unit}", row.unit).value
        if row.unit == "°F" or not factor:
            raise _RowRefused("unit", f"{row.unit} cannot be kept for {q.word}", q.unit)
        return {} if factor == 1 else {"kind": "plain", "scale": factor}
    return {}
