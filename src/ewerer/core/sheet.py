"""Stage Sheet: canonical quantities become what each unit's own menu shows, in its own units and steps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter
from heapq import heappop, heappush
from typing import TYPE_CHECKING

from .conditions import parse_condition, parse_interlock
from .documents.plan import Finding, LeftAlone, SheetRow, UnitSheet
from .documents.profiles import InverterProfile, Setting
from .findings import Rule, check, formula_rule
from .quantities import QUANTITIES
from .steps import clean, decimals_of, figure

if TYPE_CHECKING:
    from .plan import Context
    from .units import Unit

Value = float | str | bool
ENCODE = formula_rule(
    "entry-safe-side",
    "sheet",
    "An entry is rounded to the unit's step on the safe side of the target",
    "entry = round_safe(value / factor, step)",
)
PER_CELL = formula_rule(
    "entry-per-2v-cell",
    "sheet",
    "Some units want volts of one 2-V cell, also for lithium",
    "entry = V / (class / 2): 24 cells at 48 V",
)
PERCENT = formula_rule(
    "entry-percent-of-rated", "sheet", "Some units want amps as percent of their rating", "entry = floor(100 * I / rated)"
)
ORDER = formula_rule(
    "entry-order",
    "sheet",
    "What resets others is entered first, what others depend on before them",
    "order = menu order, corrected by side effects, conditions and interlocks",
)


@dataclass(frozen=True, slots=True)
class Entry:
    """What to type: the text on the display, the canonical value it stands for, whether it was cut to the range."""

    text: str
    value: Value
    cut: bool = False


def factor_of(setting: Setting, profile: InverterProfile) -> float:
    """Return the canonical units that one unit on the display stands for (V, A, fraction ... per display unit)."""
    kind = setting.encoding.kind
    if kind == "per-2v-cell":
        return profile.ratings.class_v / 2
    if kind == "percent-of-rated":
        return (setting.encoding.rated or 0.0) / 100
    return 1 / setting.encoding.scale


def encode(setting: Setting, value: Value, profile: InverterProfile) -> Entry:
    """Return what the display shall show for a canonical ``value``, rounded to the safe side.

    Raises KeyError when a choice is not offered and ValueError when a number is wanted.
    """
    if setting.is_choice:
        key = {True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value)
        return Entry((setting.encoding.choices or {})[key], value)
    if isinstance(value, (str, bool)):
        raise ValueError(f"{setting.id} takes a number, not {value!r}")
    assert setting.min is not None and setting.max is not None and setting.step is not None
    factor = factor_of(setting, profile)
    steps = (value / factor - setting.min) / setting.step
    guard = 1e-6
    if setting.safe == "down":
        count = int((steps + guard) // 1)
    elif setting.safe == "up":
        count = -int((-steps + guard) // 1)
    else:
        count = int((steps + 0.5 + guard) // 1)
    shown = setting.min + count * setting.step
    cut = False
    if shown < setting.min - guard or shown > setting.max + guard:
        shown, cut = min(max(shown, setting.min), setting.max), True
    shown = clean(shown)
    return Entry(shown_text(setting, shown), clean(shown * factor), cut)


def shown_text(setting: Setting, shown: float) -> str:
    """Return a display figure with the decimals the setting's step needs, or as HH:MM."""
    if setting.encoding.kind == "hhmm":
        return f"{int(shown) // 60:02d}:{int(shown) % 60:02d}"
    assert setting.step is not None and setting.min is not None
    return f"{shown:.{max(decimals_of(setting.step), decimals_of(setting.min))}f}"


def decode(setting: Setting, text: str, profile: InverterProfile) -> Value:
    """Return the canonical value that ``text`` on the display stands for.

    Raises ValueError saying what would be right when the text is not a value of this setting.
    """
    shown = text.strip()
    if setting.is_choice:
        for key, word in (setting.encoding.choices or {}).items():
            if word.casefold() == shown.casefold():
                return {"yes": True, "no": False}.get(key, key) if setting.encoding.kind == "on-off" else key
        raise ValueError(f"{shown!r} is not one of {', '.join((setting.encoding.choices or {}).values())}")
    if setting.encoding.kind == "hhmm":
        hours, _, minutes = shown.partition(":")
        if not (hours.isdigit() and minutes.isdigit() and int(minutes) < 60 and int(hours) <= 24):
            raise ValueError(f"{shown!r} is not a time as HH:MM")
        return float(int(hours) * 60 + int(minutes))
    try:
        number = float(shown.replace(",", ".").removesuffix(setting.unit).strip() if setting.unit else shown.replace(",", "."))
    except ValueError:
        raise ValueError(f"{shown!r} is not a number") from None
    assert setting.min is not None and setting.max is not None
    if not setting.min - 1e-9 <= number <= setting.max + 1e-9:
        raise ValueError(
            f"{figure(number, 4)} is outside {figure(setting.min, 4)} to {figure(setting.max, 4)} {setting.unit}".rstrip()
        )
    return clean(number * factor_of(setting, profile))


