"""What each column of a manual's table holds: by the words of its header in five languages, else by what stands in it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from itertools import permutations
from typing import Literal

from rapidfuzz import fuzz

from .cells import RANGE, Cell, is_yes, read_cell, unit_of
from .words import parts_of, plain

Role = Literal["place", "menu", "name", "range", "step", "factory", "unit", "choices", "note", "min", "max"]

_HEADERS: dict[Role, str] = {
    "factory": "default factory preset werk werkseinstellung werkswert standard vorgabe defaut usine fabrica defecto predeterminado predefinito fabbrica dflt",
    "step": "step steps increment resolution schritt schrittweite auflosung stufe pas resolucion paso incremento passo incr inc schr raster",
    "min": "min minimum lowest from von minimo untergrenze minimal low lower desde da inf",
    "max": "max maximum highest to bis maximo massimo obergrenze maximal high upper hasta a sup",
    "range": "range bereich einstellbereich wertebereich plage rango intervallo campo allowed adjustable wertevorrat gamma limits grenzen valores werte values limites",
    "unit": "unit units einheit unite unidad unita einh dim dimension",
    "choices": "options choices selection auswahl optionen choix opciones scelta opzioni options possible",
    "note": "note notes remark remarks comment comments bemerkung bemerkungen hinweis remarque remarques nota notas observaciones osservazioni anmerkung kommentar note",
    "place": "no nr number num item index code id pos position numero punkt ziffer prog program programm programma voce # n codigo codice par p kennz addr",
    "menu": "menu path section group gruppe chemin ruta percorso submenu menue seccion sezione rubrik",
    "name": "setting settings name description parameter function label einstellung bezeichnung beschreibung funktion reglage parametre designation libelle ajuste parametro descripcion denominacion impostazione descrizione funzione nome fonction funcion anzeige display screen text titel",
}
_PLACE = re.compile(r"[\[(]?(?:[A-Za-z]{0,4}[-._ ]?\d{1,4}(?:[.-]\d{1,3})*[a-z]?|[A-Z]{1,5}|[A-Za-z]\d[A-Za-z\d]{0,3})[\])]?[.:)]?")


MOST_NUMERIC, LOOKED_AT = 6, 60
"""Columns of single figures that are told apart, and rows that are looked at for it: more of either says nothing more."""


def header_role(cell: str) -> tuple[Role | None, str]:
    """Return what a header says its column holds, and the unit it names; None where it says nothing known."""
    cell = re.split(r"\s/\s", cell)[0]
    inner = re.findall(r"[(\[]([^)\]]*)[)\]]", cell)
    unit = next((u for u, _, _ in map(unit_of, inner) if u), "")
    if not unit and (found := re.search(r"(?:\bin|/|,)\s+(\S+)$", cell)):
        unit = unit_of(found[1])[0]
    if cell.strip() in ("#", "N°", "Nº", "№"):
        return "place", unit
    words = plain(re.sub(r"[(\[].*?[)\]]", " ", cell)).split()
    if not words or len(words) > 5:
        return None, unit
    for role, known in _HEADERS.items():
        listed = known.split()
        if any(
            w in listed or (len(w) > 4 and any(len(k) > 4 and (w.startswith(k) or fuzz.ratio(w, k) >= 86) for k in listed))
            for w in words
        ):
            return role, unit
    return None, unit


def is_header(cells: Sequence[str]) -> bool:
    """Return whether a row is one of headers: two or more known ones, and no figures in ranges."""
    filled = [re.split(r"\s/\s", c)[0] if c.count(" / ") == 1 else c for c in cells if c]
    if (
        len(filled) < 2
        or any(re.search(r"\s[/>»›→|]\s|\d\s*:", c) for c in filled)
        or any(RANGE.search(c) or re.fullmatch(r"\W*[A-Za-z]{0,3}\W?\d[\d.,]*\W*", c) for c in filled)
    ):
        return False
    roles = [header_role(c)[0] for c in filled]
    known = [r for r in roles if r]
    return len(set(known)) >= 2 and len(known) >= 0.5 * len(filled)


def content_roles(body: Sequence[Sequence[str]], given: Sequence[Role | None], mark: Literal[".", ","]) -> list[Role | None]:
    """Return what columns hold, those that a header names as they are, the others by what stands in them."""
    width = len(given)
    out = list(given)
    columns = [[row[i] for row in body if row[i]] for i in range(width)]
    free = [i for i in range(width) if out[i] is None and columns[i]]

    def part(i: int, like: Callable[[str], object]) -> float:
        return sum(bool(like(c)) for c in columns[i]) / max(1, len(columns[i]))

    def give(role: Role, score: Callable[[int], float], least: float) -> None:
        if role in out or not free:
            return
        best = max(free, key=score)
        if score(best) >= least:
            out[best] = role
            free.remove(best)

    cells = {i: [read_cell(c, mark) for c in columns[i]] for i in free}
    ranged = {
        i: sum((c.low is not None and c.high is not None) or bool(c.listed) or len(c.figures) > 1 for c in cells[i])
        / max(1, len(cells[i]))
        for i in free
    }
    valued = {
        i: sum(c.low is not None or bool(c.figures) or bool(c.listed and c.listed[0].code != c.listed[0].shows) for c in cells[i])
        / max(1, len(cells[i]))
        for i in free
    }
    for i in [i for i in free if part(i, lambda c: unit_of(c)[0] and not re.search(r"\d", c)) >= 0.6]:
        if "unit" not in out:
            out[i] = "unit"
            free.remove(i)
    give("name", lambda i: sum(_telling(c) for c in columns[i]) / len(body) - 0.5 * valued[i], 0.5)
    give(
        "range",
        lambda i: sum(c.low is not None and c.high is not None for c in cells[i]) / len(body) if ranged[i] >= 0.4 else 0.0,
        0.2,
    )
    named = out.index("name") if "name" in out else width

    def placed(i: int) -> float:
        """How far a column holds places: all different, no values; right of the names only with letters in them."""
        differ = len(set(columns[i])) >= 0.85 * len(columns[i]) > 4 and i < named
        if (_even(columns[i]) and not differ) or (i > named and part(i, str.isdigit) > 0.5):
            return 0.0
        return part(i, _PLACE.fullmatch) * len(set(columns[i])) / len(columns[i]) - 0.01 * i

    give("place", placed, 0.6)
    _figures(body, out, free, cells, mark)
    if "range" in out or "min" in out:
        give("choices", lambda i: sum(bool(c.listed) for c in cells[i]) / max(1, len(cells[i])), 0.5)
    give(
        "menu",
        lambda i: (
            part(i, lambda c: _wordy(c) > 0)
            if len(set(columns[i])) <= 0.5 * len(columns[i]) and ("name" in out and i < out.index("name"))
            else 0.0
        ),
        0.6,
    )
    give("note", lambda i: part(i, lambda c: _wordy(c) > 0), 0.5)
    return out


def _even(column: Sequence[str]) -> bool:
    """Whether a column holds figures with decimals: values, not places."""
    return sum(bool(re.search(r"\d[.,]\d", c)) and not re.search(r"\d[.,]\d[.,]\d", c) for c in column) > 0.3 * len(column)


def _wordy(cell: str) -> int:
    return len(re.findall(r"[^\W\d_]{3,}", cell))


def _telling(cell: str) -> float:
    """How far a cell reads as the name of a setting: words of the trade count most."""
    if _wordy(cell) == 0 or is_yes(cell) is not None:
        return 0.0
    parts = parts_of(cell)
    return min(1.0, 0.35 + 0.35 * sum(bool(p.ideas) for p in parts))


def _figures(
    body: Sequence[Sequence[str]], out: list[Role | None], free: list[int], cells: dict[int, list[Cell]], mark: Literal[".", ","]
) -> None:
    """Tell columns of single figures apart: lowest, highest, step, factory value, by what must hold between them."""
    numeric = [i for i in free if sum(len(c.figures) == 1 or bool(c.default) for c in cells[i]) >= 0.35 * len(cells[i])][
        :MOST_NUMERIC
    ]
    wanted: list[Role] = [
        r for r in ("min", "max", "step", "factory") if r not in out and not ("range" in out and r in ("min", "max"))
    ]
    if not numeric or not wanted:
        return
    rows = [
        {i: _single(read_cell(row[i], mark)) for i in numeric} | dict(zip((-1, -2), _ends(row, out, mark), strict=True))
        for row in body[:: max(1, len(body) // LOOKED_AT)]
    ]
    best: tuple[float, tuple[tuple[int, Role], ...]] = (-1.0, ())
    count = min(len(numeric), len(wanted))
    for chosen in permutations(wanted, count):
        for places in permutations(numeric, count):
            pairs = tuple(zip(places, chosen, strict=True))
            if (value := _agreement(rows, pairs)) > best[0] + 1e-9:
                best = (value, pairs)
    for i, role in best[1]:
        out[i] = role
        free.remove(i)


def _single(cell: Cell) -> float | None:
    return cell.figures[0] if len(cell.figures) == 1 else None


def _ends(row: Sequence[str], out: Sequence[Role | None], mark: Literal[".", ","]) -> tuple[float | None, float | None]:
    """Return the lowest and highest figure of a row, as far as columns that are known already say them."""
    at = {role: i for i, role in enumerate(out) if role}
    if "range" in at:
        cell = read_cell(row[at["range"]], mark)
        return cell.low, cell.high
    low, high = (_single(read_cell(row[at[r]], mark)) if r in at else None for r in ("min", "max"))
    return low, high


def _agreement(rows: Sequence[dict[int, float | None]], pairs: tuple[tuple[int, Role], ...]) -> float:
    """How well columns taken so keep to what must hold: low below high, factory between, a step much smaller than the range."""
    at = {role: i for i, role in pairs}
    good = bad = 0.0
    for row in rows:
        low, high = row.get(at.get("min", -1)), row.get(at.get("max", -2))
        step, factory = (row.get(at[r]) if r in at else None for r in ("step", "factory"))
        if low is not None and high is not None:
            good, bad = (good + 1, bad) if low < high else (good, bad + 1)
            if factory is not None:
                good, bad = (good + 1, bad) if low <= factory <= high else (good, bad + 1)
            if step is not None:
                good, bad = (good + 1, bad) if 0 < step <= (high - low) / 2 else (good, bad + 1)
        elif step is not None and factory is not None:
            good, bad = (good + 0.5, bad) if step <= abs(factory) else (good, bad + 0.5)
        elif step is not None and low is None:
            good += 0.01 if step <= 10 else 0
        elif factory is not None:
            good += 0.02
    return good - 2 * bad
