"""SunSpec models by their published definitions: where each point lies, packed and taken apart.

Source: the model definitions that pysunspec2 ships (JSON of the SunSpec Alliance). A point that is not there holds its type's
"not implemented" value, as the specification says; scaled points go by the power of ten beside them.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping, Sequence
from functools import lru_cache
from importlib.resources import files
from typing import Any, NamedTuple

BEGIN = (0x5375, 0x6E53)
"""The two registers before the first model: SunS."""
BASES = (40_000, 0, 50_000)
"""Addresses at which the chain may begin."""
END = 0xFFFF
FORMATS = {
    "int16": ("h", 0x8000), "uint16": ("H", 0xFFFF), "count": ("H", 0xFFFF), "enum16": ("H", 0xFFFF), "bitfield16": ("H", 0xFFFF), "sunssf": ("h", 0x8000),
    "pad": ("H", 0x8000), "acc16": ("H", 0), "raw16": ("H", 0), "int32": ("i", 0x80000000), "uint32": ("I", 0xFFFFFFFF), "enum32": ("I", 0xFFFFFFFF),
    "bitfield32": ("I", 0xFFFFFFFF), "acc32": ("I", 0), "ipaddr": ("I", 0), "float32": ("f", 0x7FC00000), "int64": ("q", 1 << 63), "uint64": ("Q", (1 << 64) - 1),
    "acc64": ("Q", 0), "bitfield64": ("Q", (1 << 64) - 1), "float64": ("d", 0x7FF8 << 48),
}  # fmt: skip
"""How each type is packed, and what it holds where the point is not implemented."""


class Field(NamedTuple):
    """One point: its path (``DCW``, ``module/0/DCA``), offset in registers, type, registers, the point that scales it, unit."""

    path: str
    offset: int
    type: str
    size: int
    scale: str | int | None
    unit: str


@lru_cache(maxsize=32)
def definition(model: int) -> dict[str, Any]:
    """Return the definition of a model; raises KeyError for one that nobody defined."""
    file = files("sunspec2").joinpath("models", "json", f"model_{model}.json")
    if not file.is_file():
        raise KeyError(model)
    held: dict[str, Any] = json.loads(file.read_text(encoding="utf-8"))
    return held


def layout(model: int, counts: Mapping[str, int] | None = None) -> list[Field]:
    """Return every point of a model in its order; ``counts`` says how often its groups are repeated, by their name."""
    out: list[Field] = []
    at = 0

    def walk(group: Mapping[str, Any], path: str, outer: str) -> None:
        nonlocal at
        names = {p["name"] for p in group.get("points", [])}
        for p in group.get("points", []):
            scale = p.get("sf")
            if isinstance(scale, str):
                scale = f"{path if scale in names else outer}{scale}"
            out.append(Field(f"{path}{p['name']}", at, p["type"], p["size"], scale, p.get("units") or ""))
            at += p["size"]
        for inner in group.get("groups", []):
            count = inner.get("count", 1)
            times = (counts or {}).get(inner["name"], 1 if count == 0 or isinstance(count, str) else int(count))
            repeated = count == 0 or isinstance(count, str) or int(count) > 1
            for i in range(times):
                walk(inner, f"{path}{inner['name']}/{i}/" if repeated else f"{path}{inner['name']}/", path)

    walk(definition(model)["group"], "", "")
    return out


def _value_words(field: Field, value: float | str | None) -> list[int]:
    if field.type == "string":
        data = str(value or "").encode("latin-1", "replace")[: 2 * field.size].ljust(2 * field.size, b"\0")
    else:
        code, nothing = FORMATS.get(field.type, ("", 0))
        if not code:
            return [0] * field.size
        if value is None:
            data = nothing.to_bytes(2 * field.size, "big")
        else:
            bits = 16 * field.size
            low, high = (-(1 << bits - 1) + 1, (1 << bits - 1) - 1) if code.islower() else (0, (1 << bits) - 2)
            figure = float(value)
            data = struct.pack(f">{code}", figure if code in "fd" else int(min(max(round(figure), low), high)))
    return [w for (w,) in struct.iter_unpack(">H", data)]


def pack(model: int, values: Mapping[str, float | str], counts: Mapping[str, int] | None = None) -> list[int]:
    """Return a model's registers, id and length included; ``values`` are in their units, scales among them as powers of ten."""
    fields = layout(model, counts)
    scales = {f.path: values.get(f.path) for f in fields if f.type == "sunssf"}
    out: list[int] = []
    length = sum(f.size for f in fields) - 2
    for f in fields:
        value = {"ID": model, "L": length}.get(f.path, values.get(f.path))
        if isinstance(value, int | float) and f.scale is not None and f.type != "sunssf":
            power = f.scale if isinstance(f.scale, int) else scales.get(f.scale)
            value = value / 10 ** int(power) if isinstance(power, int | float) else value
        out += _value_words(f, value)
    return out


def _read(field: Field, words: Sequence[int]) -> float | str | None:
    data = b"".join(struct.pack(">H", w) for w in words)
    if field.type == "string":
        return data.split(b"\0")[0].decode("latin-1").strip() or None
    code, nothing = FORMATS.get(field.type, ("", 0))
    if not code or field.type == "pad":
        return None
    if int.from_bytes(data, "big") == nothing and not (nothing == 0 and field.type.startswith("acc")):
        return None
    (value,) = struct.unpack(f">{code}", data)
    return float(value)


def counts_in(model: int, length: int) -> dict[str, int]:
    """Return how often the one repeated group of a model stands in so many registers (its length without id and length)."""
    group = definition(model)["group"]
    fixed = sum(p["size"] for p in group.get("points", [])) - 2
    repeated = [g for g in group.get("groups", []) if g.get("count", 1) == 0 or isinstance(g.get("count"), str)]
    if len(repeated) != 1:
        return {}
    size = sum(p["size"] for p in repeated[0].get("points", []))
    return {repeated[0]["name"]: max(0, (length - fixed) // size) if size else 0}


def unpack(words: Sequence[int]) -> tuple[int, dict[str, float | str]]:
    """Return a model's number and its points in their units; those not implemented are left out.

    Raises ValueError where the registers are too few, KeyError for a model that nobody defined.
    """
    if len(words) < 2:
        raise ValueError("a model begins with its number and its length")
    model, length = words[0], words[1]
    if len(words) < length + 2:
        raise ValueError(f"model {model} says {length} registers, {len(words) - 2} came")
    fields = [f for f in layout(model, counts_in(model, length)) if f.offset + f.size <= length + 2]
    raw = {f.path: _read(f, words[f.offset : f.offset + f.size]) for f in fields}
    out: dict[str, float | str] = {}
    for f in fields:
        value = raw[f.path]
        if value is None or f.type in ("sunssf", "pad"):
            continue
        if isinstance(value, float) and f.scale is not None:
            power = f.scale if isinstance(f.scale, int) else raw.get(f.scale)
            if isinstance(power, float | int):
                value = round(value * 10 ** int(power), max(0, -int(power)) + 6)
        out[f.path] = value
    return model, out