def encoding_words(setting: Setting, profile: InverterProfile) -> str:
    """Return in words how a setting is encoded, empty where it is plain."""
    kind = setting.encoding.kind
    if kind == "per-2v-cell":
        return f"per 2-V cell: pack volts / {profile.ratings.class_v // 2}"
    if kind == "percent-of-rated":
        return f"percent of {figure(setting.encoding.rated or 0)} A"
    if kind == "plain" and setting.encoding.scale != 1 and setting.unit != "%":
        return f"times {figure(setting.encoding.scale)}"
    return ""


def unit_values(unit: Unit, ctx: Context) -> dict[str, Value]:
    """Return every planned canonical value for one unit: thresholds, derived figures, its own part and place."""
    if unit.id not in ctx.values:
        ctx.values[unit.id] = _unit_values(unit, ctx)
    return ctx.values[unit.id]


def _unit_values(unit: Unit, ctx: Context) -> dict[str, Value]:
    ladder = ctx.ladders.get(unit.profile.id)
    values: dict[str, Value] = {}
    if ladder is not None:
        values |= {name: rung.value for name, rung in ladder.rungs.items()}
    values |= {name: d.value for name, d in ctx.derived_for(unit.profile).items()}
    if ctx.limits is not None:
        own = next((s.a for s in ctx.limits.charge.units if s.unit == unit.id and s.kind == "unit"), None)
        out = next((s.a for s in ctx.limits.discharge.units if s.unit == unit.id), None)
        if own is not None:
            values["charge_max_a"] = own
            values["mains_charge_max_a"] = min(
                own, ctx.mains_charge_a / max(1, len(ctx.units)), unit.profile.ratings.ac_charge_max_a
            )
        if out is not None:
            values["discharge_max_a"] = out
    if unit.job.role == "follower" and unit.profile.follower_battery_type and values.get("battery_type") == "protocol":
        values["battery_type"] = unit.profile.follower_battery_type
    if values:
        values["role"] = unit.job.role if len(ctx.units) > 1 else "single"
        values["phase"] = unit.job.phase
        values["address"] = float(unit.index + 1)
        if "topology" in values and values["topology"] == "single" and len(ctx.units) == 1:
            values["topology"] = "alone"
    return values


def plan_sheet(unit: Unit, ctx: Context) -> UnitSheet:
    """Return the sheet of one unit: rows in order of entry, and what to leave alone and why.

    Units that are to be set alike share their rows.
    """
    if unit.id not in ctx.unit_sheets:
        ctx.unit_sheets[unit.id] = _unit_sheet(unit, ctx)
    return ctx.unit_sheets[unit.id]


def _unit_sheet(unit: Unit, ctx: Context) -> UnitSheet:
    profile = unit.profile
    values = {n: v for n, v in unit_values(unit, ctx).items() if profile.setting_for(n) is not None}
    extra = ctx.job.extra_entries.get(unit.id, {})
    key = (profile.id, unit.job.role, tuple(values.items()), tuple(extra.items()))
    if key not in ctx.sheets:
        ctx.sheets[key] = _rows(unit, values, ctx)
    rows, left = ctx.sheets[key]
    return UnitSheet(id=unit.id, name=profile.name, role=unit.job.role, settings=rows, leave_alone=left)


