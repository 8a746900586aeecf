"""As found: what units show before anything is touched, read from text, decoded, compared and judged.

A visit is worth it for this alone: the found settings are checked as if they were a plan, for what
lead-acid leaves behind, for thresholds in the wrong order, for values that do nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from ..devices.codec import canonical_text, decode, factory_shown, same_word, takes
from ..documents.conditions import parse_condition
from ..documents.parse import parse_json, read_rows, shortened
from ..documents.profiles import MenuProfile, Preset, Setting
from ..documents.results.sheet import AgreementRow, FoundValue, Misfit, PresetVerdict, ReadBack
from ..planning.bank import chemistry_of
from ..planning.derived import charge_bottom_c, charge_top_c
from ..planning.judged import PAIRS
from ..planning.solved import Device, Ladder, Solved
from ..planning.thresholds import charge_ceiling_v, reserve_of
from ..trade.budget import MAX_DOCUMENT_BYTES
from ..trade.chemistries import ocv_v, soc_at
from ..trade.errors import DocumentError, Problem
from ..trade.finding import Finding
from ..trade.margins import AC_OVER_W, CAPACITY_APART, COLD_C, NORMAL_USE_OVER_RESERVE, REFERENCE_C
from ..trade.quantities import QUANTITIES
from ..trade.rules import Rule, check
from ..trade.steps import figure

Value = float | str | bool


MAX_LINES, MAX_LINE_CHARACTERS = 2000, 1000
"""Most lines of a list of found settings, and the longest."""

LEAD = ("lead-flooded", "lead-agm", "lead-gel")


def parse_found(profile: MenuProfile, text: str | bytes) -> tuple[dict[str, str], list[Problem]]:
    """Return setting id -> displayed text from CSV, JSON or pasted lines, and what could not be read.

    CSV has the columns ``setting,value``; JSON is an object; pasted lines are a setting and a value with a
    tab, comma, semicolon, colon or equals sign between. Settings go by id, label or menu path. Raises
    :class:`DocumentError` when the text is too big or no text at all.
    """
    if len(text) > MAX_DOCUMENT_BYTES:
        raise DocumentError([Problem(pointer="", message="the list is too big", expected=f"at most {MAX_DOCUMENT_BYTES} bytes")])
    try:
        plain = (text.decode("utf-8-sig") if isinstance(text, bytes) else text).lstrip("\ufeff")
    except UnicodeDecodeError:
        raise DocumentError([Problem(pointer="", message="not text in UTF-8", expected="CSV, JSON or lines of text")]) from None
    names = _names(profile)
    found: dict[str, str] = {}
    problems: list[Problem] = []
    for where, name, value in _pairs(plain):
        setting = names.get(_plain(name))
        if setting is None:
            problems.append(Problem(pointer=where, message="no such setting", value=name, expected=f"a setting of {profile.name}"))
            continue
        try:
            found[setting.id] = canonical_text(setting, value, profile)
        except ValueError as error:
            problems.append(Problem(pointer=where, message=f"{setting.label}: {error}", value=value, expected=takes(setting)))
    return found, problems


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", name.lower()).strip()


def _names(profile: MenuProfile) -> dict[str, Setting]:
    out: dict[str, Setting] = {}
    for s in profile.settings:
        for name in (s.id, s.label, " ".join([*s.menu, s.label])):
            out.setdefault(_plain(name), s)
    return out


def _pairs(text: str) -> Iterator[tuple[str, str, str]]:
    stripped = text.strip()
    if stripped.startswith("{"):
        for name, value in parse_json(stripped).items():
            yield f"/{name}", str(name), str(value)
        return
    lines = stripped.splitlines()
    if len(lines) > MAX_LINES:
        raise DocumentError([Problem(pointer="", message=f"{len(lines)} lines", expected=f"at most {MAX_LINES} lines")])
    for i, line in enumerate(lines, 1):
        if len(line) > MAX_LINE_CHARACTERS:
            raise DocumentError(
                [
                    Problem(
                        pointer=f"line {i}",
                        message=f"a line of {len(line)} characters",
                        value=shortened(line),
                        expected=f"at most {MAX_LINE_CHARACTERS} characters",
                    )
                ]
            )
    head = [h.strip().lower() for h in lines[0].split(",")] if lines else []
    if {"setting", "value"} <= set(head):
        for i, cells in enumerate(read_rows(stripped)[1:], 2):
            row = dict(zip(head, cells, strict=False))
            name, value = row.get("setting", "").strip(), row.get("value", "").strip()
            if name and value:
                yield f"line {i}", name, value
        return
    for i, line in enumerate(lines, 1):
        if not line.strip():
            continue
        parts = re.split(r"\s*[\t;=]\s*|\s*:\s+|\s*,\s+|,(?=\S+$)", line.strip(), maxsplit=1)
        if len(parts) == 2 and parts[1]:
            yield f"line {i}", parts[0], parts[1].strip()
        else:
            words = line.strip().rsplit(None, 1)
            yield f"line {i}", words[0], words[1] if len(words) == 2 else ""


def found_values(unit: Device, solved: Solved) -> list[FoundValue]:
    """Return what a unit was found to show, decoded, beside the plan's entries."""
    found = solved.job.as_found.get(unit.id, {})
    if not found:
        return []
    planned = planned_entries(unit, solved)
    by_id = {s.id: s for s in unit.profile.settings}
    dangers = set(dangerous_settings(unit, solved))
    out = []
    for id, shown in found.items():
        s = by_id.get(id)
        value: Value | None = None
        problem = ""
        if s is None:
            problem = f"{unit.profile.name} has no setting {id}"
        else:
            try:
                value = decode(s, shown, unit.profile)
            except ValueError as error:
                problem = str(error)
        entry = planned.get(id)
        out.append(
            FoundValue(
                setting=id,
                label=s.label if s else id,
                quantity=s.quantity if s else None,
                shown=shown,
                value=value,
                planned=entry,
                same=None if entry is None or s is None else same_display(s, shown, entry, unit.profile),
                dangerous=id in dangers,
                problem=problem,
            )
        )
    return out


