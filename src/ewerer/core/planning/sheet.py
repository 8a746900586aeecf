"""Stage Sheet: canonical quantities become what each unit's own menu shows, in its own units and steps."""

from __future__ import annotations

import weakref
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from graphlib import CycleError, TopologicalSorter
from heapq import heappop, heappush
from itertools import product
from typing import cast

from ..devices.codec import Entry, Facts, Value, decode, encode, encoding_words, factory_shown, takes
from ..devices.model import asked_for
from ..documents.conditions import Condition, parse_condition, parse_interlock
from ..documents.profiles import InverterProfile, MenuProfile, ModuleProfile, Setting, SunChargerProfile
from ..documents.results.sheet import ByHand, LeftAlone, SheetRow, UnitSheet
from ..trade.finding import Finding
from ..trade.quantities import OWN_AMPS, QUANTITIES
from ..trade.rules import Rule, check, formula_rule
from ..trade.steps import figure
from .limits import ac_limiter, may_charge_from_ac
from .slotrows import ROWS, slot_values, slot_word
from .solved import Device, Part, Solved, Unit
from .units import number_on_phase
from .wishes import HAND

ORDER = formula_rule(
    "entry-order",
    "sheet",
    "What resets others is entered first, what others depend on before them",
    "order = menu order, corrected by side effects, conditions and interlocks",
)


INERT = ("equalise_on", "equalise_v", "equalise_min", "new_bank")
"""Quantities that nothing is switched on for: an idle one does no harm."""
MOST_OPENED = 4
"""Most settings outside the plan that are moved for one condition."""


def plan_values(device: Device, solved: Solved) -> dict[str, Value]:
    """Return every planned canonical value for one device: thresholds, derived figures, its own part and place."""
    if isinstance(device, Unit):
        return _unit_values(device, solved)
    return _module_values(device, solved) if device.kind == "module" else _part_values(device, solved)


def _part_values(part: Part, solved: Solved) -> dict[str, Value]:
    """Return what is planned for a sun charger or the controller."""
    ladder = solved.ladders.get(part.profile.id)
    if ladder is None or not ladder.view.feasible:
        return {}
    values: dict[str, Value] = {name: rung.value for name, rung in ladder.rungs.items()}
    values |= {name: d.value for name, d in solved.derived_for(part.profile).items()}
    if solved.limits is None:
        return values
    if part.kind == "sun-charger":
        own = next((s.a for s in solved.limits.charge.units if s.unit == part.id and s.kind == "sun-charger"), 0.0)
        values["charge_max_a"] = values["sun_charge_max_a"] = own
        values["address"] = float(part.index + 1)
        values["role"] = "single" if part.role == "alone" else part.role
        values["interface_role"] = _interface(part)
        for name in ("bms_protocol", "bms_port", "bms_bitrate"):
            values.pop(name, None)
        heard = _spoken(part, solved)
        values["battery_type"] = "protocol" if heard else "user"
        if heard and isinstance(part.profile, SunChargerProfile):
            entry = next(p for p in part.profile.protocols if p.name == heard)
            values |= {"bms_protocol": heard, "bms_port": entry.port, "bms_bitrate": float(entry.bitrate)}
    else:
        values["bank_charge_max_a"] = solved.limits.charge.bank_a
        values["discharge_max_a"] = solved.limits.discharge.bank_a
    return values


def _module_values(part: Part, solved: Solved) -> dict[str, Value]:
    """Return what is planned for the menu of a module's BMS: the protocol, what it asks for, its own limits and address."""
    m = next(x for x in solved.modules if x.id == part.id)
    values: dict[str, Value] = {"capacity_ah": m.capacity_ah, "series_cells": float(m.series_cells)}
    values["charge_max_a"] = min(m.charge_a, m.charge_warranty_a or m.charge_a)
    values["discharge_max_a"] = min(m.discharge_a, m.discharge_warranty_a or m.discharge_a)
    values["interface_role"] = _interface(part)
    if m.asked_cell_v is not None:
        values["absorb_v"] = m.asked_cell_v * m.series_cells
    ladder, derived = solved.ladder, solved.derived_for(solved.host.profile if solved.host else None)
    if ladder is not None and "float_v" in ladder.rungs:
        values["float_v"] = ladder.rungs["float_v"].value
    values |= {n: derived[n].value for n in ("absorb_min", "tail_a", "temp_stop_c", "low_temp_stop_c") if n in derived}
    placed = solved.link.addresses.modules if solved.link.addresses else []
    address = next((a.address for a in placed if a.module == part.id), None)
    if address is not None:
        values["address"] = float(address)
    if solved.link.loop == "closed" and part.id in solved.link.speaking and solved.link.protocol is not None:
        values["bms_protocol"] = _spoken(part, solved)
        if solved.link.bms_port is not None:
            values["bms_port"] = solved.link.bms_port
        rate = solved.link.adapter.bitrate if solved.link.adapter else solved.link.bitrate
        if rate is not None:
            values["bms_bitrate"] = float(rate)
    return values


