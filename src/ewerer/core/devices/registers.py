"""A device's registers: which are read in which request, what they hold, what is written for a display's text.

Pure: no socket and no serial line. ``ports/modbus.py`` carries the requests out, the stand-ins answer them from the same map.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..documents.profiles import MenuProfile, Setting
from ..documents.registers import MeasuredAt, Register, RegisterMap
from ..trade.steps import clean, decimals_of
from .codec import canonical_text

NEAR = 8
"""Registers between two wanted ones that are rather read along than asked for in a request of their own."""
BYTES = 2
"""A register holds two bytes."""
FORMATS = {"u16": "H", "i16": "h", "u32": "I", "i32": "i", "f32": "f"}


@dataclass(frozen=True, slots=True)
class Request:
    """One request: the table, the first register, how many."""

    table: str
    at: int
    count: int


def requests_for(registers: Sequence[Register], how: RegisterMap) -> list[Request]:
    """Return the fewest requests that hold all these registers: the profile's blocks where it names them, else what lies near.

    A block is only read where something in it is wanted. No request is longer than the device answers.
    """
    left = sorted({(r.registers, r.at, r.width) for r in registers})
    out: list[Request] = []
    for block in how.blocks:
        inside = [w for w in left if w[0] == block.registers and block.at <= w[1] and w[1] + w[2] <= block.at + block.count]
        if inside:
            out.append(Request(block.registers, block.at, block.count))
            left = [w for w in left if w not in inside]
    table, begin, end = "", 0, 0
    for kind, at, width in left:
        if end and kind == table and at - end <= NEAR and at + width - begin <= how.most_registers:
            end = max(end, at + width)
            continue
        if end:
            out.append(Request(table, begin, end - begin))
        table, begin, end = kind, at, at + width
    if end:
        out.append(Request(table, begin, end - begin))
    return sorted(out, key=lambda r: (r.table, r.at))


def raw_of(register: Register, words: Sequence[int]) -> float | str:
    """Return what registers hold, before any factor: a number, or a text. Raises ValueError where there are too few."""
    if len(words) < register.width:
        raise ValueError(f"{register.width} registers are needed, {len(words)} came")
    held = list(words[: register.width])
    if register.type == "string":
        return b"".join(struct.pack(">H", w) for w in held).split(b"\0")[0].decode("latin-1").strip()
    if register.word_order == "little":
        held.reverse()
    (value,) = struct.unpack(f">{FORMATS[register.type]}", b"".join(struct.pack(">H", w) for w in held))
    return float(value)


def words_of(register: Register, raw: float | str) -> list[int]:
    """Return the registers that hold a raw number or text. Raises ValueError where it does not fit."""
    if register.type == "string":
        data = str(raw).encode("latin-1", "replace")[: 2 * register.width].ljust(2 * register.width, b"\0")
    else:
        figure = float(raw)
        try:
            data = struct.pack(f">{FORMATS[register.type]}", figure if register.type == "f32" else round(figure))
        except struct.error:
            raise ValueError(f"{figure:g} does not fit into {register.type}") from None
    held = [w for (w,) in struct.iter_unpack(">H", data)]
    return held[::-1] if register.word_order == "little" and register.type != "string" else held


def shown_by(setting: Setting, words: Sequence[int], profile: MenuProfile) -> str:
    """Return what the display shows for a setting's registers; raises ValueError where that is none of what it can show."""
    register = setting.register_
    assert register is not None
    raw = raw_of(register, words)
    if isinstance(raw, str):
        return raw
    if register.enum:
        word = register.enum.get(str(round(raw)))
        if word is None:
            raise ValueError(f"{round(raw)} stands for none of its words")
        return word
    figure = clean(raw * register.scale)
    if setting.encoding.kind == "hhmm":
        if not 0 <= figure <= 1440:
            raise ValueError(f"{figure:g} is no minute of a day")
        return f"{int(figure) // 60:02d}:{int(figure) % 60:02d}"
    text = f"{figure:.{decimals_of(setting.step or 1)}f}"
    return canonical_text(setting, text, profile)


def registers_for(setting: Setting, text: str, profile: MenuProfile) -> list[int]:
    """Return the registers that make a setting show a text; raises ValueError where it cannot show it."""
    register = setting.register_
    assert register is not None
    shown = canonical_text(setting, text, profile)
    if register.type == "string":
        return words_of(register, shown)
    if register.enum:
        code = next((int(k) for k, word in register.enum.items() if word == shown), None)
        if code is None:
            raise ValueError(f"{shown!r} has no number in its registers")
        return words_of(register, code)
    if setting.encoding.kind == "hhmm":
        hours, _, minutes = shown.partition(":")
        return words_of(register, round((int(hours) * 60 + int(minutes)) / register.scale))
    return words_of(register, float(shown.replace(",", ".")) / register.scale)


def measured_by(place: MeasuredAt, words: Sequence[int]) -> float:
    """Return a measurement in its own unit; raises ValueError where its registers hold a text."""
    raw = raw_of(place.register_, words)
    if isinstance(raw, str):
        raise ValueError(f"{raw!r} is no figure")
    return clean(raw * place.register_.scale * place.sign)


def measured_words(place: MeasuredAt, value: float) -> list[int]:
    """Return the registers that hold a measurement, cut to what fits."""
    register = place.register_
    raw = value * place.sign / register.scale
    if register.type != "f32":
        bits = 8 * BYTES * register.width
        low, high = (-(1 << bits - 1), (1 << bits - 1) - 1) if register.type.startswith("i") else (0, (1 << bits) - 1)
        raw = min(max(raw, low), high)
    return words_of(register, raw)


def mapped(profile: MenuProfile) -> dict[str, Setting]:
    """Return the settings that lie in registers, by id."""
    return {s.id: s for s in profile.settings if s.register_ is not None}


def slices(register: Register, request: Request, words: Sequence[int]) -> Sequence[int] | None:
    """Return the words of a register out of a request's answer, None where it does not lie in it."""
    at = register.at - request.at
    if register.registers != request.table or at < 0 or at + register.width > len(words):
        return None
    return words[at : at + register.width]


def image(profile: MenuProfile, shown: Mapping[str, str], measured: Mapping[str, float]) -> dict[str, dict[int, int]]:
    """Return the registers of a device by table and address: what its settings show and what it measures."""
    out: dict[str, dict[int, int]] = {"holding": {}, "input": {}}
    for id, setting in mapped(profile).items():
        register = setting.register_
        assert register is not None
        try:
            words = registers_for(setting, shown[id], profile)
        except (KeyError, ValueError):
            words = [0] * register.width
        out[register.registers].update(enumerate(words, register.at))
    for place in profile.modbus.measurements if profile.modbus else []:
        words = measured_words(place, measured.get(place.measure, 0.0))
        out[place.register_.registers].update(enumerate(words, place.register_.at))
    return out
