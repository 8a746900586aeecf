"""Checks of the sheet."""

from __future__ import annotations

from collections.abc import Iterator

from ...devices.codec import Value, encode
from ...trade.finding import Finding
from ...trade.quantities import OWN_AMPS, QUANTITIES
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Device, Solved
from .solve import equalising_off
from .values import facts_of


@check("feed-too-small", "sheet", "What a unit can be set to is low enough for each feed", "entry_min <= I_feed")
def _feeds(rule: Rule, solved: Solved) -> Iterator[Finding]:
    told: set[str] = set()
    for unit in solved.units:
        for row in solved.sheets[unit.id].feeds if unit.id in solved.sheets else []:
            if not row.fits and row.feed not in told:
                told.add(row.feed)
                yield rule.finding(
                    "caution",
                    f"{row.feed} is too small for {unit.id}",
                    f'"{row.label}" goes no lower than {row.entry} {row.unit}, more than this feed bears.'.replace("  ", " "),
                    "/mains/feeds",
                    f"Switch charging from AC off while {row.feed} is in use.",
                )


@check(
    "own-wish-refused",
    "thresholds",
    "An own figure is granted inside what the rules permit, else refused with both numbers",
    "lowest <= own <= highest",
)
def _refused(rule: Rule, solved: Solved) -> Iterator[Finding]:
    told: set[str] = set()
    for found in solved.derived.values():
        for name, d in found.items():
            if d.wished is None or d.own or name in told:
                continue
            told.add(name)
            q = QUANTITIES[name]
            k = 100 if q.kind == "level" else 1
            unit = f" {q.unit}".rstrip()

            def words(v: float | str | bool, k: int = k, unit: str = unit) -> str:
                return str(v) if isinstance(v, (str, bool)) else f"{figure(v * k)}{unit}"

            span = (
                f"at least {words(d.lowest)}"
                if d.lowest is not None and d.highest is None
                else f"at most {words(d.highest)}"
                if d.highest is not None and d.lowest is None
                else f"{words(d.lowest or 0.0)} to {words(d.highest or 0.0)}"
            )
            why = d.fixed or f"{span} is: {'; '.join(r.text for r in d.reasons)}"
            yield rule.finding(
                "caution",
                f"{d.word} at {words(d.wished)} is not permitted",
                f"{why[0].upper()}{why[1:]}. The plan keeps {words(d.value)}.",
                f"/policy/own_figures/{name}",
                f"Take {words(d.value)}, or change what limits it.",
                quantity=name,
                own=d.wished,
                given=d.value,
                lowest=d.lowest,
                highest=d.highest,
            )


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
                f"{s.label} of {unit.id} cannot be set as planned",
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
                "Choose one that the unit offers, or say what its choices mean.",
                quantity=name,
                wanted=value,
                profile=unit.profile.id,
                setting=s.id,
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
            "Take less, or change what limits it.",
            quantity=name,
            own=own,
            given=given,
        )
