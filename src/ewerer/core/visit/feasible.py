"""Any accepted sequence of writes where the shortest is out of reach: each setting goes towards its target, wave after wave.

A figure held by interlocks moves as far as they leave it and is moved again when its neighbours have followed; what
works only under a condition has that condition made true first, through as many settings as it takes, and these go
back afterwards, the last opened first. Nothing is proven by it, but every write is one that the unit takes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import product
from typing import NamedTuple

from ..devices.codec import shown_text
from ..devices.model import DeviceModel, Refusal, UnitState, asked_for, number_of

MOST_WAVES = 200
"""Passes over what is still to change."""
MOST_WAYS = 48
"""Ways of making one condition true that are tried."""
MOST_DEEP = 30
"""Conditions that hang on each other."""
MOST_PRUNED = 60
"""Longest sequence that is looked through for entries it can do without."""
MOST_CHOICES = 6


class Step(NamedTuple):
    """One write: setting and text."""

    setting: str
    text: str


def feasible(
    model: DeviceModel, start: UnitState, target: Mapping[str, str], permits: Callable[[str, str], bool]
) -> tuple[list[Step], UnitState]:
    """Return a sequence of accepted writes towards ``target`` and the state after it; the target is reached or it is not."""
    walk = _Walk(model, start, target, permits)
    walk.run()
    steps = walk.steps
    if walk.reached() and len(steps) <= MOST_PRUNED:
        steps = _pruned(model, start, target, steps)
    return steps, walk.state


class _Walk:
    def __init__(
        self, model: DeviceModel, start: UnitState, target: Mapping[str, str], permits: Callable[[str, str], bool]
    ) -> None:
        self.model, self.state, self.target, self.permits = model, start, target, permits
        self.steps: list[Step] = []
        depths: dict[str, int] = {}
        # What hangs on others goes first: by the time a gate is closed again, what it gates stands as it should.
        self.order = sorted(target, key=lambda id: -_depth(model, id, depths, frozenset()))

    def reached(self) -> bool:
        return all(self.state.shown.get(id) == text for id, text in self.target.items())

    def run(self) -> None:
        seen = set()
        for _ in range(MOST_WAVES):
            pending = [id for id in self.order if self.state.shown.get(id) != self.target[id]]
            mark = tuple(self.state.shown.get(id) for id in self.order)
            if not pending or mark in seen:
                return
            seen.add(mark)
            for id in pending:
                if self.opened(id, 0, frozenset()) and not self.put(id, self.target[id]):
                    nearer = self.nearer(id)
                    if nearer is not None:
                        self.put(id, nearer)

    def put(self, id: str, text: str) -> bool:
        """Write, and return whether the unit took it."""
        after = self.model.write(self.state, id, text)
        if isinstance(after, Refusal):
            return False
        if after.shown != self.state.shown:
            self.steps.append(Step(id, text))
        self.state = after
        return True

    def nearer(self, id: str) -> str | None:
        """Return the permitted figure nearest to the target that the interlocks leave now, where it is nearer than the present one."""
        s = self.model.settings[id]
        now, goal = number_of(s, self.state.shown.get(id)), number_of(s, self.target[id])
        if now is None or goal is None or s.min is None or s.max is None or s.step is None:
            return None
        low, high = s.min, s.max
        for lock in self.model.locks_of[id]:
            up = number_of(lock.above, self.state.shown.get(lock.above.id))
            down = number_of(lock.below, self.state.shown.get(lock.below.id))
            if lock.above.id == id and down is not None:
                low = max(low, down + lock.parsed.margin)
            elif lock.below.id == id and up is not None:
                high = min(high, up - lock.parsed.margin)
        first, last = -int((s.min - low + 1e-9) // s.step), int((high - s.min + 1e-9) // s.step)
        if first > last:
            return None
        k = min(max(round((goal - s.min) / s.step), first), last)
        value = round(s.min + k * s.step, 9)
        if s.values:
            value = min((v for v in s.values if low - 1e-9 <= v <= high + 1e-9), key=lambda v: abs(v - goal), default=now)
        text = shown_text(s, value)
        return text if abs(value - goal) < abs(now - goal) - 1e-9 and self.permits(id, text) else None

    def opened(self, id: str, deep: int, busy: frozenset[str]) -> bool:
        """Make the condition of a setting true, and return whether it is."""
        condition = self.model.conditions.get(id)
        if condition is None or condition.holds(self.state.shown):
            return True
        if deep > MOST_DEEP or id in busy:
            return False
        names = [n for n in sorted(condition.names()) if n in self.model.settings]
        ways = []
        for texts in product(*([self.state.shown.get(n), *self.wanted(id, n)] for n in names)):
            way = {n: t for n, t in zip(names, texts, strict=True) if t is not None and t != self.state.shown.get(n)}
            if condition.holds({**self.state.shown, **way}):
                ways.append(way)
            if len(ways) >= MOST_WAYS:
                break
        for way in sorted(ways, key=lambda w: (len(w), sum(self.target.get(n, t) != t for n, t in w.items()))):
            state, count = self.state, len(self.steps)
            if all(
                (t == self.target.get(n) or self.permits(n, t)) and self.opened(n, deep + 1, busy | {id}) and self.put(n, t)
                for n, t in way.items()
            ) and condition.holds(self.state.shown):
                return True
            self.state = state
            del self.steps[count:]
        return False

    def wanted(self, id: str, name: str) -> Sequence[str]:
        """Return what a condition may want a setting to show."""
        s = self.model.settings[name]
        choices = list((s.encoding.choices or {}).values())[:MOST_CHOICES] if s.is_choice else []
        return list(dict.fromkeys([*asked_for(self.model.conditions[id], s), *choices]))


def _depth(model: DeviceModel, id: str, known: dict[str, int], above: frozenset[str]) -> int:
    """Return how many conditions hang on each other below a setting; what hangs on itself counts as none."""
    if id in known:
        return known[id]
    condition = model.conditions.get(id)
    names = condition.names() if condition else ()
    deep = max(
        (1 + _depth(model, n, known, above | {id}) for n in names if n in model.settings and n not in above | {id}), default=0
    )
    if not above:
        known[id] = deep
    return deep


def _pruned(model: DeviceModel, start: UnitState, target: Mapping[str, str], steps: list[Step]) -> list[Step]:
    """Return the sequence without the entries it can do without."""
    k = len(steps) - 1
    while k >= 0:
        fewer = steps[:k] + steps[k + 1 :]
        end = _after(model, start, fewer)
        if end is not None and all(end.shown.get(id) == text for id, text in target.items()):
            steps = fewer
            k = min(k, len(steps))
        k -= 1
    return steps


def _after(model: DeviceModel, state: UnitState, steps: Sequence[Step]) -> UnitState | None:
    """Return the state after all steps; None where one is refused."""
    for step in steps:
        got = model.write(state, step.setting, step.text)
        if isinstance(got, Refusal):
            return None
        state = got
    return state
