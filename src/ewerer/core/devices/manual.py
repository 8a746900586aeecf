"""The table of settings of a manual, pasted or as a spreadsheet, read into settings of a profile.

Columns are recognised by their headers or by what stands in them; each row is matched to a quantity by words in four
languages (``trade/spoken.json``) and by its unit, with a confidence that a person confirms or changes. Nothing is taken over
unseen: what is unsure says so.

Sources: the words are common practice of the trade; likeness of texts by RapidFuzz (Levenshtein and token ratios).
"""

from __future__ import annotations

import io
import json
import re
import unicodedata
import zipfile
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, Field
from rapidfuzz import fuzz, process

from ..documents.parse import read_rows, shortened
from ..trade.budget import MAX_DOCUMENT_BYTES
from ..trade.errors import DocumentError, Problem
from ..trade.numbers import Mark, read_number
from ..trade.quantities import QUANTITIES, Quantity

Role = Literal["place", "name", "range", "step", "factory", "unit", "choices", "note", "min", "max"]
MAX_ROWS, MAX_COLUMNS, MAX_CELL = 400, 20, 400
"""Most rows and columns of a table, and most characters of a cell."""
SURE = 0.86
"""From this likeness on a match is shown as sure [T]."""
LEAST = 0.66
"""Below this likeness a row stays without a quantity [T]."""
PERCENT = ("soc", "level")
"""Kinds of quantities that are kept as a fraction and shown in percent."""

HEADERS: dict[Role, tuple[str, ...]] = {
    "place": ("no", "no.", "nr", "nr.", "n°", "number", "menu", "program", "item", "code", "id", "#", "index", "menü", "numéro", "número", "place", "position"),
    "name": ("setting", "name", "description", "parameter", "function", "label", "einstellung", "bezeichnung", "beschreibung", "réglage", "paramètre", "désignation", "ajuste", "parámetro", "descripción"),
    "range": ("range", "setting range", "values", "allowed values", "bereich", "einstellbereich", "wertebereich", "plage", "plage de réglage", "rango", "rango de ajuste"),
    "step": ("step", "increment", "resolution", "step size", "schritt", "schrittweite", "pas", "incrément", "paso", "incremento"),
    "factory": ("default", "factory", "factory setting", "default value", "werkseinstellung", "werk", "standard", "défaut", "valeur par défaut", "réglage d'usine", "valor de fábrica", "por defecto", "predeterminado"),
    "unit": ("unit", "units", "einheit", "unité", "unidad"),
    "choices": ("options", "choices", "selection", "auswahl", "optionen", "choix", "opciones"),
    "note": ("note", "notes", "remark", "remarks", "comment", "bemerkung", "hinweis", "remarque", "nota", "observaciones"),
    "min": ("min", "minimum", "from", "von", "mínimo"),
    "max": ("max", "maximum", "to", "bis", "máximo"),
}  # fmt: skip
UNITS = {
    "v": "V", "vdc": "V", "vac": "V", "v dc": "V", "v ac": "V", "volt": "V", "volts": "V", "mv": "mV", "a": "A", "amp": "A", "amps": "A", "adc": "A", "aac": "A",
    "w": "W", "kw": "kW", "va": "W", "kva": "kW", "%": "%", "% soc": "%", "soc": "%", "soc %": "%", "soc%": "%", "min": "min", "mins": "min", "minutes": "min", "minuten": "min",
    "minutos": "min", "s": "s", "sec": "s", "h": "h", "hours": "h", "std": "h", "days": "days", "day": "days", "d": "days", "tage": "days", "jours": "days", "días": "days",
    "ah": "Ah", "hz": "Hz", "°c": "°C", "c": "°C", "mv/°c": "mV/°C", "mv/c": "mV/°C", "mv/k": "mV/°C", "mv/°c/cell": "mV/°C", "ohm": "Ω", "mohm": "mΩ", "mω": "mΩ", "v/cell": "V/cell",
    "vpc": "V/cell", "bit/s": "bit/s", "bps": "bit/s", "kbps": "kbit/s",
}  # fmt: skip
_UNIT = "|".join(sorted((re.escape(u) for u in UNITS), key=len, reverse=True))
_FIGURE = r"[-+−]?(?:\d[\d.,' ]*\d|\d)"
_RANGE = re.compile(
    rf"({_FIGURE})\s*({_UNIT})?\s*(?:~|–|—|\.\.\.|…|\.\.|-|÷|\bto\b|\bbis\b|\bà\b|\ba\b|\bhasta\b)\s*({_FIGURE})\s*({_UNIT})?(?![\w])",
    re.IGNORECASE,
)
_STEP = re.compile(
    rf"(?:\(|\bstep:?|\bsteps of|\bschritt:?|\bpas(?: de)?:?|\bpaso:?|\bincrement:?|,|;|/)\s*(?:of )?({_FIGURE})\s*({_UNIT})?\s*(?:\)|/ ?(?:div|step|click|digit)|steps?\b|per step|$)",
    re.IGNORECASE,
)
_YES = {
    "on",
    "enable",
    "enabled",
    "yes",
    "ein",
    "an",
    "ja",
    "aktiv",
    "oui",
    "marche",
    "activé",
    "sí",
    "si",
    "activado",
    "encendido",
}
_NO = {"off", "disable", "disabled", "no", "aus", "nein", "inaktiv", "non", "arrêt", "désactivé", "desactivado", "apagado"}


