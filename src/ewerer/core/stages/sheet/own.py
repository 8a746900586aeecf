"""Own entries laid over a plan, and what follows from them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import combinations

from ...documents.results.sheet import SheetRow, UnitSheet
from ...documents.results.thresholds import Derived, Rung
from ..limits.ac import may_charge_from_ac
from ..solved import Device, Solved, Unit
from ..thresholds.ladder import CHAIN, RISING_CHAIN, charge_ceiling_v

CHARGING = ("absorb_v", "equalise_v", "float_v", "full_charge_v")


BESIDE = (("absorb", "restart"), ("restart", "shutdown"), ("absorb", "gen_stop"), ("gen_stop", "gen_start"))


def _pairs(chain: Sequence[Sequence[str]]) -> tuple[tuple[str, str], ...]:
    return (*((a, b) for upper, lower in combinations(chain, 2) for a in upper for b in lower), *BESIDE)


PAIRS, RISING_PAIRS = _pairs(CHAIN), (*_pairs(RISING_CHAIN), ("absorb", "return_bank"), ("return_bank", "to_mains"))


def pairs_of(solved: Solved, kind: str) -> tuple[tuple[str, str], ...]:
    """Return which threshold lies above which, in volts (``v``) or in charge (``soc``)."""
    return RISING_PAIRS if kind == "v" and solved.basis is not None and solved.basis.rises else PAIRS


def above_cells(solved: Solved, quantity: str, volts: float) -> bool:
    """Return whether a charging voltage [V] leaves the cells no room for overshoot and spread."""
    return solved.basis is not None and quantity in CHARGING and volts > charge_ceiling_v(solved.basis) + 1e-6


def rung_left(solved: Solved, profile_id: str, quantity: str, value: float) -> Rung | None:
    """Return the rung of a unit's ladder whose permitted range ``value`` [V or 0..1] lies outside of; None where it fits."""
    ladder = solved.ladders.get(profile_id)
    rung = ladder.rungs.get(quantity) if ladder else None
    return None if rung is None or rung.lowest - 1e-6 <= value <= rung.highest + 1e-6 else rung


def numbers_of(sheet: UnitSheet) -> Iterator[tuple[SheetRow, float]]:
    """Yield the rows of a sheet that stand for a number of a canonical quantity."""
    for row in sheet.settings:
        if row.quantity and not isinstance(row.value, (str, bool)):
            yield row, float(row.value)


def with_entries(solved: Solved) -> Solved:
    """Return the facts with what the sheets enter by quantity, and which units are set alike; read by every judgement of a sheet."""
    found: dict[int, dict[str, list[tuple[SheetRow, float]]]] = {}
    alike: dict[object, list[str]] = {}
    keys: dict[int, object] = {}
    entered = {}
    for unit in solved.devices:
        sheet = solved.sheets.get(unit.id)
        if sheet is None:
            continue
        rows = id(sheet.settings)  # units of one kind share their rows
        if rows not in found:
            found[rows] = {}
            for row, value in numbers_of(sheet):
                found[rows].setdefault(row.quantity, []).append((row, value))
            keys[rows] = tuple((r.setting, r.entry) for r in sheet.settings)
        entered[unit.id] = found[rows]
        alike.setdefault((unit.profile.id, keys[rows]), []).append(unit.id)
    return replace(solved, entered=entered, alike=tuple(tuple(ids) for ids in alike.values()))


def judged_units(solved: Solved) -> Iterator[tuple[Sequence[str], Device, UnitSheet]]:
    """Yield one unit of each set of units whose sheets are alike, with the ids of all of them."""
    by_id = {u.id: u for u in solved.devices}
    for ids in solved.alike:
        yield ids, by_id[ids[0]], solved.sheets[ids[0]]


def words_of(row: SheetRow) -> str:
    """Return an entry with its unit."""
    return f"{row.entry} {row.unit}".strip()


def whose_setting(solved: Solved, unit: Device, row: SheetRow) -> str | None:
    """Return the unit whose own entry a row is: the unit's, or the host's where the host's is followed; None where the plan made it."""
    host = solved.host
    ids = [unit.id, host.id] if host is not None and row.scope in ("host", "cluster-total") else [unit.id]
    return next((id for id in ids if row.setting in solved.job.extra_entries.get(id, {})), None)


