"""As found: what units show before anything is touched, read from text, decoded, compared and judged.

A visit is worth it for this alone: the found settings are checked as if they were a plan, for what
lead-acid leaves behind, for thresholds in the wrong order, for values that do nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from ...devices.codec import canonical_text, decode, factory_shown, same_word, takes
from ...documents.parse import parse_json, read_rows, shortened
from ...documents.profiles import MenuProfile, Preset, Setting
from ...documents.results.sheet import AgreementRow, FoundValue, Misfit, PresetVerdict, ReadBack
from ...trade.budget import MAX_DOCUMENT_BYTES
from ...trade.errors import DocumentError, Problem
from ...trade.quantities import QUANTITIES
from ...trade.steps import figure
from ..bank.solve import chemistry_of
from ..solved import Device, Ladder, Solved
from .own import pairs_of

Value = float | str | bool


MAX_LINES, MAX_LINE_CHARACTERS = 2000, 1000
"""Most lines of a list of found settings, and the longest."""


def parse_found(profile: MenuProfile, text: str | bytes) -> tuple[dict[str, str], list[Problem]]:
    """Return setting id -> displayed text from CSV, JSON or pasted lines, and what could not be read.

    CSV has the columns ``setting`` and ``value`` with a comma, a semicolon or a tab between; a setting that stands twice with two values is
    refused. JSON is an object; pasted lines are a setting and a value with a
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
    twice: set[str] = set()
    for where, name, value in _pairs(plain):
        setting = names.get(_plain(name))
        if setting is None:
            problems.append(Problem(pointer=where, message="no such setting", value=name, expected=f"a setting of {profile.name}"))
            continue
        try:
            text = canonical_text(setting, value, profile)
        except ValueError as error:
            problems.append(Problem(pointer=where, message=f"{setting.label}: {error}", value=value, expected=takes(setting)))
            continue
        before = found.setdefault(setting.id, text)
        if not same_display(setting, before, text, profile):
            said = f"{setting.label} stands twice, with {before} and with {text}"
            problems.append(Problem(pointer=where, message=said, value=value, expected="one line for each setting"))
            twice.add(setting.id)
    return {id: text for id, text in found.items() if id not in twice}, problems


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
    mark = next((m for m in ";\t," if m in lines[0]), ",") if lines else ","
    head = [h.strip().strip('"').lower() for h in lines[0].split(mark)] if lines else []
    if {"setting", "value"} <= set(head):
        for i, cells in enumerate(read_rows(stripped, mark)[1:], 2):
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


def setting_id_of(unit: Device, quantity: str) -> str:
    """Return the id of a device's setting for a quantity; the quantity where it has none."""
    s = unit.profile.setting_for(quantity)
    return s.id if s else quantity


def found_number(values: Mapping[str, Value], name: str) -> float | None:
    """Return a found value where it is a number."""
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
    left_on = values.get("equalise_on") is True or ((found_number(values, "equalise_min") or 0) > 0 and "equalise_on" not in values)
    if left_on and chemistry_of(solved.modules).equalise is None:
        out.append("equalise_on" if "equalise_on" in values else "equalise_min")
    for name in ("absorb_v", "float_v", "equalise_v"):
        volts = found_number(values, name)
        if volts is not None and volts > top + 1e-9 and (name != "equalise_v" or out):
            out.append(name)
    for name in ("shutdown_v", "unit_off_v"):
        volts = found_number(values, name)
        if volts is not None and volts < bottom - 1e-9:
            out.append(name)
    return [setting_id_of(unit, name) for name in out]


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
            misfits += _left_at_factory(profile, preset, ladder, solved)
            out.append(PresetVerdict(profile=profile.id, preset=preset.name, fits=not misfits, misfits=misfits))
    return out


def _left_at_factory(profile: MenuProfile, preset: Preset, ladder: Ladder, solved: Solved) -> Iterator[Misfit]:
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
    for kind in ("v", "soc"):
        for upper, lower in pairs_of(solved, kind):
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
            unit_word = f" {s.unit}" if s.unit else ""
            said = f"it shows {mark.read_back}, the sheet says {entry}{unit_word}; the device itself would refuse that: {error}"
            out.append(ReadBack(key=key, ok=False, text=said))
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
