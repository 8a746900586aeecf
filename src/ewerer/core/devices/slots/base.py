"""What every slot form has: a program compiled from a week of intent, and its meaning minute by minute."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Sequence
from typing import ClassVar, Literal

from ...documents.profiles import SlotForm
from ...documents.results.windows import Slot
from .week import AUTO, DAY, Day, Stretch, What, minutes_of, painted, time_of

FORMS: dict[str, type[SlotRules]] = {}
"""Every form by its name in profiles; a class registers itself."""


class SlotRules(ABC):
    """One form of writing down windows. ``outside`` is what the bank does in minutes that no slot covers."""

    name: ClassVar[str]
    outside: ClassVar[What] = AUTO

    def __init_subclass__(cls) -> None:
        FORMS[cls.name] = cls

    def __init__(self, form: SlotForm) -> None:
        self.form = form

    @abstractmethod
    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return the slots for a week of intent; ``used`` are the wants that occur in it besides ``auto``."""

    @abstractmethod
    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return what each slot makes the bank do, later ones over earlier ones; a harmless slot is left out."""

    def day(self, slots: Sequence[Slot]) -> Day:
        """Return what the unit does in any day by its slots."""
        paint: list[Stretch] = []
        for slot, what in self.paint(slots):
            a, b = minutes_of(slot.start), minutes_of(slot.end)
            paint.extend([(a, b, what)] if a < b else [(a, DAY, what), (0, b, what)])
        return painted(self.outside, paint)

    def slot(
        self, kind: Literal["charge", "discharge", "no-discharge", "slot"], start: int, end: int, what: What, note: str = ""
    ) -> Slot:
        """Return a slot as this unit writes it."""
        return Slot(
            kind=kind,
            start=time_of(start, self.form.end_of_day),
            end=time_of(end, self.form.end_of_day),
            target_soc=what.target if what.target >= 0 else None,
            power_w=what.power if what.power >= 0 else None,
            charge_allowed=what.action == "charge",
            holds=what.action == "hold",
            exports=what.action == "export",
            free=what == AUTO,
            note=note,
        )


def wanted(slot: Slot, action: str) -> What:
    """Return an action with the slot's own target and power."""
    return What(action, -1.0 if slot.target_soc is None else slot.target_soc, -1.0 if slot.power_w is None else slot.power_w)