class Guess(BaseModel):
    """A quantity that a row may be, its plain name, and how sure it is from 0 to 1."""

    quantity: str
    word: str
    unit: str
    confidence: float


class ManualRow(BaseModel):
    """One row of a table of settings as read: what stood there, and the setting that it makes."""

    line: int = Field(description="the row of the table, from 1")
    place: str = Field(description="number or menu as printed")
    label: str = Field(description="name as printed")
    quantity: str = Field(description="the quantity that it is matched to, empty for none")
    confidence: float = Field(description="likeness of the match, 0 to 1")
    sure: bool
    guesses: list[Guess] = Field(description="the likeliest quantities, best first")
    unit: str
    min: float | None = None
    max: float | None = None
    step: float | None = None
    factory: str = ""
    choices: list[str] = []
    note: str = ""
    problems: list[str] = Field(default=[], description="what could not be read, in words")
    setting: dict[str, Any] = Field(description="the setting of a profile that this row makes")


class ManualTable(BaseModel):
    """A table of settings as read: what each column was taken for, and its rows."""

    columns: list[str] = Field(description="the role of each column, empty where it is not used")
    headers: list[str]
    rows: list[ManualRow]


def read_table(source: str | bytes) -> ManualTable:
    """Read a table of settings from text (tabs, semicolons, commas, bars or gaps between cells) or an XLSX file.

    Raises :class:`DocumentError` for what is too big, no text, no such file, or has no row that reads as a setting.
    """
    grid = _grid(source)
    if not grid:
        raise _refused("no rows", "a table with a row for each setting: number, name, range, step, factory value")
    roles, headers, body, first = _roles(grid)
    mark: Mark = "," if _decimal_commas(body) else "."
    rows = [_row(first + i, cells, roles, mark) for i, cells in enumerate(body)]
    rows = [r for r in rows if r.label]
    if not rows:
        raise _refused("no column with names of settings", "a column with the name of each setting")
    _one_each(rows)
    taken: set[str] = set()
    for row in rows:
        row.setting = _setting(row, taken)
        taken.add(str(row.setting["id"]))
    return ManualTable(columns=[r or "" for r in roles], headers=headers, rows=rows)


def _refused(message: str, expected: str, value: Any = None) -> DocumentError:
    return DocumentError([Problem(pointer="", message=message, value=value, expected=expected)])


def _grid(source: str | bytes) -> list[list[str]]:
    if len(source) > MAX_DOCUMENT_BYTES:
        raise _refused("the table is too big", f"at most {MAX_DOCUMENT_BYTES} bytes")
    if isinstance(source, bytes):
        if source[:2] == b"PK":
            return _bounded(_sheet(source))
        try:
            source = source.decode("utf-8-sig")
        except UnicodeDecodeError:
            raise _refused("neither text in UTF-8 nor a spreadsheet", "text, CSV or XLSX") from None
    text = "".join(c if c in "\t\n\r" or not unicodedata.category(c).startswith("C") else " " for c in source)
    lines = [line for line in text.splitlines() if line.strip()]
    return _bounded(_cells(lines))


