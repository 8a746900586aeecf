"""From as found to as planned: the working list of one unit, with what to do between the entries."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import product

from ..devices.codec import decode, encoding_words
from ..devices.library import Library, shipped_library
from ..devices.model import DeviceModel, Refusal, asked_for
from ..documents.job import Job
from ..documents.results.order import BlockedTarget, NearestTarget, Reset, Step, UnitOrder
from ..documents.results.sheet import UnitSheet
from ..stages.pipeline import solve
from ..stages.sheet.found import dangerous_settings, planned_entries
from ..stages.sheet.own import above_cells, rung_left
from ..stages.sheet.solve import MOST_OPENED, WAYS
from ..stages.solved import Device, Solved
from ..trade.errors import DocumentError, Problem
from ..trade.quantities import QUANTITIES
from .order import Blocked, Order, Permits, entry_order, needed_mode, why_now

GUARDED_KINDS = ("volts", "soc", "amps")


GUARDED = (
    "battery_type",
    "bms_protocol",
    "equalise_on",
    "equalise_min",
    "temp_comp_mv_per_c",
    "series_cells",
    "capacity_ah",
    "new_bank",
)


REST = {
    "unit": "{}, sun and AC inputs open, so that no charger runs.",
    "sun-charger": "Open its sun input, so that it does not charge; its bank breaker stays closed.",
    "module": "{}: charging and discharging of this module off.",
    "controller": "Hold the chargers, so that none runs on values in between.",
}
BACK = {
    "unit": "Out of standby; close AC and sun inputs, the bank first.",
    "sun-charger": "Close its sun input again, its bank breaker being closed.",
    "module": "Charging and discharging of this module on again.",
    "controller": "Let the chargers run again.",
}
"""What stops currents while a device is set, and what lets them flow again, by what the device is."""


def unit_order(job: Job, unit_id: str, library: Library | None = None, found: Mapping[str, str] | None = None) -> UnitOrder:
    """Return the working list of a unit: from what it shows (the job's, or ``found``) to what is planned.

    Raises :class:`DocumentError` when there is no such unit or no sheet can be made.
    """
    library = library or shipped_library()
    if found is not None:
        job = job.model_copy(update={"as_found": {**job.as_found, unit_id: dict(found)}})
    solved = solve(job, library)
    unit = next((u for u in solved.devices if u.id == unit_id), None)
    if unit is None:
        known = ", ".join(u.id for u in solved.devices) or "none"
        raise DocumentError([Problem(pointer="/units", message="no such unit", value=unit_id, expected=f"one of {known}")])
    target = planned_entries(unit, solved)
    if not target:
        raise DocumentError(
            [Problem(pointer="/policy", message="no sheet can be made yet", expected="a bank, units and a ladder that fits")]
        )
    return order_of(unit, solved, target)


def order_of(unit: Device, solved: Solved, target: Mapping[str, str]) -> UnitOrder:
    """Return the working list of a unit of a solved job."""
    profile = unit.profile
    model = DeviceModel(profile)
    noted = dict(solved.job.as_found.get(unit.id, {}))
    shown = dict(model.start(noted).shown)
    wanted = _as_found_where_it_serves(solved.sheets[unit.id], model, shown, dict(target))
    wanted = _without_idle_declaration(model, shown, wanted, bool(noted))
    wanted |= _kept_working(model, shown, wanted)
    dangers = dangerous_settings(unit, solved)
    permits = _permits(unit, solved)
    barred = {id: text for id, text in wanted.items() if shown.get(id) != text and not permits(id, text)}
    order = entry_order(model, noted, {id: text for id, text in wanted.items() if id not in barred}, first=dangers, permits=permits)
    if barred:
        order = _told(order, model, barred, shown)
    guarded = bool(dangers) or any(_guards(model, w.setting) for w in order.writes)
    mode = needed_mode(model, [w.setting for w in order.writes], guarded)
    rows = {r.setting: r for r in solved.sheets[unit.id].settings}
    steps: list[Step] = []

    def action(key: str, label: str, why: str, caution: str = "") -> None:
        steps.append(Step(key=key, no=0, kind="action", label=label, why=why, caution=caution))

    if order.writes:
        if profile.wake:
            action("action.wake", f"Wake it: {profile.wake}", "asleep it takes no entry")
        if mode != "on":
            what = "Standby" if mode == "standby" else "Output off"
            why = "so that nothing charges or discharges on values in between" if guarded else "these settings are taken only there"
            danger = f" It was found dangerous: {', '.join(model.settings[d].label for d in dangers)}." if dangers else ""
            action(
                "action.mode",
                f"{REST[unit.kind].format(what)}{danger}",
                why,
                "The loads lose their supply. Terminals and panels stay live."
                if unit.kind == "unit"
                else "Terminals and panels stay live.",
            )
        if any(model.settings[w.setting].level == "installer" for w in order.writes):
            action(
                "action.level",
                f"Unlock the installer level: {WAYS[profile.unlock.way]}{profile.unlock.how}."
                if profile.unlock
                else "Unlock the installer level.",
                "some of these settings need it",
                "For licensed people, as the maker's manual says.",
            )
    state = dict(shown)
    seen: dict[str, int] = {}
    for w, why in zip(order.writes, why_now(model, shown, order.writes, dangers), strict=True):
        s = model.settings[w.setting]
        row = rows.get(s.id)
        after = {**state, s.id: w.text}
        effects = {k: v for k, v in model.effects(s.id, after).items() if state.get(k) != v}
        seen[s.id] = seen.get(s.id, 0) + 1
        last = sum(x.setting == s.id for x in order.writes) == seen[s.id] and not w.temporary
        steps.append(
            Step(
                key=s.id if last else f"{s.id}.t{seen[s.id]}",
                no=0,
                kind="entry",
                setting=s.id,
                menu=s.menu,
                label=s.label,
                word=QUANTITIES[s.quantity].word if s.quantity else "",
                quantity=s.quantity,
                level=s.level,
                needs=s.needs,
                takes_effect=s.takes_effect,
                shows=state.get(s.id),
                enter=w.text,
                unit=s.unit,
                temporary=w.temporary,
                resets=[
                    Reset(setting=k, label=model.settings[k].label, to=v, planned=k in wanted and wanted[k] != v)
                    for k, v in effects.items()
                ],
                why=why,
                rules=row.why if row else [],
                caution=s.caution or "",
                note=row.note if row else s.note or "",
                encoding=encoding_words(s, profile),
            )
        )
        state = {**after, **model.effects(s.id, after)}
    if any(model.settings[w.setting].takes_effect == "restart" for w in order.writes):
        action(
            "action.restart",
            f"Restart the {unit.kind.replace('-', ' ')}, then look again: the values must have stuck.",
            "one restart for all of them",
        )
    outside = [model.settings[id].label for id, text in state.items() if not permits(id, text)]
    if order.blocked is not None and outside:
        action(
            "action.stay",
            f"Stay in standby, sun and AC inputs open: {', '.join(outside)} cannot be brought where the plan permits it.",
            "charging on these values is not safe",
            "Do not let it charge or discharge; ask the maker how to enter them, or use another unit.",
        )
    elif order.writes and mode != "on":
        action(
            "action.resume",
            BACK[unit.kind],
            "charging begins in bulk",
            "The bank first, sun after it: a sun charger must never see panels without a bank.",
        )
    return UnitOrder(
        unit=unit.id,
        profile=profile.id,
        assumed=not noted,
        noted=len(noted),
        mode=mode,
        steps=[s.model_copy(update={"no": i}) for i, s in enumerate(steps, 1)],
        writes=len(order.writes),
        fits_already=[id for id, text in wanted.items() if shown.get(id) == text],
        blocked=None
        if order.blocked is None
        else BlockedTarget(
            reasons=[r.text for r in order.blocked.reasons],
            rules=[r.rule for r in order.blocked.reasons if r.rule],
            nearest=[
                NearestTarget(
                    setting=id, label=model.settings[id].label, wanted=wanted[id], nearest=text, unit=model.settings[id].unit
                )
                for id, text in order.blocked.nearest.items()
                if id in wanted and wanted[id] != text
            ],
        ),
        proven=order.proven,
        shortest_walk=order.walk_proven,
    )


def _permits(unit: Device, solved: Solved) -> Permits:
    """Return whether a threshold may be left at a text: where the unit's ladder permits it, and below what the cells bear."""
    settings = {s.id: s for s in unit.profile.settings}

    def permits(id: str, text: str) -> bool:
        s = settings.get(id)
        if s is None or s.quantity is None or QUANTITIES[s.quantity].kind not in ("volts", "soc"):
            return True
        try:
            value = decode(s, text, unit.profile)
        except ValueError:
            return True
        if isinstance(value, (str, bool)):
            return True
        return not above_cells(solved, s.quantity, value) and rung_left(solved, unit.profile.id, s.quantity, value) is None

    return permits


def _guards(model: DeviceModel, id: str) -> bool:
    quantity = model.settings[id].quantity
    return quantity is not None and (QUANTITIES[quantity].kind in GUARDED_KINDS or quantity in GUARDED)


def _as_found_where_it_serves(
    sheet: UnitSheet, model: DeviceModel, shown: Mapping[str, str], target: dict[str, str]
) -> dict[str, str]:
    """Drop what is entered only for the condition of others where the found value serves them as well."""
    planned = [c for id in target if (c := model.conditions.get(id)) is not None]
    for row in sheet.settings:
        others = [c for c in planned if row.setting in c.names()]
        if row.needed_by and row.setting in shown:
            then = {**shown, **target, row.setting: shown[row.setting]}
            if all(c.holds(then) for c in others):
                del target[row.setting]
    return target


def _kept_working(model: DeviceModel, shown: Mapping[str, str], target: Mapping[str, str]) -> dict[str, str]:
    """Return what settings outside the target must show so that every planned one works when all is entered.

    The sheet is made for a unit at factory values; what was found otherwise may leave a planned setting idle.
    """
    out: dict[str, str] = {}
    planned = [c for id in target if (c := model.conditions.get(id)) is not None]
    for condition in planned:
        now = {**shown, **target, **out}
        if condition.holds(now):
            continue
        free = [model.settings[n] for n in sorted(condition.names()) if n in model.settings and n not in target and n not in out]
        asked = [[t for c in planned for t in asked_for(c, s)] for s in free[:MOST_OPENED]]
        choices = [
            [None, *dict.fromkeys([*([s.factory] if s.factory else []), *texts])] for s, texts in zip(free, asked, strict=False)
        ]
        ways = [{s.id: t for s, t in zip(free, texts, strict=False) if t is not None} for texts in product(*choices)]
        working = [c for c in planned if c.holds(now)]
        fitting = [w for w in ways if condition.holds({**now, **w}) and all(c.holds({**now, **w}) for c in working)]
        served = [sum(c.holds({**now, **w}) for c in planned) - len(w) / 100 for w in fitting]
        if fitting:
            out.update(fitting[served.index(max(served))])
    return out


def _told(order: Order, model: DeviceModel, barred: Mapping[str, str], shown: Mapping[str, str]) -> Order:
    """Return an order that says which entries of the sheet are not made, because the ladder does not permit them."""
    reasons = tuple(
        Refusal(id, "value", f"{model.settings[id].label} cannot be set where the plan permits it: {text} is nearest")
        for id, text in barred.items()
    )
    before = order.blocked or Blocked((), {})
    return replace(
        order, blocked=Blocked((*before.reasons, *reasons), {**before.nearest, **{id: shown.get(id, "") for id in barred}})
    )


def _without_idle_declaration(model: DeviceModel, shown: Mapping[str, str], target: dict[str, str], noted: bool) -> dict[str, str]:
    """Drop the declaration of a new bank where the unit already shows what would be entered after it."""
    for s in model.settings.values():
        if s.quantity != "new_bank" or s.id not in target or not noted:
            continue
        resets = {k for effect in s.side_effects for k in effect.sets}
        size = next((x.id for x in model.settings.values() if x.quantity == "capacity_ah"), None)
        ask = [k for k in (*resets, size) if k is not None and k in target]
        if ask and all(shown.get(k) == target[k] for k in ask):
            del target[s.id]
    return target
