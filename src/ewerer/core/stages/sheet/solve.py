"""Stage Sheet: canonical quantities become what each unit's own menu shows, in its own units and steps."""

from __future__ import annotations

import weakref
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from graphlib import CycleError, TopologicalSorter
from heapq import heappop, heappush
from itertools import product
from typing import cast

from ...devices.codec import Entry, Facts, Value, decode, encode, encoding_words, factory_shown, takes
from ...devices.model import asked_for
from ...documents.conditions import Condition, parse_condition, parse_interlock
from ...documents.profiles import MenuProfile, Setting
from ...documents.results.sheet import ByHand, FeedRow, LeftAlone, SheetRow, UnitSheet
from ...trade.quantities import QUANTITIES
from ...trade.steps import figure
from ..limits.ac import ac_limiter
from ..solved import Device, Solved, Unit
from .derived import on_one_phase
from .slotrows import ROWS, slot_values, slot_word
from .values import EQUALISING, INERT, KEPT, SENSOR, facts_of, given_texts
from .wishes import HAND

IDLE = "Equalising is off: leave as it is."
MOST_OPENED = 4
"""Most settings outside the plan that are moved for one condition."""


def plan_sheets(solved: Solved) -> dict[str, UnitSheet]:
    """Return the sheet of every unit: rows in order of entry, and what to leave alone and why; none while no ladder fits.

    Units that are to be set alike share their rows.
    """
    if solved.ladder is None or not solved.ladder.view.feasible:
        return {}
    whys: dict[str, dict[str, list[str]]] = {}
    reasons: dict[str, object] = {}
    slots: dict[str, dict[str, Value]] = {}
    sheets = {}
    for device in solved.devices:
        profile = device.profile
        own = solved.ladders.get(profile.id)
        if own is not None and not own.view.feasible:
            continue
        values = {n: v for n, v in solved.values[device.id].items() if profile.setting_for(n) is not None}
        extra = solved.job.extra_entries.get(device.id, {})
        facts = facts_of(device, solved) if any(s.encoding.by for s in profile.settings) else {}
        if isinstance(device, Unit) and profile.id not in slots:
            slots[profile.id] = slot_values(device, solved)
        plates = solved.derived_for(profile)
        kept = frozenset(n for n in SENSOR if n in values and n in plates and values[n] != plates[n].value)
        given = _Given(facts, given_texts(device, solved), slots.get(profile.id, {}), kept)
        if profile.id not in whys:
            whys[profile.id] = _whys(profile, solved)
            reasons[profile.id] = tuple((n, tuple(w)) for n, w in whys[profile.id].items())
        made = _made_for(profile)
        given_all = (*values.values(), *given.slots.values())
        key = (
            device.role,
            *(tuple(x.items()) for x in (values, extra, facts, given.texts, given.slots)),
            tuple(map(type, given_all)),
            reasons[profile.id],
        )
        if key not in made.sheets:
            made.sheets[key] = _rows(device, values, extra, whys[profile.id], given, made)
        rows, left, hand = made.sheets[key]
        sheets[device.id] = UnitSheet(
            id=device.id,
            name=profile.name,
            profile=profile.id,
            kind=device.kind,
            role=device.role,
            settings=rows,
            leave_alone=left,
            decide=hand,
            feeds=list(_feed_rows(device, solved)) if isinstance(device, Unit) else [],
            unlock=f"{WAYS[profile.unlock.way]}{profile.unlock.how}" if profile.unlock else "",
            keys=f"{profile.keys.opens}; {profile.keys.commits}; {profile.keys.leaves}" if profile.keys else "",
            wake=profile.wake or "",
        )
    return sheets


def _feed_rows(unit: Unit, solved: Solved) -> Iterator[FeedRow]:
    """Yield what a unit is set to while another feed of the mains is in use: its input current, what it charges from AC. Source: FEEDS."""
    feeds = solved.limits.ac.feeds if solved.limits is not None else []
    limiter, inlet = ac_limiter(unit), unit.profile.setting_for("ac_input_max_a")
    values, number = solved.values[unit.id], len(solved.units)
    for feed in feeds:
        input_a = feed.input_a / on_one_phase(solved.units)
        for s, amps, shares in ((inlet, input_a, 1), (limiter, feed.charge_a, number)):
            planned = values.get(s.quantity or "") if s is not None else None
            if s is None or s.is_choice or not isinstance(planned, float) or (s.scope != "same-on-all" and unit.role == "follower"):
                continue
            part = amps if s.scope == "cluster-total" else amps / shares
            entry = encode(s, min(planned, part), unit.profile)
            fits = not isinstance(entry.value, str) and float(entry.value) <= part + 1e-6
            yield FeedRow(feed=feed.name, setting=s.id, menu=s.menu, label=s.label, entry=entry.text, unit=s.unit, fits=fits)


