"""Pairs: some charging and some discharging windows; outside them the unit does as its source order says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import fit
from .week import AUTO, DAY, Day, What


class Pairs(SlotRules):
    """Up to ``charge_slots`` charging and ``discharge_slots`` discharging windows."""

    name = "pairs"

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return charging windows first, discharging windows after them."""
        form = self.form
        labels = [AUTO, *(w for w in used if w.action in ("charge", "use", "export"))]
        last = DAY if form.end_of_day == "24:00" else DAY - 1
        most = {"charge": form.charge_slots, "use": form.discharge_slots, "export": form.discharge_slots}
        program = fit(week, form, labels, most, last)
        slots = [self.slot("charge" if w.action == "charge" else "discharge", a, b, w) for a, b, w in program if w != AUTO]
        discharge = [s for s in slots if s.kind == "discharge"]
        return [s for s in slots if s.kind == "charge"] + discharge[: form.discharge_slots]

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return discharging windows, charging windows over them."""
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in slots if s.kind == "discharge"]
        return out + [(s, wanted(s, "charge")) for s in slots if s.kind == "charge"]
