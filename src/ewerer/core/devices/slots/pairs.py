"""Pairs: some charging and some discharging windows; outside them the unit does as its source order says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Literal

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import fit
from .week import AUTO, DAY, HOLD, Day, What

KINDS: dict[str, Literal["charge", "discharge", "no-discharge"]] = {"charge": "charge", "hold": "no-discharge"}


class Pairs(SlotRules):
    """Up to ``charge_slots`` charging and ``discharge_slots`` discharging windows."""

    name = "pairs"

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return charging windows first, discharging windows after them."""
        form = self.form
        says = ("charge", "use", "export", "hold") if form.no_discharge_slots else ("charge", "use", "export")
        labels = [AUTO, *(w for w in used if w.action in says)]
        last = DAY if form.end_of_day == "24:00" else DAY - 1
        most = {"charge": form.charge_slots, "use": form.discharge_slots, "export": form.discharge_slots}
        if form.no_discharge_slots:
            most["hold"] = form.no_discharge_slots
        program = fit(week, form, labels, most, last)
        slots = [self.slot(KINDS.get(w.action, "discharge"), a, b, w) for a, b, w in program if w != AUTO]
        discharge = [s for s in slots if s.kind == "discharge"]
        rest = [s for s in slots if s.kind == "no-discharge"]
        return [s for s in slots if s.kind == "charge"] + discharge[: form.discharge_slots] + rest

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return discharging windows, charging windows over them."""
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in slots if s.kind == "discharge"]
        out += [(s, HOLD) for s in slots if s.kind == "no-discharge"]
        return out + [(s, wanted(s, "charge")) for s in slots if s.kind == "charge"]