MOST_KEPT, WEIGHT = 4000, 20
"""Most lines that are kept for one profile."""


@dataclass(slots=True)
class _Made:
    """Lines and orders made so far for one profile: devices of one model share them, and so does the next plan."""

    lines: dict[object, SheetRow | LeftAlone | ByHand] = field(default_factory=dict)
    orders: dict[object, list[Setting]] = field(default_factory=dict)
    entries: dict[object, Entry] = field(default_factory=dict)
    sheets: dict[object, tuple[list[SheetRow], list[LeftAlone], list[ByHand]]] = field(default_factory=dict)

    def entry(self, s: Setting, value: Value, profile: MenuProfile, facts: Facts) -> Entry:
        """Return what a setting shows for a value, worked out once for devices of one model."""
        if s.encoding.by:
            return encode(s, value, profile, facts)
        key = (s.id, type(value), value)
        if key not in self.entries:
            self.entries[key] = encode(s, value, profile)
        return self.entries[key]


_KEPT: dict[int, _Made] = {}
"""What was made for every profile that is alive, by its identity: profiles are immutable, so a line made once holds."""


def _made_for(profile: MenuProfile) -> _Made:
    """Return what was made so far for a profile; forgotten with the profile, or when it grows too large."""
    made = _KEPT.get(id(profile))
    if made is None:
        made = _KEPT[id(profile)] = _Made()
        weakref.finalize(profile, _KEPT.pop, id(profile), None)
    if max(len(made.lines), len(made.entries), WEIGHT * len(made.orders), WEIGHT * len(made.sheets)) > MOST_KEPT:
        made = _KEPT[id(profile)] = _Made()
    return made


WAYS = {
    "password": "a password: ",
    "digit-sum": "a digit sum: ",
    "key-chord": "keys together: ",
    "menu": "in the menu: ",
    "none": "",
}
"""How the installer level opens, before what the profile says of it."""


@dataclass(frozen=True, slots=True)
class _Given:
    """What a device's rows are made with besides planned values: facts of its place, texts its profile gives, parts of slots, what stays as found."""

    facts: Facts
    texts: Mapping[str, str]
    slots: Mapping[str, Value]
    kept: frozenset[str] = frozenset()


def _whys(profile: MenuProfile, solved: Solved) -> dict[str, list[str]]:
    """Return the rule ids behind every planned quantity for units of ``profile``."""
    ladder = solved.ladders.get(profile.id)
    why = {n: r.why for n, r in ladder.rungs.items()} if ladder else {}
    why |= {n: d.why for n, d in solved.derived_for(profile).items()}
    return why | {
        "charge_max_a": ["chain-of-caps", "split-to-units"],
        "discharge_max_a": ["chain-of-caps", "split-to-units"],
        "mains_charge_max_a": ["ac-budget", "split-to-units"],
    }


