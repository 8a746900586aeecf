"""Trying a profile before it is relied on: encodings, and writes on the device model."""

from __future__ import annotations

from collections.abc import Sequence

from ..devices.codec import canonical_text, decode, encode, takes
from ..devices.model import DeviceModel, Refusal
from ..documents.profiles import MenuProfile
from ..trade.quantities import QUANTITIES
from ..trade.steps import figure


def try_value(profile: MenuProfile, setting_id: str, text: str) -> dict[str, str]:
    """Return what a setting shows for a canonical value, and what that stands for; or what is wrong.

    Keys: shown, means, problem. ``text`` is a number in the quantity's own unit, or a choice.
    """
    s = next((x for x in profile.settings if x.id == setting_id), None)
    empty = {"shown": "", "means": "", "problem": ""}
    if s is None or not text.strip():
        return {**empty, "problem": "" if s or not setting_id else f"no such setting: {setting_id}"}
    q = QUANTITIES.get(s.quantity or "")
    value: float | str | bool
    if s.is_choice:
        value = {"yes": True, "no": False}.get(text.strip(), text.strip())
    else:
        try:
            number = float(text.replace(",", "."))
        except ValueError:
            return {**empty, "problem": f"{text!r} is not a number"}
        value = number / 100 if q is not None and q.unit == "%" else number
    try:
        entry = encode(s, value, profile)
    except KeyError:
        return {**empty, "problem": f"not offered; it takes {takes(s)}"}
    back = decode(s, entry.text, profile)
    unit = q.unit if q else ""
    scale = 100 if unit == "%" else 1
    means = f"{figure(back * scale, 3)} {unit}".strip() if isinstance(back, float) else str(back)
    return {
        "shown": f"{entry.text} {s.unit}".strip(),
        "means": means,
        "problem": f"cut to the range, {takes(s)}" if entry.cut else "",
    }


def try_writes(profile: MenuProfile, writes: Sequence[tuple[str, str]]) -> list[dict[str, object]]:
    """Return for each write, from factory values with the output off, whether the unit takes it and what it does.

    Keys: setting, value, taken, text.
    """
    model = DeviceModel(profile)
    state = model.start({}, "off", "installer")
    out: list[dict[str, object]] = []
    for id, raw in writes:
        s = model.settings.get(id)
        text = raw
        if s is not None:
            try:
                text = canonical_text(s, raw, profile)
            except ValueError as error:
                out.append({"setting": id, "value": raw, "taken": False, "text": f"{error}; it takes {takes(s)}"})
                continue
        after = model.write(state, id, text)
        if isinstance(after, Refusal):
            out.append({"setting": id, "value": raw, "taken": False, "text": after.text})
            continue
        changed = [f"{model.settings[k].label} to {v}" for k, v in after.shown.items() if k != id and state.shown.get(k) != v]
        out.append({"setting": id, "value": text, "taken": True, "text": "puts " + ", ".join(changed) if changed else ""})
        state = after
    return out