def _sheet(data: bytes) -> list[list[str]]:
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(f.file_size for f in archive.infolist()) > 20 * MAX_DOCUMENT_BYTES:
                raise _refused("the spreadsheet is too big when unpacked", f"at most {20 * MAX_DOCUMENT_BYTES} bytes")
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        rows = sheet.iter_rows(max_row=MAX_ROWS + 50, max_col=MAX_COLUMNS, values_only=True)
        return [["" if v is None else f"{v:g}" if isinstance(v, float) else str(v) for v in row] for row in rows]
    except (zipfile.BadZipFile, InvalidFileException, KeyError, ValueError, OSError, IndexError) as error:
        if isinstance(error, DocumentError):
            raise
        raise _refused("this spreadsheet cannot be read", "an XLSX file with the table on its first sheet") from None


def _bounded(grid: Sequence[Sequence[str]]) -> list[list[str]]:
    out = [[re.sub(r"\s+", " ", c).strip()[:MAX_CELL] for c in row[:MAX_COLUMNS]] for row in grid if any(c.strip() for c in row)]
    if len(out) > MAX_ROWS:
        raise _refused(f"{len(out)} rows", f"at most {MAX_ROWS} rows")
    width = max((len(r) for r in out), default=0)
    return [r + [""] * (width - len(r)) for r in out]


def _cells(lines: list[str]) -> list[list[str]]:
    """Split lines at what most of them share: tabs, bars, semicolons, commas, gaps of two blanks; else by what stands there."""
    for sign in ("\t", "|", ";"):
        if sum(sign in line for line in lines) >= max(1, 0.6 * len(lines)):
            trimmed = [line.strip().strip("|") if sign == "|" else line for line in lines]
            rows = read_rows("\n".join(trimmed), sign, tight=True)
            return [r for r in rows if not all(re.fullmatch(r"[\s:=-]*", c) for c in r)]
    rows = read_rows("\n".join(lines), tight=True)
    widths = {len(r) for r in rows}
    if len(widths) == 1 and widths.pop() > 2:
        return rows
    gaps = [re.split(r" {2,}", line.strip()) for line in lines]
    if sum(len(r) > 2 for r in gaps) >= 0.6 * len(gaps):
        return gaps
    return [_loose(line) for line in lines]


def _loose(line: str) -> list[str]:
    """A line out of a PDF, its cells run together: number, name, then what begins with a figure."""
    found = re.fullmatch(
        r"\s*(?:(?P<no>[A-Z]{0,3}[-.]?\d{1,3}(?:[.-]\d{1,3})*)[.):]?\s+)?(?P<name>[^\d(]*[^\d\s(])\s*(?P<rest>.*)", line
    )
    if not found:
        return ["", line, "", "", ""]
    rest = found["rest"]
    span = _RANGE.search(rest)
    after = rest[span.end() :] if span else rest
    step = _STEP.match(after.strip()) or re.match(rf"\s*({_FIGURE})\s*({_UNIT})(?=\s)", after, re.IGNORECASE)
    tail = after.strip()[step.end() :] if step else after
    return [found["no"] or "", found["name"], span[0] if span else "", step[0] if step else "", tail.strip()]


def _plain(text: str) -> str:
    bare = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return re.sub(r"[^a-z0-9%]+", " ", bare.lower()).strip()


def _roles(grid: list[list[str]]) -> tuple[list[Role | None], list[str], list[list[str]], int]:
    for at, row in enumerate(grid[:4]):
        roles = _by_header(row)
        if "name" in roles and sum(r is not None for r in roles) >= 2:
            return roles, row, grid[at + 1 :], at + 2
    return _by_content(grid), [], grid, 1


def _by_header(row: list[str]) -> list[Role | None]:
    out: list[Role | None] = []
    for cell in row:
        text = _plain(re.sub(r"\(.*?\)|\[.*?\]", "", cell))
        best, score = None, 0.0
        for role, words in HEADERS.items():
            if role in out:
                continue
            got = max(fuzz.ratio(text, _plain(w)) for w in words) if text else 0
            if cell.strip() == "#" and role == "place":
                got = 100
            if got > score:
                best, score = role, got
        out.append(best if score >= 84 else None)
    return out


