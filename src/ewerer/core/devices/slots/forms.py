"""The door to all slot forms: compile an intent, expand slots again."""

from __future__ import annotations

import importlib
import pkgutil
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from ...documents.job import Window
from ...documents.profiles import SlotForm
from ...documents.results.windows import Slot
from ...trade.rules import formula_rule
from .base import FORMS, SlotRules
from .week import AUTO, Day, What, intent_days, minutes, painted

# Every form in this folder registers itself.
for _module in pkgutil.iter_modules([str(Path(__file__).parent)]):
    if _module.name != "forms":
        importlib.import_module(f"{__package__}.{_module.name}")

COMPILE = formula_rule(
    "windows-compile",
    "windows",
    "Slots say what the intent says, or differ from it as little as the unit's form allows",
    "min over slots of minutes(expand(slots) != intent)",
)


def rules_of(form: SlotForm) -> SlotRules:
    """Return the rules of a form."""
    return FORMS[form.form](form)


def sayable(week: Sequence[Day], form: SlotForm) -> list[Day]:
    """Return the intent in what a form can say at all: without target and power where it has no place for them."""
    if form.target != "none":
        return list(week)
    return [painted(AUTO, [(a, b, What(w.action)) for a, b, w in day]) for day in week]


def compile_slots(windows: Sequence[Window], form: SlotForm) -> list[Slot]:
    """Return the unit's slots for an intent, in the unit's own form."""
    week = Counter(sayable(intent_days(windows), form))
    used = sorted({w for day in week for _, _, w in day} - {AUTO})
    return rules_of(form).compile(week, used)


def slots_day(slots: Sequence[Slot], form: SlotForm) -> Day:
    """Return what the unit does in any day by its slots."""
    return rules_of(form).day(slots)


def expand_slots(slots: Sequence[Slot], form: SlotForm) -> list[What]:
    """Return what the unit does in every minute of any day by its slots."""
    return minutes(slots_day(slots, form))
