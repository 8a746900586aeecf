"""Time slots as what each unit's own menu shows: compiled slots become values of the settings that hold their parts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ...devices.codec import Value
from ...devices.slots.week import minutes_of
from ...documents.profiles import Setting, SlotPlace
from ...documents.results.windows import Slot
from ...trade.chemistries import ocv_v
from ...trade.margins import RESERVE_SOC
from ...trade.rules import formula_rule
from ...trade.steps import clean
from ..bank.solve import chemistry_of
from ..solved import Solved, Unit

ROWS = formula_rule(
    "slot-rows",
    "windows",
    "Slots are typed like every other setting: times, target and power in the unit's own units, hold and free as its form can say them",
    "hold: target 100 % without charging; free: the reserve as target, full power, beside the grid that is fed as hold; V = n * OCV(target) +/- I * R",
)


WORDS = {
    "on": "used",
    "from": "from",
    "to": "to",
    "target": "target",
    "power": "power",
    "charge": "charging from the grid",
    "generator": "charging from the generator",
}


KINDS = {"charge": "Charging slot", "discharge": "Discharging slot", "no-discharge": "No-discharge slot", "slot": "Slot"}


def slot_word(place: SlotPlace) -> str:
    """Return what a setting of a slot is called: ``Slot 2: target``."""
    return f"{KINDS[place.kind]} {place.no}: {WORDS[place.field]}"


def slot_values(unit: Unit, solved: Solved, slots: Sequence[Slot] | None = None) -> dict[str, Value]:
    """Return setting id -> canonical value (minutes, 0..1 or V, W or A, flags) for every setting that holds a part of a slot.

    ``slots`` are those in force unless others are given. Empty where the unit has no such settings, or its slots do nothing
    because the master switch stays off.
    """
    settings = [s for s in unit.profile.settings if s.slot is not None]
    planned = next((w for w in solved.windows.units if w.unit == unit.id), None)
    if not settings or planned is None:
        return {}
    slots = planned.slots if slots is None else slots
    by_kind: dict[str, list[Slot]] = {}
    for slot in slots:
        by_kind.setdefault(slot.kind, []).append(slot)
    out: dict[str, Value] = {}
    for s in settings:
        assert s.slot is not None
        held = by_kind.get(s.slot.kind, [])
        value = _unused(s.slot) if s.slot.no > len(held) else _part(s, held[s.slot.no - 1], unit, solved)
        if value is not None:
            out[s.id] = value
    return out


def _unused(place: SlotPlace) -> Value | None:
    values: Mapping[str, Value] = {"on": False, "from": 0.0, "to": 0.0, "charge": False, "generator": False}
    return values.get(place.field)


def _part(setting: Setting, slot: Slot, unit: Unit, solved: Solved) -> Value | None:
    assert setting.slot is not None
    field = setting.slot.field
    if field == "on":
        return True
    if field in ("from", "to"):
        return float(minutes_of(slot.start if field == "from" else slot.end))
    sources = set(solved.job.site.sources)
    if field == "charge":
        return slot.charge_allowed and "mains" in sources
    if field == "generator":
        return slot.charge_allowed and "mains" not in sources and "generator" in sources
    form = unit.profile.slots
    if field == "power":
        watts = _watts(slot, unit, solved) / (1 if setting.scope in ("host", "cluster-total") else len(solved.units))
        return (
            clean(round(watts / _nominal_v(unit, solved), 3)) if form is not None and form.power == "a" else clean(round(watts, 1))
        )
    return target_v(slot, unit, solved) if form is not None and form.target == "volts" else _target(slot, solved)


def _nominal_v(unit: Unit, solved: Solved) -> float:
    return solved.bank.nominal_v if solved.bank else float(unit.profile.ratings.class_v)


def _watts(slot: Slot, unit: Unit, solved: Solved) -> float:
    """Return the power of a slot for all units together [W]: its own, else all that they may give or take."""
    if slot.power_w is not None and not slot.holds:
        return slot.power_w
    limits, bank = solved.limits, solved.bank
    rated = sum(u.profile.ratings.continuous_w for u in solved.units)
    if limits is None or bank is None:
        return rated
    if slot.charge_allowed:
        charged = sum(a for a in _charge_amps(solved.units, solved))
        return min(rated, charged * bank.nominal_v)
    return rated


def _charge_amps(units: Sequence[Unit], solved: Solved) -> list[float]:
    parts = {s.unit: s.a for s in solved.limits.ac.units} if solved.limits else {}
    return [parts.get(u.id, 0.0) for u in units]


def _target(slot: Slot, solved: Solved) -> float:
    """Return the charge (0..1) that a slot goes to: its own; full where it charges or holds; the reserve where the bank is used."""
    if slot.holds or (slot.free and solved.job.policy.mode == "feed-in"):
        return 1.0  # above its target a slot of a unit that feeds in sells the bank
    if slot.target_soc is not None:
        return slot.target_soc
    if slot.charge_allowed:
        return 1.0
    return solved.basis.reserve_soc if solved.basis is not None else RESERVE_SOC


def target_v(slot: Slot, unit: Unit, solved: Solved) -> float | None:
    """Return the terminal volts of the pack [V] at a slot's target while its power flows; None while there is no ladder."""
    basis = solved.basis
    if basis is None:
        return None
    rest = basis.n * ocv_v(chemistry_of(solved.modules), _target(slot, solved))
    sag = 0.0 if slot.holds else _watts(slot, unit, solved) / _nominal_v(unit, solved) * basis.path_ohm
    return clean(round(min(solved.charge_v, rest + sag) if slot.charge_allowed else rest - sag, 3))
