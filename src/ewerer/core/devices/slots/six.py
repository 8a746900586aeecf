"""Six: a chain of slots that covers the day, each with its own target, power and flags."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import Layer, fit
from .week import AUTO, DAY, HOLD, Day, What


class Six(SlotRules):
    """Exactly ``charge_slots`` slots, one after the other, from midnight to midnight."""

    name = "six"

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return the chain; the longest slots are cut in two until there are as many as the unit has."""
        count = max(1, self.form.charge_slots)
        pieces = fit(week, self.form.step_min, None, [Layer([AUTO, *used], count)], DAY)[0]
        while len(pieces) < count:
            i = max(range(len(pieces)), key=lambda k: pieces[k][1] - pieces[k][0])
            a, b, w = pieces[i]
            cut = a + max(self.form.step_min, (b - a) // 2 // self.form.step_min * self.form.step_min)
            pieces[i : i + 1] = [(a, cut, w), (cut, b, w)]
        return [
            self.slot("slot", a, b, w, "repeats the slot before, to make six" if i and w == pieces[i - 1][2] else "")
            for i, (a, b, w) in enumerate(pieces)
        ]

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return what each slot of the chain means by its flags."""
        return [(s, self._means(s)) for s in slots]

    def _means(self, s: Slot) -> What:
        if s.charge_allowed:
            return wanted(s, "charge")
        if s.holds:
            return HOLD
        if s.target_soc is None and s.power_w is None:
            return AUTO
        return wanted(s, "export" if s.exports else "use")