def same_display(setting: Setting, a: str, b: str, profile: MenuProfile) -> bool:
    """Return whether two displayed texts mean the same value."""
    try:
        x, y = decode(setting, a, profile), decode(setting, b, profile)
    except ValueError:
        return a == b
    if setting.encoding.by:
        return same_word(a.strip(), b.strip())
    if isinstance(x, float) and isinstance(y, float):
        return abs(x - y) < 1e-6
    return x == y


def planned_entries(unit: Device, solved: Solved) -> dict[str, str]:
    """Return setting id -> entry of the unit's sheet, extra entries included; empty while no sheet can be made."""
    if solved.ladder is None or not solved.ladder.view.feasible:
        return {}
    sheet = solved.sheets.get(unit.id)
    return {r.setting: r.entry for r in sheet.settings} if sheet is not None else {}


def decoded_found(unit: Device, solved: Solved) -> dict[str, Value]:
    """Return quantity -> value as found, where it can be read."""
    out: dict[str, Value] = {}
    for s in unit.profile.settings:
        shown = solved.job.as_found.get(unit.id, {}).get(s.id)
        if shown is not None and s.quantity is not None:
            try:
                out[s.quantity] = decode(s, shown, unit.profile)
            except ValueError:
                continue
    return out


def _id_of(unit: Device, quantity: str) -> str:
    s = unit.profile.setting_for(quantity)
    return s.id if s else quantity


def _number(values: Mapping[str, Value], name: str) -> float | None:
    value = values.get(name)
    return value if isinstance(value, float) and not isinstance(value, bool) else None