def _by_content(grid: list[list[str]]) -> list[Role | None]:
    width = len(grid[0])
    columns = [[row[i] for row in grid if row[i]] for i in range(width)]

    def part(i: int, like: Any) -> float:
        return sum(bool(like(c)) for c in columns[i]) / max(1, len(columns[i]))

    out: list[Role | None] = [None] * width
    free = [i for i in range(width) if columns[i]]

    def give(role: Role, score: Any, least: float) -> None:
        if not free:
            return
        best = max(free, key=score)
        if score(best) >= least:
            out[best] = role
            free.remove(best)

    give("name", lambda i: sum(_words(c) for c in columns[i]) / len(grid), 0.6)
    give("range", lambda i: part(i, _RANGE.search), 0.3)
    give("place", lambda i: part(i, lambda c: re.fullmatch(r"[A-Z]{0,3}[-.]?\d{1,3}([.-]\d{1,3})*", c)) - 0.01 * i, 0.5)
    give("unit", lambda i: part(i, lambda c: c.lower() in UNITS), 0.5)
    numeric = [i for i in free if part(i, lambda c: re.match(_FIGURE, c)) >= 0.4]
    if len(numeric) >= 2:
        step = min(numeric, key=lambda i: sum(abs(_first(c)) for c in columns[i]) / len(columns[i]))
        out[step] = "step"
        free.remove(step)
        numeric.remove(step)
    if numeric:
        out[numeric[0]] = "factory"
        free.remove(numeric[0])
    if "range" in out and free:
        give("note", lambda i: part(i, lambda c: _words(c) > 0), 0.5)
    return out


def _words(cell: str) -> int:
    return len(re.findall(r"[^\W\d_]{3,}", cell))


def _first(cell: str) -> float:
    found = re.search(r"\d+(?:[.,]\d+)?", cell)
    return float(found[0].replace(",", ".")) if found else 0.0


def _decimal_commas(body: list[list[str]]) -> bool:
    cells = [c for row in body for c in row]
    commas = sum(bool(re.search(r"\d,\d{1,2}(?!\d)", c)) for c in cells)
    return commas > sum(bool(re.search(r"\d\.\d{1,2}(?!\d)", c)) for c in cells)


def _row(line: int, cells: list[str], roles: list[Role | None], mark: Mark) -> ManualRow:
    got: dict[str, str] = {}
    for role, cell in zip(roles, cells, strict=True):
        if role and cell:
            got[role] = cell
    problems: list[str] = []
    label = re.sub(r"\s*[:.]$", "", got.get("name", ""))[:60]
    unit = UNITS.get(got.get("unit", "").lower(), got.get("unit", "")[:12])
    span_text = got.get("range", "")
    low, high, span_unit = _span(span_text, mark, problems)
    if "min" in got or "max" in got:
        low, high = _figure(got.get("min", ""), mark, problems)[0], _figure(got.get("max", ""), mark, problems)[0]
    step, step_unit = _step(got.get("step", ""), span_text, mark, problems)
    factory, factory_unit = _factory(got.get("factory", ""), mark)
    unit = unit or span_unit or factory_unit or step_unit
    if low is not None and high is not None and low > high:
        problems.append(f"the range runs from {low:g} down to {high:g}")
        low, high = high, low
    choices = _choices(got.get("choices", "") or ("" if low is not None else span_text))
    if low is None and not choices and span_text:
        problems.append(f"the range “{shortened(span_text)}” was not understood")
    guesses = _guesses(label, unit, bool(choices))
    best = guesses[0] if guesses and guesses[0].confidence >= LEAST else None
    return ManualRow(
        line=line,
        place=got.get("place", "")[:40],
        label=label,
        quantity=best.quantity if best else "",
        confidence=best.confidence if best else 0.0,
        sure=bool(best and best.confidence >= SURE),
        guesses=guesses,
        unit=unit,
        min=low,
        max=high,
        step=step,
        factory=factory,
        choices=choices,
        note=got.get("note", ""),
        problems=problems,
        setting={},
    )