def _rows(
    device: Device, values: Mapping[str, Value], extra: Mapping[str, str], why: Mapping[str, list[str]], given: _Given, made: _Made
) -> tuple[list[SheetRow], list[LeftAlone], list[ByHand]]:
    profile = device.profile
    shown = factory_shown(profile)
    entries: dict[str, Entry] = {}
    left: list[LeftAlone] = []
    hand: list[ByHand] = []

    def leave(s: Setting, why: str) -> None:
        key = (s.id, why)
        if key not in made.lines:
            made.lines[key] = LeftAlone(setting=s.id, menu=s.menu, label=s.label, why=why)
        left.append(cast(LeftAlone, made.lines[key]))

    planned = []
    for s in profile.settings:
        if s.id in extra:
            try:
                entries[s.id] = Entry(extra[s.id], decode(s, extra[s.id], profile))
            except ValueError as error:
                leave(s, f"The own entry cannot be entered: {error}.")
                continue
            planned.append(s)
        elif s.scope in ("host", "cluster-total") and device.role == "follower":
            leave(
                s, "Set on the host only; this unit follows it." if s.scope == "host" else "Set once, on the host, for all units."
            )
        elif s.slot is not None:
            if s.id in given.slots:
                entries[s.id] = encode(s, given.slots[s.id], profile)
                planned.append(s)
            elif given.slots:
                leave(s, "Part of a slot that is not used.")
            else:
                leave(s, "No windows are planned.")
        elif s.id in given.texts:
            try:
                entries[s.id] = Entry(given.texts[s.id], decode(s, given.texts[s.id], profile))
            except ValueError as error:
                leave(s, f"The profile's own code cannot be entered: {error}.")
                continue
            planned.append(s)
        elif s.quantity is None or s.quantity in HAND:
            if s.id not in made.lines:
                made.lines[s.id] = _by_hand(s)
            hand.append(cast(ByHand, made.lines[s.id]))
        elif s.quantity not in values:
            leave(s, IDLE if s.quantity in EQUALISING else "Not used here; leave at factory value.")
        else:
            try:
                entries[s.id] = made.entry(s, values[s.quantity], profile, given.facts)
            except (KeyError, ValueError):
                leave(s, f"The unit does not offer {values[s.quantity]}.")
                continue
            planned.append(s)
    kept = planned
    needed_by: dict[str, list[str]] = {}
    while True:
        # A row that is idle shows its factory value again, which may leave further rows idle.
        now = shown | {s.id: entries[s.id].text for s in kept}
        idle = [s for s in kept if s.works_only_if and not parse_condition(s.works_only_if).holds(now)]
        if not idle:
            break
        off = {s.id for s in idle}
        working = [parse_condition(s.works_only_if) for s in kept if s.works_only_if and s.id not in off]
        opened = next(
            (got for s in idle if s.quantity not in INERT and (got := _opened(profile, s, now, {*entries, *needed_by}, working))),
            None,
        )
        if opened is not None:
            by, texts = opened
            for s in profile.settings:
                if s.id in texts:
                    entries[s.id] = Entry(texts[s.id], decode(s, texts[s.id], profile))
                    needed_by.setdefault(s.id, []).append(by.id)
                    kept = [*kept, s]
            continue
        kept = [s for s in kept if s.id not in off]
        for s in idle:
            leave(s, f"Works only if {s.works_only_if}.")
    rank = {s.id: i for i, s in enumerate(profile.settings)}
    kept = sorted(kept, key=lambda s: rank[s.id])
    left = [x for x in left if x.setting not in needed_by]
    hand = [x for x in hand if x.setting not in needed_by]
    after = _before(profile, kept, entries)
    placed = (tuple(after), tuple(tuple(sorted(a)) for a in after.values()))
    if placed not in made.orders:
        made.orders[placed] = _in_order(kept, after)
    order = made.orders[placed]
    rows = []
    for s in order:
        e, q = entries[s.id], QUANTITIES.get(s.quantity or "")
        target = values.get(q.name, e.value) if q else given.slots.get(s.id, e.value)
        because = tuple(why.get(q.name, ()) if q else (ROWS.id,) if s.slot else ())
        because = (KEPT.id,) if q and q.name in given.kept else because
        key = (
            s.id,
            e.text,
            type(e.value),
            e.value,
            type(target),
            target,
            s.id in extra,
            frozenset(after[s.id]),
            tuple(needed_by.get(s.id, ())),
            because,
        )
        if key not in made.lines:
            made.lines[key] = SheetRow(
                setting=s.id,
                menu=s.menu,
                label=s.label,
                quantity=q.name if q else "",
                word=q.word if q else slot_word(s.slot) if s.slot else "",
                entry=e.text,
                unit=s.unit,
                value=e.value,
                target=target,
                scope=s.scope,
                level=s.level,
                needs=s.needs,
                takes_effect=s.takes_effect,
                after=sorted(after[s.id]),
                resets=sorted({k for effect in s.side_effects for k in effect.sets}),
                encoding=_in_words(s, profile, e, values.get(q.name) if q else None),
                note=("Own entry, not the plan's. " if s.id in extra else "")
                + (
                    f"Needed by {', '.join(x.label for x in profile.settings if x.id in needed_by[s.id])}. "
                    if s.id in needed_by
                    else ""
                )
                + (s.note or ""),
                choices=list(dict.fromkeys((s.encoding.choices or {}).values())) if s.id in extra and s.is_choice else [],
                needed_by=needed_by.get(s.id, []),
                caution=s.caution or "",
                why=list(because),
            )
        rows.append(cast(SheetRow, made.lines[key]))
    return rows, left, hand


