"""A manual's table of registers read into rows: address, kind, how it is stored, factor, words, and which setting or measurement it is.

Nothing is taken over unseen: a person confirms each row. Addresses may be plain, hexadecimal, or of the five-digit kind in which 4xxxx is
a holding and 3xxxx an input register counted from 1.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any

from pydantic import Field
from rapidfuzz import fuzz

from ...documents.profiles import MenuProfile
from ...documents.registers import Register
from ...documents.results.base import PlanPart
from ...trade.measures import MEASURES
from .grid import grid, refused

HEADS: dict[str, tuple[str, ...]] = {
    "at": ("address", "addr", "register", "reg", "offset", "adresse", "registre", "registro", "direccion"),
    "name": ("name", "description", "parameter", "setting", "signal", "content", "bezeichnung", "nom", "nombre", "descrizione"),
    "type": ("type", "format", "datatype", "data type", "typ", "tipo"),
    "scale": ("scale", "factor", "resolution", "multiplier", "gain", "unit factor", "faktor", "facteur"),
    "access": ("access", "r/w", "rw", "read/write", "attribute", "zugriff"),
    "words": ("values", "value", "range", "enum", "meaning", "options", "werte", "valeurs"),
}
"""What the head of each column is called."""
TYPES: tuple[tuple[str, str], ...] = (
    (r"float|real|f32|ieee", "f32"),
    (r"u(?:nsigned)?[ _]*(?:int|long|dword)?[ _]*32|uint32|udint|dword", "u32"),
    (r"s?(?:igned)?[ _]*(?:int|long)?[ _]*32|int32|dint|long", "i32"),
    (r"str|char|ascii|text", "string"),
    (r"u(?:nsigned)?[ _]*(?:int|short|word)?[ _]*(?:16)?|uint|word|enum|bool|bit", "u16"),
    (r"s?(?:igned)?[ _]*(?:int|short)[ _]*(?:16)?|i16|s16", "i16"),
)
"""How a type is told, by its first words."""
SURE = 88.0
"""Part of a name's letters that has to agree (rapidfuzz, 0 to 100)."""
CLEAR = 4.0
"""How much better the best name has to be than the next."""
INPUTS_AT, HOLDINGS_AT, FIVE_DIGITS = 30_001, 40_001, 49_999


class RegisterRow(PlanPart):
    """One row of a table of registers as it was read."""

    row: int = Field(description="the row of the table, from 1")
    name: str = Field(description="name as printed")
    register_: dict[str, Any] = Field(alias="register", description="where it lies and how it is stored")
    setting: str = Field(description="id of the setting it is taken for; empty where it is none")
    measure: str = Field(description="measurement it is taken for; empty where it is none")
    sure: bool = Field(description="whether its name is that of one setting or measurement alone")
    doubts: list[str] = Field(description="what a person has to look at, in words")


class RegisterTable(PlanPart):
    """A table of registers as it was read; nothing of it is taken over before a person confirms it."""

    rows: list[RegisterRow]
    skipped: int = Field(description="rows that are no register")


def read_registers(source: str | bytes, profile: MenuProfile) -> RegisterTable:
    """Read a table of registers (text, CSV, XLSX) against a profile's menu.

    Raises :class:`DocumentError` for what is no table, or has no column of addresses.
    """
    lines, _ = grid(source)
    rows = [(line.no, list(line.cells)) for line in lines]
    columns = next((c for _, cells in rows[:6] if "at" in (c := _columns(cells)) and "name" in c), None)
    if columns is None:
        raise refused(
            "no column with the addresses of registers", "a first line that names the columns: address, name, type, factor, values"
        )
    out: list[RegisterRow] = []
    skipped = 0
    for no, cells in rows:
        told = {role: cells[i].strip() if i < len(cells) else "" for role, i in columns.items()}
        place = _address(told["at"])
        if place is None or not told.get("name"):
            skipped += int(_columns(cells) != columns)
            continue
        out.append(_row(no, told, place, profile))
    if not out:
        raise refused("no row with an address", "addresses such as 4096, 0x1000 or 40001")
    return RegisterTable(rows=_one_each(out), skipped=skipped)


