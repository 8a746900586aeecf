"""Numbers as people type them, made into a field's own unit; what could be two numbers is asked, not guessed.

The browser has a twin of this (``web/src/ui/numbers.ts``) over the same ``units.json``; one table of cases holds the
two together. Nothing is stored of a text that is asked about or refused.

Sources: SI prefixes and unit symbols [BIPM, SI Brochure]; foot and inch [1 ft = 0.3048 m, 1959 agreement]; gauge
numbers [ASTM B258: d = 0.127 mm x 92^((36 - n)/39)]; grouping of digits by threes, with space, apostrophe, point or
comma as people of several countries do [common practice].
"""

from __future__ import annotations

import json
import math
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

_DATA: dict[str, Any] = json.loads((Path(__file__).parent / "units.json").read_text(encoding="utf-8"))
KINDS: dict[str, dict[str, float]] = _DATA["kinds"]
SPELLED: dict[str, str] = _DATA["spelled"]
CAPITALS = frozenset(_DATA["capitals"])
MOST_CHARACTERS = 40
"""Longest text that is read as a number."""
MOST_EXPONENT = 12
DIGITS = 12
"""Significant digits that are kept of a converted figure."""
Mark = Literal[".", ","]


@dataclass(frozen=True, slots=True)
class Reading:
    """What a text says: ``value`` in the field's unit; ``ask``, the values it could be; or ``refused``, why. All empty: nothing."""

    value: float | None = None
    ask: tuple[float, ...] = ()
    refused: str = ""

    @property
    def empty(self) -> bool:
        """Whether nothing was typed."""
        return self.value is None and not self.ask and not self.refused


def gauge_mm2(gauge: int) -> float:
    """Return the copper section [mm2] of an American wire gauge number; 1/0 is 0, 2/0 is -1 [ASTM B258].

    >>> round(gauge_mm2(2), 1)
    33.6
    """
    return math.pi / 4 * (0.127 * math.pow(92, (36 - gauge) / 39)) ** 2


def read_number(
    text: str, unit: str = "", *, whole: bool = False, low: float | None = None, high: float | None = None, mark: Mark = "."
) -> Reading:
    """Read ``text`` as a figure of ``unit``. ``low`` and ``high`` only settle what could be two figures; ``mark`` is whose decimal sign.

    Never raises: what cannot be read is ``refused`` in words.
    """
    plain = _plain(text)
    if not plain:
        return Reading()
    if len(plain) > MOST_CHARACTERS:
        return Reading(refused=f"a number of at most {MOST_CHARACTERS} characters is read")
    if unit == "mm²":
        gauge = _gauge(plain)
        if gauge is not None:
            return Reading(value=float(f"{gauge_mm2(gauge):.4g}"))
    if unit in KINDS["time"]:
        if clock := re.fullmatch(r"([0-9]{1,3}) ?h ?([0-5]?[0-9])(?: ?(?:min|m|'))?", plain, re.IGNORECASE):
            return _settled(_rounded((int(clock[1]) * 3600 + int(clock[2]) * 60) / KINDS["time"][unit]), whole)
        plain = re.sub(r"(?<=[0-9]) ?'$", " min", plain)
    found = re.fullmatch(r"([+-]?) ?((?:[0-9][0-9 '.,]*|[.,][0-9]+)(?:[eE][+-]?[0-9]+)?)(.*)", plain)
    if not found:
        return Reading(refused=_why_not(plain))
    sign, body, rest = found[1], found[2].strip(), found[3].strip()
    exponent = 0
    if split := re.search(r"[eE]([+-]?[0-9]+)$", body):
        exponent = int(split[1])
        body = body[: split.start()].strip()
        if abs(exponent) > MOST_EXPONENT:
            return Reading(refused="a number that large or small is not a figure of this work")
    scale = _scale(rest, unit)
    if isinstance(scale, str):
        return Reading(refused=scale)
    factor, offset = scale
    readings = _bodies(body, mark, bool(rest))
    if not readings:
        return Reading(refused="group digits by threes, and write one decimal sign: 1 200.5")
    values = []
    for digits in readings:
        value = _rounded((float(f"{sign}{digits}e{exponent}") - offset) * factor)
        if value not in values:
            values.append(value)
    if len(values) > 1:
        fitting = [v for v in values if (low is None or v >= low) and (high is None or v <= high) and (not whole or v == int(v))]
        values = fitting if len(fitting) == 1 else values
    if unit == "%" and not rest and len(values) == 1 and 0 < values[0] < 1:
        values = [_rounded(values[0] * 100), values[0]]
    if len(values) > 1:
        return Reading(ask=tuple(values))
    return _settled(values[0], whole)


def _settled(value: float, whole: bool) -> Reading:
    return Reading(refused="a whole number is needed") if whole and value != int(value) else Reading(value=value)


