"""The cells of one row read into its label, its place in the menu, its figures or its choices."""

from __future__ import annotations

import re

from ...trade.numbers import Mark, read_number
from .cells import CLOCK, OF_RATED, RANGE, SINGLE, SINGLE_WITH_UNIT, STEP, Cell, Listed, is_yes, marks_off, read_cell, tidy, unit_of
from .context import Context, Found
from .words import MEASURED_IN, parts_of

_PATH = re.compile(r"\s*(?:>{1,2}|»|›|→|➔|▸|⟶|->)\s*|\s*\\\s*")
_LABEL_UNIT = re.compile(r"\s*[\[(](?P<unit>[^\])]{1,18})[\])]\s*$|\s*,\s*(?P<unit2>%|v|a|w|min|h|s|hz|°c)\s*$", re.IGNORECASE)
CODE = re.compile(
    r"^\s*(?P<code>[\[(]?(?:\d{1,3}(?:[.-]\d{1,3})*|[A-Z]{1,4}[-._]?\d{1,3}[a-z]?)[\])]?)[.):]?\s+(?P<rest>[^\W\d_].*)$"
)


def value_start(text: str, mark: Mark) -> int | None:
    """Return where the values of a line begin; None where it has none."""
    starts = []
    if found := RANGE.search(text):
        starts.append(found.start())
    if found := re.search(rf"(?<![\w.]){SINGLE_WITH_UNIT}", text, re.IGNORECASE):
        starts.append(found.start())
    if found := re.search(r"(?<!\S)[\[(]?\d{1,2}[\])]?\s*[=:]\s*\S", text):
        starts.append(found.start())
    if found := re.search(r"(?<!\S)[^\s/]{1,16}(?:\s?/\s?[^\s/]{1,16})+", text):
        starts.append(found.start())
    if found := re.search(r"(?<=\s)[-+]?\d+(?:[.,]\d+)?(?:\s+[-+]?\d+(?:[.,]\d+)?)*\s*$", text):
        starts.append(found.start())
    starts = [s for s in starts if s > 0 or len(text.split()) == 1]
    return min(starts) if starts else None


def loose_values(text: str, mark: Mark) -> Cell:
    """Read the values of a line: a range or a list, then step and factory value in either order."""
    step = STEP.search(text)
    bare = (text[: step.start()].rstrip(" (,;/[") + " " + text[step.end() :].lstrip(" )];/,")).strip() if step else text
    times = CLOCK.findall(bare)
    if len(times) == 3:
        cell = read_cell(bare, mark)
        cell.default = f"{int(times[2][0]):02d}:{times[2][1]}"
        return cell
    spans = list(RANGE.finditer(bare))
    if spans:
        numbers = re.match(rf"^\s*({SINGLE})(?:\s+({SINGLE}))?\s*$", bare[spans[-1].end() :], re.IGNORECASE)
        if numbers:
            cell = read_cell(bare[: spans[-1].end()], mark)
            if step:
                said = read_cell(step[0], mark)
                cell.step, cell.step_unit = said.step, said.step_unit
            values = [c for c in (read_cell(n, mark) for n in numbers.groups() if n) if len(c.figures) == 1]
            _step_and_factory(cell, [c.figures[0] for c in values])
            cell.unit = cell.unit or next((c.unit for c in values if c.unit), "")
            return cell
    head, _, last = text.rpartition(" ")
    cell, whole = read_cell(head, mark, choices=True), read_cell(text, mark, choices=True)
    known = {e.code.casefold() for e in cell.listed} | {e.shows.casefold() for e in cell.listed}
    if cell.listed and last.casefold() in known:
        cell.default = last
        return cell
    return whole


def _step_and_factory(cell: Cell, figures: list[float]) -> None:
    """Tell the step from the factory value among the figures behind a range."""
    low, high = cell.low or 0.0, cell.high or 0.0
    small = [v for v in figures if 0 < v <= (high - low) / 4]
    if cell.step is None and len(figures) == 2:
        cell.step = min(figures, key=lambda v: (v not in small, v))
        figures = [figures[1] if figures[0] == cell.step else figures[0]]
    elif cell.step is None and figures and small and not low - 1e-9 <= figures[0] <= high + 1e-9:
        cell.step, figures = figures[0], []
    if figures:
        cell.default = f"{figures[-1]:.12g}"