def _rows(unit: Unit, values: dict[str, Value], ctx: Context) -> tuple[list[SheetRow], list[LeftAlone]]:
    profile = unit.profile
    shown = {s.id: s.factory for s in profile.settings if s.factory is not None}
    entries: dict[str, Entry] = {}
    left: list[LeftAlone] = []

    def leave(s: Setting, why: str) -> None:
        left.append(LeftAlone(setting=s.id, menu=s.menu, label=s.label, why=why))

    planned = []
    extra = ctx.job.extra_entries.get(unit.id, {})
    for s in profile.settings:
        if s.id in extra:
            try:
                entries[s.id] = Entry(extra[s.id], decode(s, extra[s.id], profile))
            except ValueError as error:
                leave(s, f"The copied value cannot be entered: {error}.")
                continue
            planned.append(s)
        elif s.quantity is None:
            leave(s, s.note or "Not part of the plan; leave at factory.")
        elif s.scope == "host" and unit.job.role == "follower":
            leave(s, "Set on the host only; this unit follows it.")
        elif s.quantity not in values:
            leave(s, "Does nothing in this job; leave at factory.")
        else:
            try:
                entries[s.id] = encode(s, values[s.quantity], profile)
            except KeyError:
                leave(s, f"The unit does not offer {values[s.quantity]}.")
                continue
            planned.append(s)
    shown |= {id: e.text for id, e in entries.items()}
    kept = []
    for s in planned:
        if s.works_only_if and not parse_condition(s.works_only_if).holds(shown):
            del entries[s.id]
            leave(s, f"Works only if {s.works_only_if}.")
        else:
            kept.append(s)
    after = _before(profile, kept, entries)
    order = _in_order(kept, after)
    why = ctx.why_of(profile)
    rows = []
    for s in order:
        e, q = entries[s.id], QUANTITIES.get(s.quantity or "")
        rows.append(
            SheetRow(
                setting=s.id,
                menu=s.menu,
                label=s.label,
                quantity=q.name if q else "",
                word=q.word if q else "",
                entry=e.text,
                unit=s.unit,
                value=e.value,
                target=values.get(q.name, e.value) if q else e.value,
                scope=s.scope,
                level=s.level,
                needs=s.needs,
                takes_effect=s.takes_effect,
                after=sorted(after[s.id]),
                resets=sorted({k for effect in s.side_effects for k in effect.sets}),
                encoding=encoding_words(s, profile),
                note=("Copied from another unit. " if s.id in extra else "") + (s.note or ""),
                caution=s.caution or "",
                why=why.get(q.name, []) if q else [],
            )
        )
    return rows, left


def _before(profile: InverterProfile, kept: list[Setting], entries: Mapping[str, Entry]) -> dict[str, set[str]]:
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


@check("entry-out-of-range", "sheet", "Every planned value can be entered on the unit", "entry_min <= entry <= entry_max")
def _range(rule: Rule, ctx: Context) -> Iterator[Finding]:
    seen = set()
    for unit in ctx.units:
        for name, value in unit_values(unit, ctx).items():
            if (unit.profile.id, name, value) in seen:
                continue
            seen.add((unit.profile.id, name, value))
            s = unit.profile.setting_for(name)
            if s is None or s.is_choice or isinstance(value, (str, bool)):
                continue
            e = encode(s, value, unit.profile)
            if not e.cut or isinstance(e.value, (str, bool)):
                continue
            worse = (s.safe == "down" and e.value > value) or (s.safe == "up" and e.value < value)
            yield rule.finding(
                "stop" if worse else "note",
                f"{s.label} cannot be set to the plan on {unit.id}",
                f"The plan asks for {figure(value)} {QUANTITIES[name].unit}; the nearest entry is {e.text} {s.unit}, which is {figure(e.value)} {QUANTITIES[name].unit}."
                + (" That is on the unsafe side." if worse else ""),
                f"/units/{unit.index}/profile",
                "Another unit, another split, or leave the source off." if worse else "Accept the nearest entry.",
                quantity=name,
                target=value,
                entered=e.value,
            )


@check("choice-missing", "sheet", "The unit offers the planned choice", "choice in choices")
def _choices(rule: Rule, ctx: Context) -> Iterator[Finding]:
    seen = set()
    for unit in ctx.units:
        for name, value in unit_values(unit, ctx).items():
            if (unit.profile.id, name, value) in seen:
                continue
            seen.add((unit.profile.id, name, value))
            s = unit.profile.setting_for(name)
            if s is None or not s.is_choice or (s.scope == "host" and unit.job.role == "follower"):
                continue
            try:
                encode(s, value, unit.profile)
            except KeyError:
                yield rule.finding(
                    "caution",
                    f"{unit.profile.name} does not offer the planned {QUANTITIES[name].word.lower()}",
                    f"The plan asks for {value}; {s.label} offers {', '.join((s.encoding.choices or {}).values())}.",
                    f"/policy/{name}" if name in ("charge_order", "source_order") else f"/units/{unit.index}/profile",
                    "Choose one that the unit offers.",
                    quantity=name,
                    wanted=value,
                )