def dangerous_settings(unit: Device, solved: Solved) -> list[str]:
    """Return the settings whose found values could hurt the bank at once, worst first."""
    bank = solved.bank
    if bank is None or unit.id not in solved.job.as_found:
        return []
    values = decoded_found(unit, solved)
    top, bottom = bank.series_cells * bank.cell_max_v, bank.series_cells * bank.cell_min_v
    out = []
    left_on = values.get("equalise_on") is True or ((_number(values, "equalise_min") or 0) > 0 and "equalise_on" not in values)
    if left_on and chemistry_of(solved.modules).equalise is None:
        out.append("equalise_on" if "equalise_on" in values else "equalise_min")
    for name in ("absorb_v", "float_v", "equalise_v"):
        volts = _number(values, name)
        if volts is not None and volts > top + 1e-9 and (name != "equalise_v" or out):
            out.append(name)
    for name in ("shutdown_v", "unit_off_v"):
        volts = _number(values, name)
        if volts is not None and volts < bottom - 1e-9:
            out.append(name)
    return [_id_of(unit, name) for name in out]


def agreement(solved: Solved) -> list[AgreementRow]:
    """Return every setting noted on two or more parallel units of one model, side by side."""
    out = []
    for profile in solved.profiles:
        units = [u for u in solved.units if u.profile.id == profile.id]
        found = {u.id: solved.job.as_found.get(u.id, {}) for u in units}
        if len(units) < 2 or not any(found.values()):
            continue
        planned = {u.id: planned_entries(u, solved) for u in units}
        for s in profile.settings:
            shown = {u.id: found[u.id].get(s.id) for u in units}
            noted = {id: v for id, v in shown.items() if v is not None}
            if not noted:
                continue
            agrees: bool | None = None
            text = ""
            if s.scope == "same-on-all" and len(noted) > 1:
                first = next(iter(noted.values()))
                wanted = {id: planned[id].get(s.id) for id in noted}
                if len(set(wanted.values())) > 1:  # the plan itself sets them apart: each against its own entry
                    odd = [id for id, v in noted.items() if not same_display(s, v, wanted[id] or v, profile)]
                else:
                    odd = [id for id, v in noted.items() if not same_display(s, v, first, profile)]
                agrees = not odd
                text = "" if agrees else f"differs on {', '.join(odd)}"
                if odd and all(
                    not same_display(s, shown[u.id] or "", planned[u.id].get(s.id, ""), profile) for u in units if u.id in odd
                ):
                    text += ", not as planned"
            elif s.scope == "host":
                text = "counts on the host only"
            elif s.scope == "cluster-total":
                text = "set once, on the host, for all units"
            elif s.scope == "own":
                text = "each its own"
            out.append(
                AgreementRow(
                    profile=profile.id,
                    setting=s.id,
                    label=s.label,
                    menu=s.menu,
                    scope=s.scope,
                    shown=shown,
                    planned={u.id: planned[u.id].get(s.id) for u in units},
                    agrees=agrees,
                    text=text,
                )
            )
    return out


def preset_verdicts(solved: Solved) -> list[PresetVerdict]:
    """Return for every shipped preset of the units whether each of its values passes the rules of the plan."""
    out = []
    for profile in solved.profiles:
        ladder = solved.ladders.get(profile.id)
        derived = solved.derived_for(profile)
        if ladder is None or not ladder.rungs:
            continue
        for preset in profile.presets:
            misfits = []
            for name, value in preset.sets.items():
                q = QUANTITIES.get(name)
                rung, figure_ = ladder.rungs.get(name), derived.get(name)
                if q is None:
                    continue
                if rung is not None and not rung.lowest - 1e-9 <= value <= rung.highest + 1e-9:
                    text = f"{q.word} {figure(value)} {q.unit}; {figure(rung.lowest)} to {figure(rung.highest)} is permitted"
                    misfits.append(
                        Misfit(quantity=name, word=q.word, preset=value, lowest=rung.lowest, highest=rung.highest, text=text)
                    )
                elif figure_ is not None and isinstance(figure_.value, float) and abs(value - figure_.value) > 1e-9:
                    if figure_.lowest is not None and figure_.highest is not None and figure_.lowest <= value <= figure_.highest:
                        continue
                    text = f"{q.word} {figure(value)} {q.unit}; {figure(figure_.value)} is planned"
                    misfits.append(
                        Misfit(quantity=name, word=q.word, preset=value, lowest=figure_.lowest, highest=figure_.highest, text=text)
                    )
            misfits += _left_at_factory(profile, preset, ladder)
            out.append(PresetVerdict(profile=profile.id, preset=preset.name, fits=not misfits, misfits=misfits))
    return out