def read_values(f: Found, context: Context) -> None:
    """Read the cells of a row."""
    got, mark = f.got, context.mark
    label, marks = marks_off(tidy(got.get("name", "")))
    label = re.sub(r"\s*:$", "", label)
    path = [p.strip(" :") for p in _PATH.split(label) if p.strip()]
    if len(path) > 1:
        f.path = [*f.path, *path[:-1]]
        label = path[-1]
    if "menu" in got:
        f.path = [*f.path, *[p.strip() for p in _PATH.split(got["menu"]) if p.strip()]]
    if not got.get("place") and (
        found := re.match(
            r"^\s*[\[(]?(?P<code>[A-Z]{0,3}\d{1,3}(?:[.-]\d{1,3})*|[A-Z]{1,3}-\d{1,3})[\])]?[.):]?\s+(?P<rest>[^\W\d_].{3,})$",
            label,
        )
    ):
        got["place"], label = found["code"], found["rest"]
    label_unit, label_cell, label_rated = "", False, False
    if found := _LABEL_UNIT.search(label):
        label_unit, label_cell, label_rated = unit_of(found["unit"] or found["unit2"])
        if label_unit:
            label = label[: found.start()]
    f.label = (label or got.get("place", ""))[:60]
    f.named = " ".join(context.words.get(w.strip(".,:"), w) for w in f.label.split())
    if OF_RATED.search(f.named):
        label_rated, f.named = True, OF_RATED.sub(" ", f.named)
    if f.label in context.words:
        f.named = context.words[f.label]
    text = got.get("range", "")
    cell = loose_values(text, mark) if context.loose else read_cell(text, mark)
    if "choices" in got:
        more = read_cell(got["choices"], mark, choices=True)
        if more.listed or more.figures:
            cell.listed, cell.figures = more.listed or cell.listed, cell.figures or more.figures
        elif more.low is not None and cell.low is None:
            cell.low, cell.high, cell.unit = more.low, more.high, cell.unit or more.unit
    for role, end in (("min", "low"), ("max", "high")):
        if role in got:
            one = read_cell(got[role], mark)
            if one.figures or one.clock:
                setattr(cell, end, one.figures[0] if one.figures else (minutes_of(one.default)))
                cell.clock = cell.clock or one.clock
            elif one.listed:
                cell.listed = one.listed
            elif one.off or one.rest:
                cell.off = one.off or got[role]
            cell.doubts += one.doubts
            cell.unit = cell.unit or one.unit
            cell.per_cell = cell.per_cell or one.per_cell
    step = read_cell(got.get("step", ""), mark)
    if step.figures:
        cell.step, cell.step_unit = step.figures[0], step.unit
    elif step.clock:
        cell.step = float(minutes_of(step.default) or 1)
    elif step.step:
        cell.step, cell.step_unit = step.step, step.step_unit
    factory = read_cell(got.get("factory", ""), mark)
    if factory.clock:
        cell.default = factory.default
        cell.clock = cell.clock or (cell.low is None and not cell.listed)
    elif len(factory.figures) == 1 and not factory.rest:
        cell.default = f"{factory.figures[0]:.12g}"
    elif got.get("factory") and not re.fullmatch(r"[-./ ]+", got["factory"]):
        cell.default = marks_off(tidy(got["factory"]))[0]
    elif cell.default:
        one = read_cell(cell.default, mark)
        cell.default = f"{one.figures[0]:.12g}" if len(one.figures) == 1 and not one.rest else cell.default
    unit, per_cell, of_rated = unit_of(got.get("unit", "")) if got.get("unit") else ("", False, False)
    heads = {role: u for role, u in zip(context.roles, context.units, strict=True) if role and u}
    cell.unit = (
        cell.unit
        if cell.unit in ("HH:MM", "% of C", "mV/°C")
        else unit
        or cell.unit
        or label_unit
        or factory.unit
        or cell.step_unit
        or heads.get("range", "")
        or heads.get("min", "")
        or heads.get("factory", "")
        or heads.get("name", "")
    )
    cell.per_cell = cell.per_cell or per_cell or label_cell or factory.per_cell
    cell.of_rated = cell.of_rated or of_rated or label_rated
    cell.marks += marks + marks_off(got.get("range", ""))[1] + factory.marks
    if got.get("note") and not marks_off("x" + got["note"])[0].removeprefix("x").strip():
        cell.marks += marks_off("x" + got.pop("note"))[1]
    if cell.step is None and (cell.low is not None or cell.figures) and (noted := read_cell(got.get("note", ""), mark)).step:
        cell.step, cell.step_unit = noted.step, noted.step_unit
    if cell.step is None and cell.low is not None and not cell.clock:
        cell.step = context.steps.get(cell.unit)
    if cell.step_unit and cell.unit and cell.step_unit != cell.unit and cell.step is not None:
        cell.step = _converted(cell.step, cell.step_unit, cell.unit, cell)
    if not cell.unit and not cell.listed and not cell.clock:
        ideas = frozenset().union(*(p.ideas for p in parts_of(f.named)))
        cell.unit = (
            next((unit for idea, unit in MEASURED_IN.items() if idea in ideas), "")
            if cell.low is not None or len(cell.figures) > 1
            else ""
        )
    if cell.figures == [0.0, 1.0] and cell.low is None and not cell.unit:
        cell.listed, cell.figures = [Listed("0", "0"), Listed("1", "1")], []
    f.cell = cell
    f.form = "clock" if cell.clock else form_of(cell)


def minutes_of(text: str) -> float | None:
    """Return a time as HH:MM in minutes from midnight; None for anything else."""
    found = re.fullmatch(r"(\d{1,2}):(\d{2})", text.strip())
    return float(int(found[1]) * 60 + int(found[2])) if found else None


def _converted(step: float, unit: str, to: str, cell: Cell) -> float | None:
    made = read_number(f"{step:.12g} {unit}", to).value
    if made is None:
        cell.doubts.append(f"the step is in {unit}, the range in {to}")
    return made


def form_of(cell: Cell) -> str:
    """Return what a cell's values are: ``figure``, ``choice`` or ``switch``; empty where it has none."""
    if cell.listed:
        if [e.shows for e in cell.listed] == ["0", "1"]:
            return "switch"
        said = [is_yes(e.shows) for e in cell.listed]
        return "switch" if True in said and False in said and None not in said else "choice"
    return "figure" if cell.low is not None or cell.high is not None or cell.figures else ""
