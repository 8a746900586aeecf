"""Pairs: some charging and some discharging windows; outside them the unit does as its source order says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import Layer, fit
from .week import AUTO, DAY, HOLD, Day, What


class Pairs(SlotRules):
    """Up to ``charge_slots`` charging and ``discharge_slots`` discharging windows."""

    name = "pairs"

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return charging windows first, discharging windows after them, then those in which the bank rests."""
        form = self.form
        last = DAY if form.end_of_day == "24:00" else DAY - 1
        kinds = (
            Layer([w for w in used if w.action in ("use", "export")], form.discharge_slots),
            Layer([HOLD] if HOLD in used else [], form.no_discharge_slots),
            Layer([w for w in used if w.action == "charge"], form.charge_slots),
        )
        layers = [layer if layer.most else Layer([], 0) for layer in kinds]
        discharge, rest, charge = fit(week, form.step_min, AUTO, layers, last)
        return [
            *(self.slot("charge", a, b, w) for a, b, w in charge),
            *(self.slot("discharge", a, b, w) for a, b, w in discharge),
            *(self.slot("no-discharge", a, b, w) for a, b, w in rest),
        ]

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return discharging windows, charging windows over them."""
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in slots if s.kind == "discharge"]
        out += [(s, HOLD) for s in slots if s.kind == "no-discharge"]
        return out + [(s, wanted(s, "charge")) for s in slots if s.kind == "charge"]