def _figure(text: str, mark: Mark, problems: list[str]) -> tuple[float | None, str]:
    found = re.search(rf"({_FIGURE})\s*({_UNIT})?(?![\w])", text, re.IGNORECASE)
    if not found:
        return None, ""
    said = read_number(found[1].strip().rstrip(".,"), mark=mark)
    if said.ask:
        problems.append(f"“{found[1].strip()}” could be {said.ask[0]:g} or {said.ask[1]:g}")
        return None, ""
    return said.value, UNITS.get((found[2] or "").lower(), "")


def _span(text: str, mark: Mark, problems: list[str]) -> tuple[float | None, float | None, str]:
    found = _RANGE.search(text)
    if not found:
        return None, None, ""
    low, _ = _figure(found[1], mark, problems)
    high, _ = _figure(found[3], mark, problems)
    return low, high, UNITS.get((found[4] or found[2] or "").lower(), "")


def _step(text: str, span: str, mark: Mark, problems: list[str]) -> tuple[float | None, str]:
    if text:
        step, unit = _figure(text, mark, problems)
    else:
        rest = _RANGE.sub(" ", span, count=1)
        found = _STEP.search(rest)
        step, unit = _figure(f"{found[1]} {found[2] or ''}", mark, problems) if found else (None, "")
    return (step if step and step > 0 else None), unit


def _factory(text: str, mark: Mark) -> tuple[str, str]:
    said, unit = (
        _figure(text, mark, [])
        if re.match(rf"\s*(?:default:?\s*)?{_FIGURE}\s*(?:{_UNIT})?\s*$", text, re.IGNORECASE)
        else (None, "")
    )
    return (f"{said:.12g}" if said is not None else text[:60]), unit


def _choices(text: str) -> list[str]:
    parts = [
        re.sub(r"^\s*(?:\(?\d{1,2}\)?\s*[:=.)-]\s*)", "", p).strip()
        for p in re.split(r"\s*[/|;,]\s*|\s+or\s+|\s+oder\s+|\s+ou\s+|\s+o\s+", text)
    ]
    parts = [p[:60] for p in parts if p and not re.fullmatch(r"[-–—.]+", p)]
    return list(dict.fromkeys(parts)) if 2 <= len(parts) <= 40 else []


@lru_cache(maxsize=1)
def _phrases() -> tuple[list[str], list[str]]:
    spoken: dict[str, list[str]] = json.loads((Path(__file__).parent.parent / "trade" / "spoken.json").read_text(encoding="utf-8"))
    pairs = {(_plain(phrase), name) for name, phrases in spoken.items() for phrase in phrases}
    pairs |= {(_plain(q.word), name) for name, q in QUANTITIES.items() if len(_plain(q.word)) > 4}
    ordered = sorted(pairs)
    return [p for p, _ in ordered], [n for _, n in ordered]


def _fits(q: Quantity, unit: str, chosen: bool) -> float:
    """How far a quantity's own unit speaks for it: 1 fits, 0.9 unknown, less where it contradicts."""
    if chosen:
        return 1.0 if q.kind in ("choice", "switch") else 0.72
    if q.kind in ("choice", "switch"):
        return 0.82 if not unit else 0.6
    if not unit:
        return 0.96
    own = "V" if unit in ("V/cell", "mV") else unit
    times = ("min", "h", "s", "days")
    if (
        own == q.unit
        or (own in times and q.unit in times)
        or (own == "kW" and q.unit == "W")
        or (q.unit == "mV/°C" and own == "mV/°C")
    ):
        return 1.0
    return 0.68


def _guesses(label: str, unit: str, chosen: bool) -> list[Guess]:
    text = _plain(label)
    if not text:
        return []
    phrases, names = _phrases()
    best: dict[str, float] = {}
    for _, score, at in process.extract(text, phrases, scorer=fuzz.token_sort_ratio, limit=40) + process.extract(
        text, phrases, scorer=fuzz.token_set_ratio, limit=40
    ):
        # A phrase that is wholly within the text counts by how much of the text it is.
        whole = min(len(phrases[at]), len(text)) / max(len(phrases[at]), len(text))
        likeness = score / 100 * (0.86 + 0.14 * whole)
        q = QUANTITIES[names[at]]
        best[q.name] = max(best.get(q.name, 0), likeness * _fits(q, unit, chosen))
    ordered = sorted(best.items(), key=lambda kv: (-kv[1], kv[0]))[:6]
    return [
        Guess(quantity=n, word=QUANTITIES[n].word, unit=QUANTITIES[n].unit, confidence=round(c, 3)) for n, c in ordered if c > 0.4
    ]


