"""Single: one charging and one discharging window; outside the second the bank is held."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import edges_of, fit, turned
from .week import AUTO, DAY, HOLD, Day, Stretch, What, differ

WHOLE_DAY = "the whole day: the bank may always be used"
PARKED = "parked on one harmless stretch by day: an empty window misbehaves on this unit"


class Single(SlotRules):
    """One window of each kind; both may lie over midnight, an empty one misbehaves and is parked."""

    name = "single"
    outside = HOLD

    def compile(self, week: Counter[Day], used: Sequence[What]) -> list[Slot]:
        """Return the two windows that differ least from the intent, over all turns of the day and all wants outside."""
        form = self.form
        charge = [w for w in used if w.action == "charge"]
        use = [w for w in used if w.action in ("use", "export")]
        turns = [e for e in edges_of(week, form.step_min, DAY) if e < DAY]
        best: tuple[int, int, list[Slot]] | None = None
        for turn in turns:
            week_turned = Counter({turned(day, turn): times for day, times in week.items()})
            for free in (None, AUTO, *use):
                pool = [AUTO, *charge] if free is None else [HOLD, free, *charge]
                limit = {"charge": 1} if free is None else {"charge": 1, free.action: 1}
                program = [
                    ((a + turn) % DAY, (b + turn) % DAY or DAY, w) for a, b, w in fit(week_turned, form, pool, limit, DAY, -turn)
                ]
                slots = self._both(
                    [(a, b, w) for a, b, w in program if w.action == "charge"],
                    [(0, DAY, AUTO)] if free is None else [(a, b, w) for a, b, w in program if w == free],
                )
                made = self.day(slots)
                off = sum((b - a) * times for day, times in week.items() for a, b, _, _ in differ(day, made))
                if best is None or (off, len(program)) < best[:2]:
                    best = (off, len(program), slots)
        assert best is not None
        return best[2]

    def _both(self, charge: list[Stretch], use: list[Stretch]) -> list[Slot]:
        """Return one window of each kind; an empty one is parked on one step by day, outside the other, and counted."""
        step = self.form.step_min
        noon = DAY // 2 // step * step
        notes = {"charge": "", "discharge": WHOLE_DAY if use and use[0][:2] == (0, DAY) else ""}
        if not charge:
            notes["charge"] = PARKED
            a, b, what = use[0] if use else (0, 0, AUTO)
            if b - a >= DAY - step:
                use, charge = [(noon + step, noon, what)], [(noon, noon + step, What("charge"))]
                notes["discharge"] = "all day but for the parked stretch"
            else:
                at = self._outside(use, noon)
                charge = [(at, at + step, What("charge"))]
        if not use:
            notes["discharge"] = PARKED
            at = self._outside(charge, noon)
            use = [(at, at + step, AUTO)]
        last = DAY if self.form.end_of_day == "24:00" else DAY - 1
        a, b, what = use[0]
        return [
            self.slot("charge", *charge[0], notes["charge"]),
            self.slot("discharge", a, min(b, last) if b == DAY else b, what, notes["discharge"]),
        ]

    def _outside(self, held: Sequence[Stretch], wanted: int) -> int:
        """Return where one step lies outside of windows, as near to ``wanted`` as can be."""
        step = self.form.step_min

        def free(at: int) -> bool:
            return all(b <= at or at + step <= a if a < b else b <= at and at + step <= a for a, b, _ in held)

        places = [at for at in range(0, DAY - step, step) if free(at)]
        return min(places, key=lambda at: abs(at - wanted), default=wanted)

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return the discharging window, the charging window over it; a parked one acts like any other."""
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in slots if s.kind == "discharge"]
        return out + [(s, wanted(s, "charge")) for s in slots if s.kind == "charge"]