def _by_hand(s: Setting) -> ByHand:
    """Return a setting that no rule plans, with what is known about it."""
    q = QUANTITIES.get(s.quantity or "")
    known = [HAND.get(s.quantity or "", ""), s.note or ""]
    return ByHand(
        setting=s.id,
        menu=s.menu,
        label=s.label,
        word=q.word if q else "",
        factory=s.factory or "",
        unit=s.unit,
        takes=takes(s),
        choices=list(dict.fromkeys((s.encoding.choices or {}).values())) if s.is_choice else [],
        known=" ".join(k for k in known if k) or "Nothing is known of it; the maker's manual decides.",
        caution=s.caution or "",
    )


def _in_words(setting: Setting, profile: MenuProfile, entry: Entry, target: Value | None) -> str:
    """Return how a value became an entry: its factor, and the side it was rounded to where it was."""
    words = encoding_words(setting, profile)
    if isinstance(entry.value, (str, bool)) or isinstance(target, (str, bool)) or target is None or setting.step is None:
        return words
    if abs(entry.value - target) <= 1e-6 * max(1.0, abs(target)):
        return words
    side = "down" if entry.value < target else "up"
    rounded = f"rounded {side} to {figure(setting.step, 4)} {setting.unit}".rstrip()
    return f"{words}, {rounded}" if words else rounded


def _opened(
    profile: MenuProfile, setting: Setting, shown: Mapping[str, str], taken: Collection[str], working: Sequence[Condition]
) -> tuple[Setting, dict[str, str]] | None:
    """Return what settings outside the plan must show so that ``setting`` works; None where the plan itself keeps it idle.

    The fewest of them change, each to a value its condition names, and no row that works is made idle by it. Only settings without a quantity are moved: what
    carries one is the plan's to decide.
    """
    condition = parse_condition(setting.works_only_if or "")
    free = [s for s in profile.settings if s.id in condition.names() and s.quantity is None and s.id not in taken][:MOST_OPENED]
    choices: list[list[str | None]] = [[None, *(t for t in asked_for(condition, s) if _takes(profile, s, t))] for s in free]
    best = None
    for picked in product(*choices):
        texts = {s.id: t for s, t in zip(free, picked, strict=True) if t is not None}
        if texts and (best is None or len(texts) < len(best)) and all(c.holds({**shown, **texts}) for c in (condition, *working)):
            best = texts
    return None if best is None else (setting, best)


def _takes(profile: MenuProfile, setting: Setting, text: str) -> bool:
    try:
        decode(setting, text, profile)
    except ValueError:
        return False
    return True


def _before(profile: MenuProfile, kept: list[Setting], entries: Mapping[str, Entry]) -> dict[str, set[str]]:
    """Return for each setting the settings that must be entered before it."""
    ids = {s.id for s in kept}
    after: dict[str, set[str]] = {s.id: set() for s in kept}
    for s in kept:
        for effect in s.side_effects:
            for reset in effect.sets:
                if reset in ids and reset != s.id:
                    after[reset].add(s.id)
        if s.works_only_if:
            after[s.id] |= parse_condition(s.works_only_if).names() & ids - {s.id}
    by_id = {s.id: s for s in profile.settings}
    for lock in profile.interlocks:
        parsed = parse_interlock(lock.rule)
        if parsed.above in ids and parsed.below in ids:
            factory = by_id[parsed.above].factory
            try:
                fits = factory is not None and float(factory) - float(entries[parsed.below].text) >= parsed.margin - 1e-9
            except ValueError:
                fits = True
            first, second = (parsed.below, parsed.above) if fits else (parsed.above, parsed.below)
            if first not in after[second] and second not in after[first]:
                after[second].add(first)
    return after


def _in_order(kept: list[Setting], after: dict[str, set[str]]) -> list[Setting]:
    rank = {s.id: i for i, s in enumerate(kept)}
    by_id = {s.id: s for s in kept}
    sorter = TopologicalSorter(after)
    try:
        sorter.prepare()
    except CycleError:
        return kept
    out: list[Setting] = []
    ready: list[tuple[bool, int, str]] = []
    while sorter.is_active():
        # Standby settings first, then the menu from top to bottom.
        for id in sorter.get_ready():
            heappush(ready, (by_id[id].needs == "any", rank[id], id))
        nxt = heappop(ready)[2]
        out.append(by_id[nxt])
        sorter.done(nxt)
    return out


def equalising_off(unit: Device, solved: Solved) -> bool:
    """Return whether the unit's sheet switches equalising off, so that its time and volts never act."""
    sheet = solved.sheets.get(unit.id)
    return sheet is not None and any(r.quantity == "equalise_on" and r.value is False for r in sheet.settings)