def _one_each(rows: list[ManualRow]) -> None:
    """A quantity goes to the row that is likest; the others say that it is taken."""
    for row in sorted(rows, key=lambda r: (-r.confidence, r.line)):
        held = next(
            (
                r
                for r in rows
                if r is not row
                and r.quantity
                and r.quantity == row.quantity
                and (r.confidence, -r.line) > (row.confidence, -row.line)
            ),
            None,
        )
        if held is None:
            continue
        taken = {r.quantity for r in rows if r is not row}
        other = next((g for g in row.guesses if g.quantity not in taken and g.confidence >= SURE), None)
        row.problems.append(f"“{held.label}” is taken for {QUANTITIES[row.quantity].word}; choose which it is")
        row.quantity, row.confidence, row.sure = (other.quantity, other.confidence, False) if other else ("", 0.0, False)


def _slug(label: str, taken: set[str]) -> str:
    stem = (re.sub(r"[^a-z0-9]+", "-", _plain(label)).strip("-") or "setting")[:34].strip("-")
    name, n = stem, 2
    while name in taken:
        name, n = f"{stem}-{n}", n + 1
    return name


def _setting(row: ManualRow, taken: set[str]) -> dict[str, Any]:
    q = QUANTITIES.get(row.quantity)
    out: dict[str, Any] = {"id": _slug(row.label, taken), "menu": [row.place or "Settings"], "label": row.label}
    if q:
        out["quantity"] = q.name
    if row.note:
        out["note"] = row.note
    if row.choices:
        encoding, quantity_fits = _choice_encoding(row.choices, q)
        if not quantity_fits:
            out.pop("quantity", None)
        return {**out, "encoding": encoding, **({"factory": row.factory} if row.factory in encoding["choices"].values() else {})}
    if row.unit:
        out["unit"] = row.unit
    if q and q.kind in PERCENT:
        out["encoding"] = {"kind": "plain", "scale": 100.0}
    elif q and q.kind == "clock":
        out["encoding"] = {"kind": "hhmm"}
    elif row.unit == "V/cell":
        out["encoding"] = {"kind": "per-2v-cell"}
    elif q and row.unit and q.unit != row.unit and (factor := read_number(f"1 {q.unit}", row.unit).value):
        out["encoding"] = {"kind": "plain", "scale": factor}
    for name in ("min", "max", "step"):
        if (value := getattr(row, name)) is not None:
            out[name] = value
    if row.factory:
        out["factory"] = row.factory
    return out


def _choice_encoding(choices: list[str], q: Quantity | None) -> tuple[dict[str, Any], bool]:
    """How a choice is written, and whether its words are those of the quantity."""
    plain = [_plain(c) for c in choices]
    if (
        len(choices) == 2
        and {plain[0] in _YES, plain[1] in _YES} == {True, False}
        and {plain[0] in _NO, plain[1] in _NO} == {True, False}
    ):
        yes = 0 if plain[0] in _YES else 1
        return {"kind": "on-off", "choices": {"yes": choices[yes], "no": choices[1 - yes]}}, q is None or q.kind == "switch"
    if q and q.choices:
        keys: dict[str, str] = {}
        for shown, text in zip(choices, plain, strict=True):
            key = max(q.choices, key=lambda kv: fuzz.token_set_ratio(text, _plain(kv[1])))
            if fuzz.token_set_ratio(text, _plain(key[1])) >= 80 and key[0] not in keys:
                keys[key[0]] = shown
        if len(keys) == len(choices):
            return {"kind": "choice", "choices": keys}, True
    ordered: dict[str, str] = {}
    for c in choices:
        ordered[_slug(c, set(ordered))] = c
    return {"kind": "choice", "choices": ordered}, q is None or (q.kind == "choice" and not q.choices)
