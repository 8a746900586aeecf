"""The order of entry: the shortest sequence of writes that the unit accepts and that is never dangerous.

Exact search (A*) over the device model. The cost of a sequence is, in order of importance, its number of
writes and the way through the menu. First only final values are tried; temporary values come in when no
sequence of final values is accepted. Settings that touch nothing else are entered as soon as their menu is
open, which loses no optimum and keeps the search small.

Everything is entered in standby (or with the output off, where a setting asks for it) as soon as a setting of
charging or protection changes: so no value in between can charge or discharge the bank wrongly. Where the
unit was found dangerous, the entries that end the danger come first.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from heapq import heappop, heappush
from itertools import count, product

from ..devices.codec import decode, shown_text
from ..devices.model import DeviceModel, Level, Mode, Refusal, UnitState, asked_for, number_of
from ..stages.constraints import Constraint, Grid, grant
from ..trade.budget import check_deadline
from ..trade.rules import formula_rule
from .feasible import feasible

ORDER_RULE = formula_rule(
    "entry-order-search",
    "sheet",
    "The shortest accepted and safe sequence of entries, then the shortest way through the menu",
    "min (writes, menu walk) over accepted sequences; temporary values only when needed",
    "the unit's profile",
)


MOST_NODES, LEAST_EFFORT = 2_000, 200
"""Nodes expanded before a search says that it cannot prove a shortest sequence: about half a second."""


EFFORT = 40_000
"""Nodes times settings of one search: each node costs as much time as there are settings."""


WALK_EFFORT = 2_000_000
"""Nodes spent on the shortest way through the menu, times the square of the settings; beyond that a short one is taken without proof."""


FEW = 14
"""With so few related settings every one of them may take temporary values."""


MOST_CHOICES = 8
"""Choices of one setting that are tried as temporary values."""


_WRITE = 1000


_MODES: dict[str, int] = {"any": 0, "standby": 1, "off": 2}


@dataclass(frozen=True, slots=True)
class Write:
    """One entry: setting, text, whether the value is only temporary."""

    setting: str
    text: str
    temporary: bool = False


@dataclass(frozen=True, slots=True)
class Blocked:
    """Why a target cannot be reached: the settings, the reasons, and the nearest target that can be."""

    reasons: tuple[Refusal, ...]
    nearest: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Order:
    """The writes in order; ``blocked`` where the target itself cannot be reached; ``proven`` when none is shorter."""

    writes: tuple[Write, ...]
    blocked: Blocked | None = None
    proven: bool = True
    walk_proven: bool = True
    nodes: int = 0


Shown = dict[str, str]


_Key = tuple[tuple[str, ...], int]


Permits = Callable[[str, str], bool]
"""Whether a setting may be left showing a text, even for a moment."""


def anything(setting: str, text: str) -> bool:
    """Permit every value."""
    return True


class _Search:
    """One search over the device model, with what it asks often kept ready.

    ``passing`` are the settings that may take temporary values; none in the first search. ``free_first`` takes an
    entry that is in nobody's way before all others and tries no other order: quick, and nearly always enough.
    """

    def __init__(
        self,
        model: DeviceModel,
        target: Mapping[str, str],
        relevant: Sequence[str],
        mode: Mode,
        level: Level,
        passing: frozenset[str] = frozenset(),
        walk: bool = True,
        free_first: bool = True,
        permits: Permits = anything,
    ) -> None:
        self.model, self.target, self.relevant, self.passing = model, target, tuple(relevant), passing
        self.free_first, self.permits = free_first, permits
        inside = set(relevant)
        probe = UnitState({}, mode, level)
        self.open = {id: not isinstance(_static(model, probe, id), Refusal) for id in relevant}
        self.effects = {id: [sets for sets in model.sets[id] if set(sets) & inside] for id in relevant}
        self.resets = {id: {r for sets in self.effects[id] for r in sets if r in inside} for id in relevant}
        self.sources: dict[str, set[str]] = {id: set() for id in relevant}
        self.named_by: dict[str, set[str]] = {id: set() for id in relevant}
        for id in relevant:
            for r in self.resets[id]:
                self.sources[r].add(id)
            condition = model.conditions.get(id)
            for name in condition.names() if condition else ():
                self.named_by.setdefault(name, set()).add(id)
        self.locks = {
            id: [(lock.above.id, lock.below.id, lock.parsed.margin - 1e-9) for lock in model.locks_of[id]] for id in relevant
        }
        self.near = {id: {n for a, b, _ in self.locks[id] for n in (a, b)} - {id} for id in relevant}
        self.wished_by_source = {
            id: any(sets.get(id) == target.get(id) for s in self.sources[id] for sets in self.effects[s]) for id in relevant
        }
        menus: list[tuple[str, ...]] = list(dict.fromkeys(tuple(model.settings[id].menu) for id in relevant)) if walk else [()]
        self.groups = {id: menus.index(tuple(model.settings[id].menu)) if walk else 0 for id in relevant}
        self.distances = [[menu_distance(x, y) for y in menus] for x in menus]
        edges = {p: 1 << i for i, p in enumerate({m[:k] for m in menus for k in range(1, len(m) + 1)})}
        roads = [sum(edges[m[:k]] for k in range(1, len(m) + 1)) for m in menus]
        self.roads = [[x ^ y for y in roads] for x in roads]
        self._walks: dict[tuple[int, frozenset[int]], int] = {}
        self.place = {id: i for i, id in enumerate(self.relevant)}
        self._permitted: dict[tuple[str, str], bool] = {}
        self._figures: dict[tuple[str, str], float | None] = {}
        self._valid: dict[tuple[str, str], bool] = {}

    def figure(self, id: str, text: str | None) -> float | None:
        if text is None:
            return None
        key = (id, text)
        if key not in self._figures:
            self._figures[key] = number_of(self.model.settings[id], text)
        return self._figures[key]

    def permitted(self, id: str, text: str) -> bool:
        key = (id, text)
        if key not in self._permitted:
            self._permitted[key] = self.permits(id, text)
        return self._permitted[key]

    def valid(self, id: str, text: str) -> bool:
        key = (id, text)
        if key not in self._valid:
            try:
                decode(self.model.settings[id], text, self.model.profile)
                self._valid[key] = True
            except ValueError:
                self._valid[key] = False
        return self._valid[key]

    def write(self, shown: Shown, id: str, text: str) -> tuple[Shown, list[str]] | None:
        """Return the displays after a write as the device model would, and what changed; None where it refuses."""
        if not self.open[id] or not self.valid(id, text):
            return None
        condition = self.model.conditions.get(id)
        if condition is not None and not condition.holds(shown):
            return None
        after = {**shown, id: text}
        changed = [id]
        if self.effects[id]:
            effects = self.model.effects(id, after)
            after |= effects
            changed += effects
        for one in changed:
            for above, below, margin in self.locks.get(one, ()):
                up, down = self.figure(above, after.get(above)), self.figure(below, after.get(below))
                if up is not None and down is not None and up - down < margin:
                    return None
        return after, changed

    def pending(self, shown: Mapping[str, str]) -> list[str]:
        return [id for id in self.relevant if id in self.target and shown.get(id) != self.target[id]]

    def resettable(self, pending: Sequence[str]) -> set[str]:
        """Return every setting that a write still to come may reset."""
        out: set[str] = set()
        queue = [*pending, *self.passing]
        while queue:
            check_deadline()
            for r in self.resets[queue.pop()]:
                if r not in out:
                    out.add(r)
                    if r in self.target:
                        queue.append(r)
        return out

    def bound(self, pending: Collection[str], group: int) -> int:
        """Return a cost that no way to the target can undercut."""
        if not pending:
            return 0
        sure = [id for id in pending if not self.wished_by_source[id]]
        return _WRITE * max(1, len(sure)) + self.least_walk(group, frozenset([self.groups[id] for id in sure]))

    def least_walk(self, group: int, to_visit: frozenset[int]) -> int:
        """Return the least steps through the menu tree that visit all these places: every branch there and back, but the last."""
        key = (group, to_visit)
        if key not in self._walks:
            places = to_visit - {group}
            starts = places if group < 0 else {group}
            least = 0
            if places and len(self.distances) > 1:
                options = []
                for start in starts:
                    road = 0
                    for g in places:
                        road |= self.roads[start][g]
                    options.append(2 * road.bit_count() - max(self.distances[start][g] for g in places))
                least = min(options)
            self._walks[key] = least
        return self._walks[key]

    def in_nobodys_way(self, id: str, shown: Shown, pending: set[str], resettable: set[str]) -> bool:
        """Return whether entering the final value now can neither be undone nor hinder any later entry.

        Nothing still to come resets it; its neighbours by interlock go straight to their final values, with
        which it agrees; every condition that names it is met afterwards at least as well as before; it resets
        nothing that others look at or reset as well.
        """
        if id in resettable or id in self.passing or self.near[id] & (resettable | self.passing):
            return False
        changing = pending | resettable
        for y in self.named_by[id] & (changing | self.passing):
            if not self._no_worse(y, id, shown):
                return False
        looked_at = changing | self.passing
        return not any(
            (self.named_by[r] | self.sources[r] - {id}) & looked_at or self.near[r] or r in self.passing for r in self.resets[id]
        )

    def _no_worse(self, y: str, id: str, shown: Shown) -> bool:
        """Return whether the condition of ``y`` holds with the final value of ``id`` wherever it holds with the present one."""
        condition = self.model.conditions[y]
        others = [n for n in condition.names() if n != id]
        if len(others) > 4:
            return False
        choices = [{shown.get(n, ""), self.target.get(n, shown.get(n, ""))} for n in others]
        for combination in product(*choices):
            seen = {**shown, **dict(zip(others, combination, strict=True))}
            if condition.holds(seen) and not condition.holds({**seen, id: self.target[id]}):
                return False
        return True

    def temporaries(self, id: str, shown: Shown) -> list[str]:
        """Return values worth passing through: the edges the interlocks leave, and what conditions ask for."""
        s = self.model.settings[id]
        out = [v for y in sorted(self.named_by[id]) for v in asked_for(self.model.conditions[y], s)]
        if s.is_choice and (self.named_by[id] or self.effects[id]):
            out += list((s.encoding.choices or {}).values())[:MOST_CHOICES]
        if not s.is_choice and s.min is not None and s.max is not None and s.step is not None and self.locks[id]:
            low, high = s.min, s.max
            for above, below, margin in self.locks[id]:
                up, down = self.figure(above, shown.get(above)), self.figure(below, shown.get(below))
                if above == id and down is not None:
                    low = max(low, down + margin)
                elif below == id and up is not None:
                    high = min(high, up - margin)
            listed = [v for v in s.values or () if low - 1e-9 <= v <= high + 1e-9]
            first, last = -int((s.min - low + 1e-9) // s.step), int((high - s.min + 1e-9) // s.step)
            if s.values:
                out += [shown_text(s, v) for v in listed[:1] + listed[-1:]]
            elif first <= last:
                out += [shown_text(s, round(s.min + k * s.step, 9)) for k in (first, last)]
        return [v for v in dict.fromkeys(out) if v != shown.get(id) and v != self.target.get(id) and self.permitted(id, v)]

    def run(
        self, shown: Mapping[str, str], most: int, at_most_writes: int | None = None, greedy: bool = False
    ) -> tuple[list[Write] | None, int, Shown]:
        """Return the best sequence, nodes expanded, and the displays nearest to the target."""
        order = self.relevant
        base = dict(shown)
        start = tuple(base.get(id, "") for id in order)
        nowhere = -1 if len(self.distances) > 1 else 0
        pending = self.pending(base)
        ticket = count()
        # Deeper nodes first among equals: with an exact bound the search runs straight to the end.
        heap: list[tuple[int, int, int, _Key]] = [(self.bound(pending, nowhere), 0, next(ticket), (start, nowhere))]
        best: dict[_Key, int] = {(start, nowhere): 0}
        came: dict[_Key, tuple[_Key, Write]] = {}
        nearest, least = base, len(pending)
        nodes = 0
        while heap:
            check_deadline()
            _, minus_cost, _, at = heappop(heap)
            cost, group = -minus_cost, at[1]
            if best[at] < cost:
                continue
            now = {**base, **dict(zip(order, at[0], strict=True))}
            pending = self.pending(now)
            if not pending:
                return self._path(came, at), nodes, now
            if len(pending) < least:
                nearest, least = now, len(pending)
            nodes += 1
            if nodes > most:
                return None, nodes, nearest
            waiting = set(pending)
            for write, after, changed in self._moves(now, pending, group):
                to = self.groups[write.setting]
                spent = cost + _WRITE + (self.distances[group][to] if group >= 0 else 0)
                values, left = list(at[0]), waiting.copy()
                for id in changed:
                    if id in self.place:
                        values[self.place[id]] = after[id]
                        if id in self.target:
                            (left.discard if after[id] == self.target[id] else left.add)(id)
                key = (tuple(values), to)
                if spent >= best.get(key, 1 << 60):
                    continue
                least_cost = spent + self.bound(left, to)
                if at_most_writes is not None and least_cost // _WRITE > at_most_writes:
                    continue
                best[key] = spent
                came[key] = (at, write)
                heappush(heap, (least_cost - spent if greedy else least_cost, -spent, next(ticket), key))
        return None, nodes, nearest

    def _moves(self, now: Shown, pending: Sequence[str], group: int) -> list[tuple[Write, Shown, list[str]]]:
        resettable, waiting = self.resettable(pending), set(pending)
        free: dict[int, tuple[Write, Shown, list[str]]] = {}
        out: list[tuple[Write, Shown, list[str]]] = []
        for id in [x for x in pending if self.groups[x] == group] + [x for x in pending if self.groups[x] != group]:
            after = self.write(now, id, self.target[id])
            if after is None:
                continue
            to = self.groups[id]
            if self.free_first and to not in free and self.in_nobodys_way(id, now, waiting, resettable):
                if to == group:
                    return [(Write(id, self.target[id]), *after)]
                free[to] = (Write(id, self.target[id]), *after)
            elif not self.free_first or to not in free:
                out.append((Write(id, self.target[id]), *after))
        # In a menu with a free entry that entry comes first: it loses nothing.
        out = [m for m in out if self.groups[m[0].setting] not in free] + list(free.values())
        for id in self.relevant:
            if id in self.passing:
                for text in self.temporaries(id, now):
                    after = self.write(now, id, text)
                    if after is not None:
                        out.append((Write(id, text, True), *after))
        return out

    @staticmethod
    def _path(came: Mapping[_Key, tuple[_Key, Write]], at: _Key) -> list[Write]:
        out = []
        while at in came:
            at, write = came[at]
            out.append(write)
        return out[::-1]


def _static(model: DeviceModel, state: UnitState, id: str) -> Refusal | None:
    """Return the refusal by mode or level, which no write changes."""
    s = model.settings[id]
    refused = model.check(state, id, "")
    return refused if isinstance(refused, Refusal) and refused.kind in ("mode", "level") and s is not None else None


def menu_distance(a: Sequence[str], b: Sequence[str]) -> int:
    """Return the steps from one place in the menu tree to another: up to the common place and down again."""
    common = 0
    for x, y in zip(a, b, strict=False):
        if x != y:
            break
        common += 1
    return len(a) + len(b) - 2 * common


def related(model: DeviceModel, differing: Sequence[str]) -> list[str]:
    """Return the settings that the differing ones touch, directly or through others, in menu order."""
    graph: dict[str, set[str]] = {id: set() for id in model.settings}

    def join(a: str, b: str) -> None:
        graph[a].add(b)
        graph[b].add(a)

    for lock in model.locks:
        join(lock.above.id, lock.below.id)
    for id, s in model.settings.items():
        for effect in s.side_effects:
            for reset in effect.sets:
                join(id, reset)
        condition = model.conditions.get(id)
        for name in condition.names() if condition else ():
            join(id, name)
    seen = set(differing)
    queue = list(differing)
    while queue:
        check_deadline()
        for near in graph[queue.pop()]:
            if near not in seen:
                seen.add(near)
                queue.append(near)
    return [id for id in model.settings if id in seen]


def needed_mode(model: DeviceModel, settings: Sequence[str], guarded: bool) -> Mode:
    """Return the mode in which all these settings are taken: the most demanding of them, standby where guarded."""
    rank = max((_MODES[model.settings[id].needs] for id in settings), default=0)
    rank = max(rank, 1 if guarded else 0)
    return ("on", "standby", "off")[rank] if rank else "on"


def entry_order(
    model: DeviceModel,
    found: Mapping[str, str],
    target: Mapping[str, str],
    mode: Mode = "off",
    level: Level = "installer",
    first: Sequence[str] = (),
    most_nodes: int = MOST_NODES,
    permits: Permits = anything,
) -> Order:
    """Return the shortest sequence of writes from ``found`` to ``target`` (setting -> displayed text).

    Settings not named in ``target`` end as they were found, also those that a write resets on the way; only where they
    cannot be put back do they stay as the write left them. ``first`` are settings whose present values are
    dangerous: their entries come first when that costs no further write. The result's ``blocked`` says
    which interlock or condition makes the target impossible, and the writes then lead to the nearest one.
    A found value that bars the target by an interlock is moved out of its way, as little as will do. Nothing that
    ``permits`` refuses is written, neither for a moment nor as the nearest to a target that cannot be reached.
    """
    start = model.start(found, mode, level)
    target = {**target, **_lifted(model, start.shown, target, permits)}
    differing = [id for id in target if start.shown.get(id) != target[id]]
    clash = [
        lock for lock in model.locks if lock.broken({**start.shown, **target}) and {lock.above.id, lock.below.id} & set(differing)
    ]
    if clash:
        nearest = {i: v for i, v in _nearest(model, start.shown, target).items() if v == target[i] or permits(i, v)}
        # What is not permitted stays as found; whatever that bars stays as well.
        held = {i: v for i, v in nearest.items() if not _broken_by(model, {**start.shown, **nearest}, i)}
        reasons = tuple(Refusal(lock.below.id, "interlock", model.lock_words(lock), lock.rule) for lock in clash)
        reached = entry_order(model, found, held, mode, level, first, most_nodes, permits) if held != target else Order(())
        told = {**{i: start.shown.get(i, v) for i, v in target.items()}, **held}
        return Order(reached.writes, Blocked(reasons, told), reached.proven, reached.walk_proven, reached.nodes)
    relevant = tuple(related(model, differing))
    reset_by_others = {r for id in relevant for effect in model.settings[id].side_effects for r in effect.sets}
    # What is only passed through, and what an entry resets, ends as it was found.
    found_again = {
        id: start.shown[id] for id in relevant if id in start.shown and id not in target and permits(id, start.shown[id])
    }
    resets = reset_by_others & set(found_again)
    order = _ordered(model, start, {**found_again, **target}, relevant, first, most_nodes // 4 if resets else most_nodes, permits)
    if order.blocked is None or not resets:
        return order
    gates = {n for id in target if (c := model.conditions.get(id)) is not None for n in c.names()}
    passed = {id: text for id, text in found_again.items() if id not in reset_by_others or id in gates}
    without = _ordered(model, start, {**passed, **target}, relevant, first, most_nodes, permits)
    end = start
    for write in without.writes:
        after = model.write(end, write.setting, write.text)
        end = after if isinstance(after, UnitState) else end
    if all(end.shown.get(id) == text for id, text in target.items()):
        return replace(without, blocked=None)  # only what nobody planned could not be put back
    return without if without.blocked is None else order


def _ordered(
    model: DeviceModel,
    start: UnitState,
    target: Mapping[str, str],
    relevant: Sequence[str],
    first: Sequence[str],
    most_nodes: int,
    permits: Permits,
) -> Order:
    """Return the shortest sequence to ``target``, of which no interlock bars two values from standing together."""
    mode, level = start.mode, start.level
    most_nodes = min(most_nodes, EFFORT // max(1, len(relevant)))
    writes, nodes, nearest_shown, walk_proven = _final_values(model, start.shown, target, relevant, mode, level, most_nodes)
    if writes is None and nodes <= most_nodes:
        # An entry taken first because it seems in nobody's way may still have barred one: look again without that short cut.
        search = _Search(model, target, relevant, mode, level, walk=False, free_first=False)
        writes, more, nearest_shown = search.run(start.shown, most_nodes)
        nodes, walk_proven = max(nodes, more), False
    proven = writes is not None or nodes <= most_nodes
    if writes is not None:
        writes, more, walk_proven = _danger_first(model, start, target, relevant, writes, walk_proven, first)
        return Order(tuple(writes), None, True, walk_proven, nodes + more)
    parts = _parts(model, relevant)
    if len(parts) > 1:
        return _in_parts(model, start, target, parts, first, most_nodes, permits)
    passing = _passing(model, target, relevant, UnitState(nearest_shown, mode, level))
    search = _Search(model, target, relevant, mode, level, passing, walk=False, permits=permits)
    part, used = most_nodes // 4, 0
    if proven:
        writes, used, _ = search.run(start.shown, part)
        # That no sequence exists is shown only where every setting might have taken temporary values.
        proven = used <= part and (writes is not None or len(passing) == len(relevant))
    if writes is None:
        # No proof of the shortest within the effort: any sequence that is accepted and safe is better than none.
        steps, end = feasible(model, start, target, permits)
        if all(end.shown.get(id) == text for id, text in target.items()):
            writes, proven = _as_writes(steps), False
        elif not proven:
            writes, more, _ = search.run(start.shown, part, greedy=True)
            used += more
    nodes += used
    if writes is not None:
        return Order(tuple(writes), None, proven, False, nodes)
    refused_ones: list[Refusal] = []
    state = UnitState(nearest_shown, mode, level)
    for id in target:
        if nearest_shown.get(id) != target[id]:
            refused = model.check(state, id, target[id])
            if isinstance(refused, Refusal):
                refused_ones.append(refused)
            else:
                by = [model.settings[r].label for r in relevant if any(id in e.sets for e in model.settings[r].side_effects)]
                refused_ones.append(
                    Refusal(id, "reset", f"{model.settings[id].label} is put back by {_list(by) or 'another entry'}")
                )
    reachable = {id: nearest_shown.get(id, text) for id, text in target.items()}
    reachable = {id: v for id, v in reachable.items() if v in (target[id], start.shown.get(id)) or permits(id, v)}
    again, used, _ = _Search(model, reachable, relevant, mode, level, walk=False).run(start.shown, most_nodes)
    return Order(tuple(again or ()), Blocked(tuple(refused_ones), reachable), proven and again is not None, False, nodes + used)


def _as_writes(steps: Sequence[tuple[str, str]]) -> list[Write]:
    """Return steps as writes: the last of a setting is its final one."""
    last = {setting: k for k, (setting, _) in enumerate(steps)}
    return [Write(setting, text, last[setting] != k) for k, (setting, text) in enumerate(steps)]


def _parts(model: DeviceModel, relevant: Sequence[str]) -> list[list[str]]:
    """Return the settings in parts that have nothing to do with each other: no interlock, condition or reset between them."""
    left, parts = list(relevant), []
    while left:
        check_deadline()
        part = [id for id in related(model, left[:1]) if id in left]
        parts.append(part)
        left = [id for id in left if id not in part]
    return parts


def _in_parts(
    model: DeviceModel,
    start: UnitState,
    target: Mapping[str, str],
    parts: Sequence[Sequence[str]],
    first: Sequence[str],
    most_nodes: int,
    permits: Permits,
) -> Order:
    """Return the orders of each part one after the other, those that end a danger first."""
    writes: list[Write] = []
    reasons: list[Refusal] = []
    nearest = dict(target)
    proven, nodes = True, 0
    for part in sorted(parts, key=lambda p: not set(first) & set(p)):
        mine = {id: target[id] for id in part if id in target}
        if all(start.shown.get(id) == text for id, text in mine.items()):
            continue
        order = _ordered(model, start, mine, part, first, most_nodes, permits)
        writes += order.writes
        proven, nodes = proven and order.proven, nodes + order.nodes
        if order.blocked is not None:
            reasons += order.blocked.reasons
            nearest |= order.blocked.nearest
    return Order(tuple(writes), Blocked(tuple(reasons), nearest) if reasons else None, proven, False, nodes)


def _broken_by(model: DeviceModel, shown: Mapping[str, str], id: str) -> bool:
    """Return whether a setting stands in a broken interlock."""
    return any(lock.broken(shown) for lock in model.locks_of[id])


def _lifted(model: DeviceModel, shown: Mapping[str, str], target: Mapping[str, str], permits: Permits) -> dict[str, str]:
    """Return new values for settings that are not in the target but bar it by an interlock, moved as little as will do."""
    wanted = {**shown, **target}
    barred = {
        id
        for lock in model.locks
        if lock.broken(wanted) and len({lock.above.id, lock.below.id} & set(target)) == 1
        for id in (lock.above.id, lock.below.id)
        if id not in target
    }
    if not barred:
        return {}
    got = _nearest(model, shown, {**{id: shown[id] for id in barred if id in shown}, **target}, free=frozenset(barred))
    moved = {id: got[id] for id in barred if id in got and got[id] != shown.get(id)}
    fits = not any(lock.broken({**wanted, **moved}) for id in barred for lock in model.locks_of[id])
    return moved if fits and all(permits(id, v) for id, v in moved.items()) else {}


def _passing(model: DeviceModel, target: Mapping[str, str], relevant: Sequence[str], state: UnitState) -> frozenset[str]:
    """Return which settings may take temporary values: all of a few, or of many those that the refusals name, then wider."""
    if len(relevant) <= FEW:
        return frozenset(relevant)
    named: set[str] = set()
    for id in relevant:
        if id in target and state.shown.get(id) != target[id]:
            named.add(id)
            condition = model.conditions.get(id)
            named |= condition.names() if condition else set()
            for lock in model.locks_of[id]:
                named |= {lock.above.id, lock.below.id}
    return frozenset(named & set(relevant))


def _final_values(
    model: DeviceModel,
    shown: Mapping[str, str],
    target: Mapping[str, str],
    relevant: Sequence[str],
    mode: Mode,
    level: Level,
    most: int,
) -> tuple[list[Write] | None, int, Mapping[str, str], bool]:
    """Return the best sequence of final values, nodes, the nearest displays, and whether its menu walk is proven shortest."""
    writes, nodes, nearest = _Search(model, target, relevant, mode, level, walk=False).run(shown, most)
    if writes is None:
        return None, nodes, nearest, False
    # The least number is known; now the shortest way through the menu with that many.
    search = _Search(model, target, relevant, mode, level)
    effort = max(LEAST_EFFORT, WALK_EFFORT // max(1, len(relevant)) ** 2)
    best, used, _ = search.run(shown, effort, len(writes))
    proven = best is not None
    if best is None:
        best, more, _ = search.run(shown, effort, len(writes), greedy=True)
        used += more
    return best or writes, nodes + used, nearest, proven


def _danger_first(
    model: DeviceModel,
    start: UnitState,
    target: Mapping[str, str],
    relevant: Sequence[str],
    writes: list[Write],
    walk_proven: bool,
    first: Sequence[str],
) -> tuple[list[Write], int, bool]:
    """Put the writes that end a danger first where the sequence gets no longer by it."""
    ahead: list[Write] = []
    state, nodes = start, 0
    for id in first:
        if id not in target or state.shown.get(id) == target[id]:
            continue
        after = model.write(state, id, target[id])
        if isinstance(after, Refusal):
            continue
        rest, used, _, proven = _final_values(model, after.shown, target, relevant, start.mode, start.level, MOST_NODES)
        nodes += used
        if rest is not None and len(ahead) + 1 + len(rest) <= len(writes):
            ahead.append(Write(id, target[id]))
            state, walk_proven = after, proven
            writes = [*ahead, *rest]
    return writes, nodes, walk_proven


def _nearest(
    model: DeviceModel, shown: Mapping[str, str], target: Mapping[str, str], free: frozenset[str] = frozenset()
) -> dict[str, str]:
    """Return the target changed as little as the interlocks allow, the settings in their order keeping their figure first.

    ``free`` are those that give way before all others.
    """
    scale = 1_000_000
    wanted = {**shown, **target}
    names = {id for lock in model.locks for id in (lock.above.id, lock.below.id)}
    grids, wishes, fixed = [], [], []
    for id in model.settings:
        s, value = model.settings[id], number_of(model.settings[id], wanted.get(id))
        if id not in names or value is None or s.min is None or s.max is None or s.step is None:
            continue
        grids.append(Grid(id, round(s.min * scale), round(s.max * scale), round(s.step * scale), round(s.min * scale)))
        wishes.append((id, round(value * scale)))
        if id not in target:
            fixed += [
                Constraint(id, None, round(value * scale), "as found"),
                Constraint(None, id, -round(value * scale), "as found"),
            ]
    wishes.sort(key=lambda wish: wish[0] in free)
    known = {g.name for g in grids}
    locks = [
        Constraint(lock.above.id, lock.below.id, round(lock.parsed.margin * scale), lock.rule)
        for lock in model.locks
        if {lock.above.id, lock.below.id} <= known
    ]
    got = grant(grids, [*locks, *fixed], wishes) or grant(grids, locks, wishes) or {}
    out = dict(target)
    for id, value in got.items():
        if id in target and value / scale != number_of(model.settings[id], target[id]):
            out[id] = shown_text(model.settings[id], value / scale)
    return out


def why_now(model: DeviceModel, start: Mapping[str, str], writes: Sequence[Write], first: Sequence[str]) -> list[str]:
    """Return for each write one line that says why it stands where it stands."""
    out = []
    shown = dict(start)
    for i, w in enumerate(writes):
        later = {x.setting: k for k, x in enumerate(writes) if k > i}
        words = []
        if w.setting in first and all(x.setting in first for x in writes[: i + 1]):
            words.append("first, it ends a danger")
        after = {**shown, w.setting: w.text}
        resets = [model.settings[r].label for r in model.effects(w.setting, after) if r in later]
        if resets:
            words.append(f"before {_list(resets)}, which it resets")
        allows = [
            model.settings[y].label for y in later if w.setting in (model.conditions[y].names() if y in model.conditions else ())
        ]
        if allows:
            words.append(f"before {_list(allows)}, which it allows")
        for lock in model.locks_of[w.setting]:
            other = lock.below.id if lock.above.id == w.setting else lock.above.id
            if other in later:
                words.append(f"before {model.settings[other].label}: {model.lock_words(lock)}")
        if w.temporary:
            words.append("only for now: it lets the next move")
        condition = model.conditions.get(w.setting)
        if not words and condition is not None:
            words.append(f"while {model.condition_words(w.setting)}")
        out.append("; ".join(dict.fromkeys(words)))
        shown = {**after, **model.effects(w.setting, after)}
    return out


def _list(words: Sequence[str]) -> str:
    return ", ".join(words[:3]) + (f" and {len(words) - 3} more" if len(words) > 3 else "")
