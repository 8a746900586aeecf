"""Single: one charging and one discharging window; outside the second the bank is held."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...documents.results.windows import Slot
from .base import SlotRules, wanted
from .fit import edges_of, fit, turned
from .week import AUTO, DAY, HOLD, Day, What, differ

WHOLE_DAY = "the whole day: the bank may always be used"
PARKED = "parked on one harmless stretch: an empty window misbehaves on this unit"


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
        whole = DAY if form.end_of_day == "24:00" else DAY - 1
        parked = (DAY - 1 - form.step_min) // form.step_min * form.step_min
        best: tuple[int, int, list[Slot]] | None = None
        for turn in turns:
            week_turned = Counter({turned(day, turn): times for day, times in week.items()})
            for free in (None, AUTO, *use):
                pool = [AUTO, *charge] if free is None else [HOLD, free, *charge]
                limit = {"charge": 1} if free is None else {"charge": 1, free.action: 1}
                program = [
                    ((a + turn) % DAY, (b + turn) % DAY or DAY, w) for a, b, w in fit(week_turned, form, pool, limit, DAY, -turn)
                ]
                slots = [self.slot("charge", a, b, w) for a, b, w in program if w.action == "charge"]
                if free is None:
                    slots.append(self.slot("discharge", 0, whole, AUTO, WHOLE_DAY))
                else:
                    slots += [self.slot("discharge", a, b, w) for a, b, w in program if w == free]
                if not any(x.kind == "charge" for x in slots):
                    slots.insert(0, self.slot("charge", parked, parked + form.step_min, What("charge"), PARKED))
                if not any(x.kind == "discharge" for x in slots):
                    slots.append(self.slot("discharge", parked, parked + form.step_min, AUTO, PARKED))
                made = self.day(slots)
                off = sum((b - a) * times for day, times in week.items() for a, b, _, _ in differ(day, made))
                if best is None or (off, len(program)) < best[:2]:
                    best = (off, len(program), slots)
        assert best is not None
        return best[2]

    def paint(self, slots: Sequence[Slot]) -> list[tuple[Slot, What]]:
        """Return the discharging window, the charging window over it; parked ones are harmless."""
        kept = [s for s in slots if s.note != PARKED]
        out = [(s, AUTO if s.free else wanted(s, "export" if s.exports else "use")) for s in kept if s.kind == "discharge"]
        return out + [(s, wanted(s, "charge")) for s in kept if s.kind == "charge"]