def _interface(part: Part) -> str:
    """Return the part's place among its like: alone where it is and its menu has a word for that."""
    setting = part.profile.setting_for("interface_role")
    offered = (setting.encoding.choices or {}) if setting is not None else {}
    return "host" if part.role == "alone" and "alone" not in offered else part.role


def follows_bms(part: Part, solved: Solved) -> bool:
    """Return whether a sun charger obeys the BMS that speaks."""
    return any(c.charger == part.id and c.follows for c in solved.link.chargers)


def _spoken(part: Part, solved: Solved) -> str:
    """Return the name of the protocol that a charger obeys or a module speaks; empty where none is."""
    if part.kind == "sun-charger":
        said = next((c.protocol for c in solved.link.chargers if c.charger == part.id and c.follows), None)
    else:
        said = solved.link.adapter.protocol if solved.link.adapter else solved.link.protocol
    return (said or "").split(" ")[0]


def facts_of(device: Device, solved: Solved) -> Facts:
    """Return what a choice may depend on, by the names of profiles' facts."""
    facts = {
        "topology": solved.job.site.ac.topology,
        "role": "single" if isinstance(device, Unit) and len(solved.units) == 1 else device.role,
        "units": "alone" if len(solved.units) == 1 else "group",
        "firmware": device.firmware or "",
        "loop": solved.link.loop,
        "phase": "",
        "place": "1",
        "chemistry": solved.bank.chemistry if solved.bank else "",
        "cells": str(solved.bank.series_cells) if solved.bank else "",
    }
    if isinstance(device, Unit):
        facts |= {"phase": device.job.phase, "place": str(number_on_phase(device, solved.units))}
    return facts


def given_texts(device: Device, solved: Solved) -> dict[str, str]:
    """Return setting id -> text that a profile itself gives for this job: type codes by chemistry and cells, protocol numbers."""
    profile = device.profile
    out: dict[str, str] = {}
    kind, protocol = profile.setting_for("battery_type"), profile.setting_for("bms_protocol")
    if isinstance(profile, SunChargerProfile) and kind is not None and solved.bank is not None and isinstance(device, Part):
        codes, chemistry = profile.battery_type_codes, solved.bank.chemistry
        code = next((codes[k] for k in (f"{chemistry}-{solved.bank.series_cells}", chemistry, "user") if k in codes), None)
        if code is not None and not (follows_bms(device, solved) and "protocol" in (kind.encoding.choices or {})):
            out[kind.id] = code
    name = "" if isinstance(device, Unit) else _spoken(device, solved)
    if protocol is not None and name and not isinstance(device, Unit):
        if isinstance(profile, ModuleProfile) and profile.bms is not None and device.id in solved.link.speaking:
            spoken = [p for p in profile.bms.protocols if p.name == name and p.port == solved.link.bms_port]
        elif isinstance(profile, SunChargerProfile) and follows_bms(device, solved):
            spoken = [p for p in profile.protocols if p.name == name]
        else:
            spoken = []
        if spoken and spoken[0].entry is not None:
            out[protocol.id] = spoken[0].entry
    return out


def _unit_values(unit: Unit, solved: Solved) -> dict[str, Value]:
    ladder = solved.ladders.get(unit.profile.id)
    values: dict[str, Value] = {}
    if ladder is not None:
        values |= {name: rung.value for name, rung in ladder.rungs.items()}
    values |= {name: d.value for name, d in solved.derived_for(unit.profile).items()}
    if solved.limits is not None:
        own = next((s.a for s in solved.limits.charge.units if s.unit == unit.id and s.kind == "unit"), None)
        out = next((s.a for s in solved.limits.discharge.units if s.unit == unit.id), None)
        ac = next((s.a for s in solved.limits.ac.units if s.unit == unit.id), None)
        if own is not None:
            limiter = ac_limiter(unit)
            bound = limiter is not None and limiter.quantity == "charge_max_a" and may_charge_from_ac(unit, solved.job)
            values["charge_max_a"] = min(own, ac) if bound and ac is not None else own
            values["mains_charge_max_a"] = ac or 0.0
        if out is not None:
            values["discharge_max_a"] = out
    for name in TOTALS:
        setting = unit.profile.setting_for(name)
        if setting is not None and setting.scope == "cluster-total" and solved.limits is not None and name in values:
            values[name] = _total(name, solved)
    for name in OWN_AMPS:
        own_a, planned = solved.job.policy.own_number(name), values.get(name)
        if own_a is not None and isinstance(planned, float) and own_a < planned:
            values[name] = own_a
    if unit.job.role == "follower" and unit.profile.follower_battery_type and values.get("battery_type") == "protocol":
        values["battery_type"] = unit.profile.follower_battery_type
    if values:
        values["role"] = unit.job.role if len(solved.units) > 1 else _alone(unit.profile)
        values["phase"] = unit.job.phase
        values["address"] = float(unit.index + 1)
        if solved.link.loop == "closed":
            values["interface_role"] = "host" if unit.id == solved.link.host_unit else "follower"
        if "topology" in values and values["topology"] == "single" and len(solved.units) == 1:
            values["topology"] = "alone"
    return values