def setting_at(solved: Solved, unit: Device, row: SheetRow) -> str:
    """Return the pointer that a finding about a row leads to."""
    own = whose_setting(solved, unit, row)
    return f"{unit.at}/profile" if own is None else f"/extra_entries/{own}/{row.setting}"


def fix_of(solved: Solved, unit: Device, row: SheetRow) -> str:
    """Return what to do about a row that breaks a rule."""
    if whose_setting(solved, unit, row) is not None:
        return "Take the own entry back, or enter one that the rules permit."
    return "This unit cannot be set safely for this bank; use another model."


def rows_of(solved: Solved, unit: Device, quantity: str, totals: bool = True) -> Sequence[tuple[SheetRow, float]]:
    """Return the rows of a unit that carry a quantity; what is set on the host only counts for the followers of its model too.

    ``totals``: what is set once for all units together counts for followers as well; not where parts are added up.
    """
    rows = solved.entered.get(unit.id, {}).get(quantity, ())
    host = solved.host
    if not rows and host is not None and host.profile.id == unit.profile.id:
        scopes = ("host", "cluster-total") if totals else ("host",)
        rows = [(row, v) for row, v in solved.entered.get(host.id, {}).get(quantity, ()) if row.scope in scopes]
    return rows


def ac_draw_a(solved: Solved, unit: Unit) -> float:
    """Return what a unit set by its sheet may charge from AC at most [A]: the lowest of the caps that act, its AC charger last."""
    if not may_charge_from_ac(unit, solved.job):
        return 0.0
    caps = [unit.profile.ratings.ac_charge_max_a]
    for quantity in ("mains_charge_max_a", "charge_max_a"):
        amps = [v for _, v in rows_of(solved, unit, quantity)]
        if amps:
            caps.append(max(amps))
    return min(caps)


def highest_entry_v(solved: Solved) -> float:
    """Return the highest volts that the chargers will hold [V]: of all sheets, of the plan, and what the BMS asks for."""
    shown = [v for rows in solved.entered.values() for q in ("absorb_v", "float_v") for _, v in rows.get(q, ())]
    return max([solved.charge_v, *shown])


def fallback_missing(solved: Solved, unit: Unit) -> list[str]:
    """Return what a unit would not have if its link were lost: charging volts, charge current, shut-down that are entered and act."""

    def entered(*names: str) -> bool:
        return any(rows_of(solved, unit, n) for n in names)

    missing = []
    if not entered("absorb_v", "float_v"):
        missing.append("charging volts")
    if not entered("shutdown_v", "shutdown_soc"):
        missing.append("a shut-down")
    units = len(solved.units)
    most = solved.limits.charge.bank_a if solved.limits else 0.0
    if not entered("charge_max_a") and unit.profile.ratings.charge_max_a * units > most + 1e-6:
        missing.append("a charge current")
    return missing


def stopping(before: Derived, lacking: list[str]) -> Derived:
    """Return what happens without the link as a stop, with the reason."""
    text = f"no {' and no '.join(lacking)} would act on a unit that carries on alone"
    return before.model_copy(update={"value": "stop", "reasons": [before.reasons[0].model_copy(update={"text": text})]})


def careful(solved: Solved) -> Solved:
    """Return the facts with units told to stop at loss of link where nothing safe would carry on; the person's own choice stays."""
    if solved.link.loop != "closed" or solved.job.policy.link_loss != "auto":
        return solved
    lacking = {u.profile.id: words for u in solved.units if u.id in solved.sheets and (words := fallback_missing(solved, u))}
    if not lacking:
        return solved
    # All parallel units do alike: one that must stop stops all.
    values = {u.id: {**solved.values[u.id], "link_loss_action": "stop"} for u in solved.units}
    derived = {
        id: dict(found) | {"link_loss_action": stopping(found["link_loss_action"], lacking.get(id, next(iter(lacking.values()))))}
        if "link_loss_action" in found
        else found
        for id, found in solved.derived.items()
    }
    return replace(solved, values=values, derived=derived)
