"""Single: one charging and one discharging window; outside the second the bank is held."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import fit_two
from .week import AUTO, DAY, HOLD, Day, Stretch, What, differ

PARKED = "parked on one harmless stretch by day: an empty window misbehaves on this unit"
NEAR = 48
"""How many places nearest to noon are looked at for a parked window."""


class Single(SlotRules):
    """One window of each kind; both may lie over midnight, an empty one misbehaves and is parked."""

    name = "single"
    outside = HOLD

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return the two windows that differ least from the intent; what is not wanted is parked on one step by day."""
        form = self.form
        charge = [w for w in used if w.action == "charge"] or [What("charge")]
        use = [AUTO, *(w for w in used if w.action in ("use", "export"))]
        window, charged = fit_two(week, form.step_min, HOLD, use, charge)
        notes = {"charge": "", "discharge": ""}
        if not any(w.action == "charge" for w in used):
            notes["charge"] = PARKED
            window, charged = self._by_day(week, window, charged)
        if window is None:
            # It lies beneath the charging window, where it does nothing.
            notes["discharge"] = PARKED
            window = (charged[0], (charged[0] + form.step_min - 1) % DAY + 1, AUTO)
        last = DAY if form.end_of_day == "24:00" else DAY - 1
        a, b, what = window
        return [
            self.slot("charge", *charged, notes["charge"]),
            self.slot("discharge", a, min(b, last) if b == DAY else b, what, notes["discharge"]),
        ]

    def _by_day(self, week: Counter[Day], window: Stretch | None, parked: Stretch) -> tuple[Stretch | None, Stretch]:
        """Return the windows with the parked one moved as near to noon as it can lie without differing more.

        The gap of a discharging window that leaves out nothing else moves with it.
        """
        step, what = self.form.step_min, parked[2]

        def off(discharge: Stretch | None, at: int) -> int:
            slots = [self.slot("charge", at, at + step, what), *([self.slot("discharge", *discharge)] if discharge else [])]
            return sum((b - a) * times for day, times in week.items() for a, b, _, _ in differ(day, self.day(slots)))

        def around(at: int) -> Stretch | None:
            if window is None:
                return None
            a, b, use = window
            if (a - b) % DAY == step:
                return ((at + step - 1) % DAY + 1 if at + step != DAY else 0, at or DAY, use)
            return window

        def free(at: int) -> bool:
            held = around(at)
            if held is None:
                return True
            a, b, _ = held
            return b <= at or at + step <= a if a < b else b <= at and at + step <= a

        noon = DAY // 2 // step * step
        least = off(window, parked[0])
        places = sorted((at for at in range(0, DAY, step) if free(at)), key=lambda at: abs(at - noon))
        at = next((at for at in places[:NEAR] if off(around(at), at) <= least), None)
        return (window, parked) if at is None else (around(at), (at, at + step, what))

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return the discharging window, the charging window over it; a parked one acts like any other."""
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in slots if s.kind == "discharge"]
        return out + [(s, wanted(s, "charge")) for s in slots if s.kind == "charge"]