def _left_at_factory(profile: MenuProfile, preset: Preset, ladder: Ladder) -> Iterator[Misfit]:
    """Yield what a preset leaves where the rules do not permit it: thresholds it does not set, and its own in a wrong order."""
    shown = factory_shown(profile)
    values = dict(preset.sets)
    for name, rung in ladder.rungs.items():
        s = profile.setting_for(name)
        if name in values or name == "equalise_v" or s is None or s.id not in shown:
            continue  # equalising volts never act while it is off
        try:
            value = decode(s, shown[s.id], profile)
        except ValueError:
            continue
        if isinstance(value, (str, bool)):
            continue
        values[name] = value
        if not rung.lowest - 1e-9 <= value <= rung.highest + 1e-9:
            k, unit = (100, "%") if rung.kind == "soc" else (1, "V")
            text = (
                f"{rung.word} stays at {figure(value * k)} {unit} from the factory; {figure(rung.lowest * k)} to "
                f"{figure(rung.highest * k)} {unit} is permitted"
            )
            yield Misfit(quantity=name, word=rung.word, preset=value, lowest=rung.lowest, highest=rung.highest, text=text)
    for upper, lower in PAIRS:
        for kind in ("v", "soc"):
            high, low = f"{upper}_{kind}", f"{lower}_{kind}"
            if high in preset.sets and low in values and values[high] < values[low] - 1e-9:
                word, other = QUANTITIES[high].word, QUANTITIES[low].word.lower()
                text = f"{word} {figure(values[high])} is below {other} {figure(values[low])}"
                yield Misfit(quantity=high, word=word, preset=values[high], lowest=values[low], highest=None, text=text)


def read_backs(unit: Device, solved: Solved) -> list[ReadBack]:
    """Return the verdict on every value read back after entry; temporary entries are judged by their own text."""
    marks = solved.job.sheet_marks.get(unit.id, {})
    if not any(m.read_back for m in marks.values()):
        return []
    planned = planned_entries(unit, solved)
    by_id = {s.id: s for s in unit.profile.settings}
    out = []
    for key, mark in marks.items():
        s = by_id.get(key)
        entry = planned.get(key)
        if mark.read_back is None or s is None or entry is None:
            continue
        try:
            decode(s, mark.read_back, unit.profile)
        except ValueError as error:
            out.append(ReadBack(key=key, ok=False, text=str(error)))
            continue
        ok = same_display(s, mark.read_back, entry, unit.profile)
        unit_word = f" {s.unit}" if s.unit else ""
        out.append(
            ReadBack(
                key=key,
                ok=ok,
                text="as entered" if ok else f"it shows {mark.read_back}{unit_word}, the sheet says {entry}{unit_word}",
            )
        )
    return out


def _noted(solved: Solved) -> Iterator[tuple[Device, dict[str, Value]]]:
    for unit in solved.devices:
        if solved.job.as_found.get(unit.id):
            yield unit, decoded_found(unit, solved)


def _at(unit: Device, quantity: str) -> str:
    return f"/as_found/{unit.id}/{_id_of(unit, quantity)}"