def _plain(text: str) -> str:
    out = re.sub(r"[\u00a0\u2000-\u200a\u202f\t ]+", " ", text)
    out = (
        out.replace("\u2212", "-")
        .replace("\u2013", "-")
        .replace("\u00ba", "\u00b0")
        .replace("\u2019", "'")
        .replace("\u03bc", "\u00b5")
        .replace("\u2126", "\u03a9")
    )
    return out.strip(" \r\n")


def _rounded(value: float) -> float:
    return float(f"{value:.{DIGITS}g}")


def _gauge(plain: str) -> int | None:
    found = re.fullmatch(r"(?:awg ?)?([1-4])/0(?: ?awg)?", plain, re.IGNORECASE)
    if found:
        return 1 - int(found[1])
    found = re.fullmatch(r"awg ?(0{1,4})|(0{1,4}) ?awg", plain, re.IGNORECASE)
    if found:
        return 1 - len(found[1] or found[2])
    found = re.fullmatch(r"awg ?([0-9]{1,2})|([0-9]{1,2}) ?awg", plain, re.IGNORECASE)
    if not found:
        return None
    gauge = int(found[1] or found[2])
    return gauge if gauge <= 40 else None


def _why_not(plain: str) -> str:
    if re.search("[½¼¾⅓⅔⅛]|[0-9]/[0-9]", plain):
        return "write a part with a decimal sign: 0.5"
    if re.match("[~≈<>]", plain):
        return "write the figure alone"
    if not re.search("[0-9]", plain):
        return "this is not a number"
    return "this is not one number; write digits, a decimal sign and a unit"


def _bodies(body: str, mark: Mark, named: bool) -> list[str]:
    """The plain numerals that a text of digits and signs can stand for; empty where it stands for none. ``named``: a unit follows."""
    text = body
    for gap in (" ", "'"):
        if gap not in text:
            continue
        whole, _, part = _parted(text)
        if gap in part or not _grouped(whole, gap) or ("." in text and "," in text):
            return []
        return [_numeral(whole.replace(gap, ""), part)]
    points, commas = text.count("."), text.count(",")
    if points and commas:
        decimal = "." if text.rfind(".") > text.rfind(",") else ","
        other = "," if decimal == "." else "."
        whole, _, part = text.rpartition(decimal)
        if decimal in whole or not _grouped(whole, other):
            return []
        return [_numeral(whole.replace(other, ""), part)]
    sign = "." if points else ","
    if points + commas == 0:
        return [text]
    if points + commas > 1:
        return [text.replace(sign, "")] if _grouped(text, sign) else []
    whole, _, part = text.partition(sign)
    as_decimal = _numeral(whole, part)
    if (sign != mark or (named and sign == "." and part == "000")) and re.fullmatch("[1-9][0-9]{0,2}", whole) and len(part) == 3:
        return [whole + part, as_decimal]
    return [as_decimal]


def _parted(text: str) -> tuple[str, str, str]:
    at = max(text.rfind("."), text.rfind(","))
    return (text, "", "") if at < 0 else (text[:at], text[at], text[at + 1 :])


def _numeral(whole: str, part: str) -> str:
    return f"{whole or '0'}.{part}" if part else whole or "0"


def _grouped(text: str, sign: str) -> bool:
    groups = text.split(sign)
    return bool(re.fullmatch("[0-9]{1,3}", groups[0])) and all(re.fullmatch("[0-9]{3}", g) for g in groups[1:])


def _scale(typed: str, unit: str) -> tuple[float, float] | str:
    """The factor and offset from a typed unit to the field's: (x - offset) * factor; words where it does not belong."""
    if typed in ("", unit):
        return 1.0, 0.0
    if typed.endswith(".") and len(typed) > 1:
        typed = typed[:-1]
    if typed == "°" and unit in ("°C", "°F"):
        return 1.0, 0.0
    kinds = [units for units in KINDS.values() if unit in units]
    if typed in CAPITALS:
        return f"{typed} begins with mega; write m for milli"
    for units in kinds:
        found = _unit_in(typed, units)
        if found is None:
            continue
        if found == "°F" and unit == "°C":
            return 1 / 1.8, 32.0
        if found == "°C" and unit == "°F":
            return 1.8, -32 / 1.8
        return units[found] / units[unit], 0.0
    if typed in ("k", "K") and unit and unit[0] not in "kmµ%°":
        return 1000.0, 0.0
    if not unit:
        return f"“{typed}” does not belong to this figure; write the number alone"
    known = [*dict.fromkeys(name for units in kinds for name in units)] or [unit]
    return f"“{typed}” does not belong here; right would be {', '.join(known)}"


def _unit_in(typed: str, units: dict[str, float]) -> str | None:
    if typed in units:
        return typed
    lower = typed.lower()
    if (spelled := SPELLED.get(lower)) in units:
        return spelled
    return next((name for name in units if name.lower() == lower and not name.startswith("M")), None)