TOTALS = ("charge_max_a", "mains_charge_max_a", "discharge_max_a")
"""Currents that some units take once for all of them together."""


def _total(name: str, solved: Solved) -> float:
    """Return what all units together may carry [A]: the limit itself, never a share of it."""
    assert solved.limits is not None
    if name == "mains_charge_max_a":
        return min(solved.limits.charge.bank_a, solved.limits.ac.charge_a or 0.0)
    chain = solved.limits.charge if name == "charge_max_a" else solved.limits.discharge
    return chain.bank_a


def _alone(profile: InverterProfile) -> str:
    """Return what a unit without others is called: single, else host where it offers no word for it."""
    role = profile.setting_for("role")
    return "host" if role is not None and "single" not in (role.encoding.choices or {}) else "single"


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
        given = _Given(facts, given_texts(device, solved), slots.get(profile.id, {}))
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
            unlock=f"{WAYS[profile.unlock.way]}{profile.unlock.how}" if profile.unlock else "",
            keys=f"{profile.keys.opens}; {profile.keys.commits}; {profile.keys.leaves}" if profile.keys else "",
            wake=profile.wake or "",
        )
    return sheets


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
    """What a device's rows are made with besides planned values: facts of its place, texts its profile gives, parts of slots."""

    facts: Facts
    texts: Mapping[str, str]
    slots: Mapping[str, Value]


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
            leave(s, "Does nothing in this job; leave at factory.")
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


def _planned_once(solved: Solved) -> Iterator[tuple[Device, str, Value]]:
    """Yield every planned value once for each model, with the first device that has it."""
    seen, told = set(), set()
    for device in solved.devices:
        alike = (device.profile.id, device.role, tuple(solved.values[device.id].items()))
        if alike in told:
            continue
        told.add(alike)
        for name, value in solved.values[device.id].items():
            if (device.profile.id, name, value) not in seen:
                seen.add((device.profile.id, name, value))
                yield device, name, value


@check("entry-out-of-range", "sheet", "Every planned value can be entered on the unit", "entry_min <= entry <= entry_max")
def _range(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, name, value in _planned_once(solved):
        if name == "mains_charge_max_a" and not {"mains", "generator"} & set(solved.job.site.sources):
            continue  # with no AC source the setting does nothing
        if name == "equalise_min" and equalising_off(unit, solved):
            continue  # a time that never runs
        if isinstance(value, (str, bool)):
            continue
        for s in unit.profile.all_by_quantity.get(name, ()):
            if s.is_choice:
                continue
            e = encode(s, value, unit.profile)
            if not e.cut or isinstance(e.value, (str, bool)):
                continue
            side = QUANTITIES[name].side
            worse = (side == "down" and e.value > value) or (side == "up" and e.value < value)
            timer = QUANTITIES[name].kind == "time"  # ends a charge too early; hurts nobody
            yield rule.finding(
                "note" if not worse else "caution" if timer else "stop",
                f"{s.label} cannot be set to the plan on {unit.id}",
                f"The plan asks for {figure(value)} {QUANTITIES[name].unit}; the nearest entry is {e.text} {s.unit}, which is {figure(e.value)} {QUANTITIES[name].unit}."
                + (" That is on the unsafe side." if worse else ""),
                f"{unit.at}/profile",
                "Another unit, another split, or leave the source off." if worse else "Accept the nearest entry.",
                quantity=name,
                target=value,
                entered=e.value,
            )


@check("choice-missing", "sheet", "The unit offers the planned choice", "choice in choices")
def _choices(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, name, value in _planned_once(solved):
        s = unit.profile.setting_for(name)
        if s is None or not s.is_choice or (s.scope == "host" and unit.role == "follower"):
            continue
        try:
            encode(s, value, unit.profile, facts_of(unit, solved) if s.encoding.by else {})
        except KeyError:
            yield rule.finding(
                "caution",
                f"{unit.profile.name} does not offer the planned {QUANTITIES[name].word.lower()}",
                f"The plan asks for {value}; {s.label} offers {', '.join((s.encoding.choices or {}).values())}.",
                f"/policy/{name}" if name in ("charge_order", "source_order") else f"{unit.at}/profile",
                "Choose one that the unit offers.",
                quantity=name,
                wanted=value,
            )


@check(
    "own-amps-refused",
    "limits",
    "An own current of a unit is granted up to its part of what the bank, the source and it may carry",
    "own <= I_unit",
)
def _own_amps(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for name in OWN_AMPS:
        own = solved.job.policy.own_number(name)
        over = [
            u for u in solved.units if isinstance(v := solved.values[u.id].get(name), float) and own is not None and own > v + 1e-6
        ]
        if own is None or not over:
            continue
        given = {u.id: solved.values[u.id][name] for u in over}
        yield rule.finding(
            "caution",
            f"{QUANTITIES[name].word} at {figure(own)} A is not permitted",
            f"{', '.join(f'{u} {figure(float(a))} A' for u, a in given.items())} is each unit's part. The plan keeps it.",
            f"/policy/own_figures/{name}",
            "Take less, or change what binds.",
            quantity=name,
            own=own,
            given=given,
        )