def _columns(cells: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for i, cell in enumerate(cells):
        plain = re.sub(r"[^a-z/ ]", "", cell.lower()).strip()
        role = next((r for r, words in HEADS.items() if plain in words), None) or next(
            (r for r, words in HEADS.items() if any(w in plain.split() for w in words)), None
        )
        if role is not None:
            found.setdefault(role, i)
    return found


def _address(text: str) -> tuple[str, int] | None:
    """Return the kind of registers and the address from 0; None where it is no address."""
    plain = text.strip().lower().replace(" ", "").replace("_", "")
    if m := re.fullmatch(r"(?:0x|\$|#)([0-9a-f]{1,4})|([0-9a-f]{1,4})h", plain):
        return "holding", int(m.group(1) or m.group(2), 16)
    if not re.fullmatch(r"\d{1,5}", plain):
        return None
    number = int(plain)
    if len(plain) == 5 and HOLDINGS_AT <= number <= FIVE_DIGITS:
        return "holding", number - HOLDINGS_AT
    if len(plain) == 5 and INPUTS_AT <= number < HOLDINGS_AT:
        return "input", number - INPUTS_AT
    return ("holding", number) if number <= 65_535 else None


def _scale(text: str) -> float | None:
    plain = text.strip().lower().replace(",", ".").replace(" ", "")
    m = re.match(r"([x*×/÷]?)(\d+(?:\.\d+)?)", plain)
    if not m or not float(m.group(2)):
        return None
    figure = float(m.group(2))
    # "x10" says that the raw figure is ten times as large; so does "/10" of what is to be done with it.
    return 1 / figure if (m.group(1) and figure > 1) else figure


def _words(text: str) -> dict[str, str]:
    """Return words by number: ``0: Off, 1 = On; 3 Lead A``."""
    out: dict[str, str] = {}
    for m in re.finditer(r"(?<![\d.])(\d{1,5})\s*[:=–-]\s*(.*?)(?=[,;|\n]?\s*(?<![\d.])\d{1,5}\s*[:=–-]|[;|\n]|$)", text):
        out[str(int(m.group(1)))] = m.group(2).strip(" ,")
    return out if len(out) > 1 else {}


def _row(no: int, told: dict[str, str], place: tuple[str, int], profile: MenuProfile) -> RegisterRow:
    doubts: list[str] = []
    kind = next((k for pattern, k in TYPES if re.match(pattern, told.get("type", "").lower().strip())), "u16")
    register: dict[str, Any] = {"at": place[1]}
    if place[0] != "holding":
        register["registers"] = place[0]
    if kind != "u16":
        register["type"] = kind
    scale = _scale(told.get("scale", ""))
    if scale is not None and scale != 1:
        register["scale"] = scale
    words = _words(told.get("words", ""))
    if words:
        register["enum"] = words
    if place[0] == "holding" and re.search(r"w", told.get("access", ""), re.I):
        register["write"] = True
    setting, measure, sure = _meant(told["name"], profile)
    held = next((s for s in profile.settings if s.id == setting), None)
    if held is not None and held.is_choice:
        shown = set((held.encoding.choices or {}).values())
        if not words:
            doubts.append("its words by number are not given")
        elif set(words.values()) - shown:
            doubts.append(f"“{sorted(set(words.values()) - shown)[0]}” is none of the words that its display shows")
    elif held is not None and scale is None and held.step is not None and held.step < 1:
        doubts.append(f"its factor is not given; the display goes in steps of {held.step:g}")
    try:
        Register.model_validate(register)
    except ValueError as error:
        doubts.append(str(error).splitlines()[-1].strip())
    return RegisterRow(
        row=no, name=told["name"], register=register, setting=setting, measure=measure, sure=sure and not doubts, doubts=doubts
    )


def _meant(name: str, profile: MenuProfile) -> tuple[str, str, bool]:
    """Return the setting or the measurement that a name is, and whether it is that one alone."""
    plain = name.lower().strip()
    marks = [(fuzz.token_sort_ratio(plain, s.label.lower()), "s", s.id) for s in profile.settings]
    marks += [(fuzz.token_sort_ratio(plain, f"{s.menu[-1]} {s.label}".lower()), "s", s.id) for s in profile.settings]
    marks += [(fuzz.token_sort_ratio(plain, m.word.split(",")[0].lower()), "m", n) for n, m in MEASURES.items()]
    best = sorted(marks, reverse=True)
    top = best[0]
    if top[0] < SURE:
        return "", "", False
    rival = next((b for b in best[1:] if b[2] != top[2]), (0.0, "", ""))
    return (top[2], "", top[0] - rival[0] >= CLEAR) if top[1] == "s" else ("", top[2], top[0] - rival[0] >= CLEAR)


def _one_each(rows: list[RegisterRow]) -> list[RegisterRow]:
    """Return the rows, those that are taken for the same setting or measurement as another with that doubt."""
    claims = Counter((kind, name) for r in rows for kind, name in (("s", r.setting), ("m", r.measure)) if name)
    out = []
    for r in rows:
        twice = (r.setting and claims["s", r.setting] > 1) or (r.measure and claims["m", r.measure] > 1)
        doubts = [*r.doubts, "two rows are taken for the same"] if twice else r.doubts
        out.append(r.model_copy(update={"sure": r.sure and not twice, "doubts": doubts}))
    return out