@check("found-unreadable", "sheet", "What was noted is a value the setting can show", "entry_min <= shown <= entry_max")
def _unreadable(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        for f in found_values(unit, solved):
            if f.problem:
                yield rule.finding(
                    "note",
                    f"{f.label} of {unit.id} as noted cannot be",
                    f"{f.problem}.",
                    f"/as_found/{unit.id}/{f.setting}",
                    "Read it again.",
                    shown=f.shown,
                )


@check(
    "found-overcharge",
    "sheet",
    "A found charge voltage is below the cells' limit, with this job's own margins",
    "V_found + overshoot + n * spread <= n * V_cell_max",
)
def _overcharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None or solved.basis is None:
        return
    n, top, room = solved.bank.series_cells, solved.bank.series_cells * solved.bank.cell_max_v, charge_ceiling_v(solved.basis)
    for unit, values in _noted(solved):
        for name in ("absorb_v", "float_v"):
            volts = _number(values, name)
            if volts is not None and volts > room + 1e-9:
                over = volts > top + 1e-9
                yield rule.finding(
                    "stop" if over else "caution",
                    f"{unit.id} was found to charge too high",
                    f"{QUANTITIES[name].word} {figure(volts)} V; {n} cells bear {figure(top)} V"
                    + ("." if over else f", {figure(room)} V with room for overshoot and spread."),
                    _at(unit, name),
                    "Chargers off first; then enter the sheet.",
                    found_v=volts,
                    limit_v=round(top if over else room, 2),
                )


@check("found-equalising", "sheet", "Equalising was off", "equalise = off")
def _equalising(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if chemistry_of(solved.modules).equalise is not None:
        return
    for unit, values in _noted(solved):
        on = values.get("equalise_on")
        minutes, volts = _number(values, "equalise_min"), _number(values, "equalise_v")
        if on is True or (on is None and minutes):
            high = solved.bank is not None and volts is not None and volts > solved.bank.series_cells * solved.bank.cell_max_v
            yield rule.finding(
                "stop" if high else "caution",
                f"{unit.id} was found equalising",
                "Left from lead-acid"
                + (f": {figure(volts)} V" if volts is not None else "")
                + (f" for {figure(minutes)} min" if minutes else "")
                + ".",
                _at(unit, "equalise_on" if on is True else "equalise_min"),
                "Switch it off first of all.",
                equalise_v=volts,
                equalise_min=minutes,
            )


@check("found-compensation", "sheet", "Temperature compensation was off", "dV = comp * (T - {REFERENCE_C})")
def _compensation(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if chemistry_of(solved.modules).compensation_mv_per_c:
        return
    for unit, values in _noted(solved):
        comp = _number(values, "temp_comp_mv_per_c")
        if comp:
            at_c = COLD_C
            lift = comp * (at_c - REFERENCE_C) / 1000
            absorb = _number(values, "absorb_v")
            then = (
                f": at {figure(at_c)} °C it would charge to {figure(absorb + lift)} V"
                if absorb is not None
                else f": {figure(lift)} V more at {figure(at_c)} °C"
            )
            over = (
                solved.bank is not None and absorb is not None and absorb + lift > solved.bank.series_cells * solved.bank.cell_max_v
            )
            yield rule.finding(
                "stop" if over else "caution",
                f"{unit.id} was found with temperature compensation",
                f"{figure(comp)} mV/°C, left from lead-acid{then}.",
                _at(unit, "temp_comp_mv_per_c"),
                "0 for lithium.",
                comp_mv_per_c=comp,
                lift_v=round(lift, 2),
            )


@check("found-battery-type", "sheet", "The battery type is not a lead-acid one", "type not in lead-acid")
def _type(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not chemistry_of(solved.modules).has_bms:
        return
    for unit, values in _noted(solved):
        if values.get("battery_type") in LEAD:
            yield rule.finding(
                "caution",
                f"{unit.id} was found set to lead-acid",
                "Its stages, compensation and equalising follow that type.",
                _at(unit, "battery_type"),
                "User-defined in open loop, the protocol in closed loop.",
            )


@check("found-undercharge", "sheet", "A found absorption fills the cells", "V_found >= n * V_rest")
def _undercharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None:
        return
    rest = chemistry_of(solved.modules).rest_v * solved.bank.series_cells
    for unit, values in _noted(solved):
        volts = _number(values, "absorb_v")
        if volts is not None and volts < rest + 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to charge too low",
                f"Absorption {figure(volts)} V is not above the rest voltage of {solved.bank.series_cells} cells, {figure(rest)} V: never full, never balanced.",
                _at(unit, "absorb_v"),
                "Count the cells; enter the sheet.",
                found_v=volts,
            )


@check("found-cell-count", "sheet", "The unit's cell count is the bank's", "n_found = n")
def _cells(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, values in _noted(solved):
        cells = _number(values, "series_cells")
        if solved.bank is not None and cells is not None and round(cells) != solved.bank.series_cells:
            yield rule.finding(
                "stop",
                f"{unit.id} was found set to {figure(cells)} cells",
                f"The bank has {solved.bank.series_cells}: every voltage it derives is wrong.",
                _at(unit, "series_cells"),
                "Correct it before any charging.",
                found=cells,
                cells=solved.bank.series_cells,
            )


@check("found-alarm-in-range", "sheet", "The alarm lies below normal use", "s(alarm) <= reserve + {NORMAL_USE_OVER_RESERVE:%}")
def _alarm(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.bank is None:
        return
    n, chemistry = solved.bank.series_cells, chemistry_of(solved.modules)
    reserve = reserve_of(solved.job, chemistry_of(solved.modules))
    line = n * ocv_v(chemistry, min(1.0, reserve + NORMAL_USE_OVER_RESERVE))
    for unit, values in _noted(solved):
        volts = _number(values, "alarm_v")
        if volts is not None and volts > line:
            at_rest = soc_at(chemistry, volts / n)
            yield rule.finding(
                "caution",
                f"{unit.id} was found to alarm in normal use",
                f"Alarm at {figure(volts)} V stands for {figure(at_rest * 100, 0)} % at rest, and for more under load.",
                _at(unit, "alarm_v"),
                "Take the ladder's figure.",
                alarm_v=volts,
                soc=round(at_rest, 3),
            )


@check(
    "found-shutdown-low",
    "sheet",
    "A found shut-down lies above the BMS cut-off by its margin",
    "shut-down >= n * (V_cell_min + {cell.margins.shutdown_v} V), unit off >= n * V_cell_min",
)
def _low(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if solved.bank is None or b is None:
        return
    cutoff = b.n * b.cell_min_v
    for unit, values in _noted(solved):
        for name, least in (("shutdown_v", cutoff + b.n * b.margins.shutdown_v), ("unit_off_v", cutoff)):
            volts = _number(values, name)
            if volts is None or volts >= least - 1e-9:
                continue
            below = volts < cutoff - 1e-9
            yield rule.finding(
                "stop" if below else "caution",
                f"{unit.id} was found to stop after the BMS" if below else f"{unit.id} was found to stop close to the BMS cut-off",
                f"{QUANTITIES[name].word} at {figure(volts)} V, "
                + (
                    f"below the BMS cut-off at {figure(cutoff)} V: the bank opens first and nothing is left to wake the unit."
                    if below
                    else f"{figure(volts - cutoff)} V above the BMS cut-off; {figure(least - cutoff)} V keeps them apart."
                ),
                _at(unit, name),
                "Take the ladder's figure.",
                shutdown_v=volts,
                cutoff_v=round(cutoff, 2),
            )


@check(
    "found-reversed",
    "sheet",
    "Found thresholds stand in their order, in volts and in charge",
    "absorption > float > recharge > return > transfer, generator start >= alarm > shut-down > off",
)
def _reversed(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit, values in _noted(solved):
        for kind, sign, scale in (("v", "V", 1), ("soc", "%", 100)):
            told: set[str] = set()
            for upper, lower in PAIRS:
                high, low = _number(values, f"{upper}_{kind}"), _number(values, f"{lower}_{kind}")
                if high is None or low is None or low <= high + 1e-9 or upper in told:
                    continue
                told.add(upper)
                above, below = QUANTITIES[f"{upper}_{kind}"], QUANTITIES[f"{lower}_{kind}"]
                yield rule.finding(
                    "caution",
                    f"{unit.id} was found with {above.word.lower()} below {below.word.lower()}",
                    f"{above.word} {figure(high * scale)} {sign}, {below.word.lower()} {figure(low * scale)} {sign}.",
                    _at(unit, above.name),
                    "Enter the sheet.",
                    upper=high,
                    lower=low,
                )


@check(
    "found-recharge",
    "sheet",
    "A found charge-again point lies a hysteresis below the volts that are held",
    "absorption, float - charge again >= {cell.margins.hysteresis_v} V * n",
)
def _recharge(rule: Rule, solved: Solved) -> Iterator[Finding]:
    b = solved.basis
    if b is None:
        return
    for unit, values in _noted(solved):
        again, held = _number(values, "recharge_v"), _number(values, "float_v")
        held = _number(values, "absorb_v") if held is None or values.get("float_on") is False else held
        if again is not None and held is not None and 0 <= held - again < b.hysteresis_v - 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to begin charging again at once",
                f"Charge again at {figure(again)} V, {figure(held - again)} V below what is held ({figure(held)} V); "
                f"{figure(b.hysteresis_v)} V is one hysteresis.",
                _at(unit, "recharge_v"),
                "Take the ladder's figure.",
                recharge_v=again,
                held_v=held,
            )


@check("found-capacity", "sheet", "The capacity a unit counts with is the bank's", "|C_found - C| <= {CAPACITY_APART:%}")
def _capacity(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank = solved.bank
    for unit, values in _noted(solved):
        found = _number(values, "capacity_ah")
        if bank is not None and found is not None and abs(found - bank.capacity_ah) > CAPACITY_APART * bank.capacity_ah:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to count with {figure(found)} Ah",
                f"The bank has {figure(bank.capacity_ah)} Ah: its charge % is off by as much, and whatever is decided by it.",
                _at(unit, "capacity_ah"),
                "Enter the sheet; a full charge then sets the meter.",
                found_ah=found,
                capacity_ah=bank.capacity_ah,
            )


@check(
    "found-temperature",
    "sheet",
    "Found temperatures lie inside what the modules bear, the warning before the stop",
    "stop <= T_charge_max, cold stop >= T_charge_min, warn < stop",
    "the module's sheet",
)
def _temperature(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not solved.modules:
        return
    top, bottom = charge_top_c(solved.modules), charge_bottom_c(solved.modules)
    for unit, values in _noted(solved):
        stop, cold, warn = (_number(values, n) for n in ("temp_stop_c", "low_temp_stop_c", "temp_warn_c"))
        for name, value, limit, wrong in (
            ("temp_stop_c", stop, top, stop is not None and stop > top + 1e-9),
            ("low_temp_stop_c", cold, bottom, cold is not None and cold < bottom - 1e-9),
        ):
            if wrong and value is not None:
                yield rule.finding(
                    "stop",
                    f"{unit.id} was found to charge outside what the modules bear",
                    f"{QUANTITIES[name].word} {figure(value)} °C; the modules are charged from {figure(bottom)} to {figure(top)} °C.",
                    _at(unit, name),
                    "Enter the sheet before any charging.",
                    found_c=value,
                    limit_c=limit,
                )
        if stop is not None and warn is not None and warn >= stop - 1e-9:
            yield rule.finding(
                "caution",
                f"{unit.id} was found to warn no earlier than it stops",
                f"Warning at {figure(warn)} °C, stop at {figure(stop)} °C.",
                _at(unit, "temp_warn_c"),
                "Enter the sheet.",
            )


@check("found-idle", "sheet", "A found setting that does nothing is named", "works only if its condition holds")
def _idle(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        found = solved.job.as_found.get(unit.id, {})
        shown = factory_shown(unit.profile) | found
        idle = [
            s
            for s in unit.profile.settings
            if s.id in found
            and s.works_only_if
            and s.quantity
            in ("to_mains_v", "return_bank_v", "to_mains_soc", "return_bank_soc", "equalise_v", "gen_start_v", "gen_stop_v")
            and found[s.id] != s.factory
            and not parse_condition(s.works_only_if).holds(shown)
        ]
        if idle:
            yield rule.finding(
                "note",
                f"{unit.id} was found with settings that do nothing",
                "; ".join(f"{s.label} works only if {s.works_only_if}" for s in idle) + ".",
                f"/as_found/{unit.id}/{idle[0].id}",
                settings=[s.id for s in idle],
            )


@check("found-overcurrent", "sheet", "Found charge currents add up within the bank's limit", "sum(I_found) <= I_bank")
def _overcurrent(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None:
        return
    noted = [(u, a) for u, values in _noted(solved) if (a := _number(values, "charge_max_a")) is not None]
    total = sum(a for _, a in noted) + sum(s.a for s in solved.limits.charge.units if s.kind == "sun-charger")
    if noted and total > solved.limits.charge.bank_a + 1e-6:
        yield rule.finding(
            "caution",
            "Found charge currents add up too high",
            f"{' + '.join(f'{u.id} {figure(a)} A' for u, a in noted)} and the sun chargers make {figure(total)} A; the bank may take {figure(solved.limits.charge.bank_a, 1)} A.",
            _at(noted[0][0], "charge_max_a"),
            "What is set on each unit adds up at the bank.",
            total_a=round(total, 1),
            limit_a=solved.limits.charge.bank_a,
        )


@check(
    "found-ac-overdraw",
    "sheet",
    "What the units were found to charge from AC leaves the source its loads",
    "sum(I_found) * V / eta + P_loads <= P_available",
    "NEC 210.20(A)",
    "S, M",
)
def _overdraw(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if solved.limits is None or not solved.limits.ac.sources:
        return
    noted = [(u, a) for u, values in _noted(solved) if (a := _number(values, "mains_charge_max_a")) is not None]
    volts = max([v for _, values in _noted(solved) if (v := _number(values, "absorb_v")) is not None], default=solved.charge_v)
    total = sum(a for _, a in noted)
    for source in solved.limits.ac.sources:
        efficiency = min((u.profile.ratings.charger_efficiency for u in solved.units), default=1.0)
        drawn = total * volts / efficiency
        if noted and drawn + source.loads_w > source.available_w + AC_OVER_W:
            yield rule.finding(
                "caution",
                f"The units were found to overload the {source.source}",
                f"{' + '.join(f'{u.id} {figure(a)} A' for u, a in noted)} at {figure(volts)} V draw {figure(drawn, 0)} W; "
                f"{figure(source.available_w)} W are there and {figure(source.loads_w)} W of loads run.",
                _at(noted[0][0], "mains_charge_max_a"),
                "Enter the sheet.",
                drawn_w=round(drawn, 1),
                available_w=source.available_w,
            )


@check("units-agree", "sheet", "Settings that must be the same on all units are", "shown_i = shown_j")
def _agree(rule: Rule, solved: Solved) -> Iterator[Finding]:
    rows = [r for r in agreement(solved) if r.agrees is False]
    if rows:
        first = rows[0]
        units = [u for u in solved.units if first.shown.get(u.id) is not None]
        yield rule.finding(
            "caution",
            "Parallel units differ",
            "; ".join(f"{r.label}: " + ", ".join(f"{id} {v}" for id, v in r.shown.items() if v is not None) for r in rows[:5])
            + (f"; and {len(rows) - 5} more" if len(rows) > 5 else "")
            + ".",
            f"/as_found/{units[-1].id}/{first.setting}",
            "Enter the same on all; the agreement table shows which.",
            settings=[r.setting for r in rows],
        )


@check("read-back-differs", "sheet", "What a unit shows after entry is what was entered", "shown = entry")
def _read_back(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for unit in solved.devices:
        labels = {s.id: s.label for s in unit.profile.settings}
        for r in read_backs(unit, solved):
            if not r.ok:
                yield rule.finding(
                    "caution",
                    f"{labels[r.key]} of {unit.id} did not stick",
                    f"{r.text[0].upper()}{r.text[1:]}.",
                    f"/sheet_marks/{unit.id}/{r.key}",
                    "Enter it again; look for what resets it, an interlock, the host, or a closed loop that overrides it.",
                )


@check("profile-revision", "sheet", "A job is planned with the profile version it was made with", "revision = pinned")
def _revision(rule: Rule, solved: Solved) -> Iterator[Finding]:
    used: Sequence[str] = list(
        dict.fromkeys([u.profile.id for u in solved.units] + [m.profile for m in solved.job.bank.modules if m.profile])
    )
    for id in used:
        pinned, newest = solved.job.profile_revisions.get(id), solved.library.newest(id)
        if pinned is not None and newest is not None and pinned != newest:
            yield rule.finding(
                "note",
                f"{id} has a newer version",
                f"This job uses version {pinned}; the library holds {newest}.",
                f"/profile_revisions/{id}",
                "Compare them in the library, then take the newer one where it suits.",
                pinned=pinned,
                newest=newest,
            )
