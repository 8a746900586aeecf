"""What differs between two documents, field by field, in the words of the screens."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from ..trade.steps import figure
from .fields import FieldWords, field_at
from .walk import GONE, walk

LONGEST = 80


@dataclass(frozen=True, slots=True)
class Difference:
    """One field that differs: where it stands, its words and unit, the figure before and after as a person reads them."""

    pointer: str
    label: str
    unit: str
    before: str
    after: str


def _words(pointer: str) -> FieldWords | None:
    """Return the words of the field at a pointer, None where it has none of its own."""
    found = field_at(pointer)
    return found if found is not None and found.pointer.count("/") == pointer.count("/") else None


def _label(pointer: str, key: str) -> str:
    known = _words(pointer)
    return known.label if known else key


def said(value: Any, words: FieldWords | None) -> str:
    """Return a stored value as a person reads it: choices by their word, figures with their factor, the rest as text."""
    if value is GONE or value is None:
        return "nothing"
    key = int(value) if isinstance(value, bool) else value
    if words is not None:
        for choice, word in words.choices:
            if choice == key:
                return word
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return figure(value * (words.scale if words else 1.0), 6)
    if isinstance(value, list) and len(value) > 12:
        return f"{len(value)} values"
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"


def differences(before: dict[str, Any], after: dict[str, Any]) -> list[Difference]:
    """Return what differs between two documents of one kind; rows are told apart by their id or name, then by their place.

    ``pointer`` is the place in ``after``, or in ``before`` for what ``after`` has not. Units are those of the screens.
    """
    out = []
    for pointer, words, one, other in walk(before, after, _label):
        known = _words(pointer)
        number = any(isinstance(v, int | float) and not isinstance(v, bool) for v in (one, other))
        unit = known.unit if known and number and not known.choices else ""
        out.append(Difference(pointer, ", ".join(words) or "the whole job", unit, said(one, known), said(other, known)))
    return out
