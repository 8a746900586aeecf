"""SunSpec battery base model (802) over Modbus: where each point lies and how it is scaled.

Source: the public SunSpec information models; offsets are in registers from the start of the model,
its id and length included.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

MODEL, LENGTH = 802, 62


@dataclass(frozen=True, slots=True)
class Point:
    """One point: offset in registers, signed or not, the point that holds its power of ten, unit."""

    name: str
    offset: int
    signed: bool
    scale: str | None
    unit: str


POINTS: dict[str, Point] = {
    p.name: p
    for p in (
        Point("ID", 0, False, None, ""),
        Point("L", 1, False, None, ""),
        Point("AHRtg", 2, False, "AHRtg_SF", "Ah"),
        Point("WHRtg", 3, False, "WHRtg_SF", "Wh"),
        Point("SoC", 11, False, "SoC_SF", "%WHRtg"),
        Point("SoH", 13, False, "SoH_SF", "%"),
        Point("V", 34, False, "V_SF", "V"),
        Point("VMax", 35, False, "V_SF", "V"),
        Point("VMin", 36, False, "V_SF", "V"),
        Point("CellVMax", 37, False, "CellV_SF", "V"),
        Point("CellVMin", 40, False, "CellV_SF", "V"),
        Point("A", 44, True, "A_SF", "A"),
        Point("AChaMax", 45, False, "AMax_SF", "A"),
        Point("ADisChaMax", 46, False, "AMax_SF", "A"),
        Point("W", 47, True, "W_SF", "W"),
        Point("AHRtg_SF", 52, True, None, ""),
        Point("WHRtg_SF", 53, True, None, ""),
        Point("SoC_SF", 56, True, None, ""),
        Point("SoH_SF", 58, True, None, ""),
        Point("V_SF", 59, True, None, ""),
        Point("CellV_SF", 60, True, None, ""),
        Point("A_SF", 61, True, None, ""),
        Point("AMax_SF", 62, True, None, ""),
        Point("W_SF", 63, True, None, ""),
    )
}


_MISSING = {False: 0xFFFF, True: -0x8000}


def raw(registers: Sequence[int], name: str) -> int | None:
    """Return the unscaled value of a point; None where the device does not implement it."""
    point = POINTS[name]
    value = registers[point.offset]
    if point.signed and value >= 0x8000:
        value -= 0x10000
    return None if value == _MISSING[point.signed] else value


def decode(registers: Sequence[int], name: str) -> float | None:
    """Return a point in its unit: raw * 10^scale. None where value or scale is not implemented.

    Raises ValueError when the registers are not this model.
    """
    if len(registers) < LENGTH + 2 or registers[0] != MODEL:
        raise ValueError(f"not model {MODEL}: starts with {registers[0] if registers else 'nothing'}, {len(registers)} registers")
    value = raw(registers, name)
    scale = POINTS[name].scale
    if value is None or scale is None:
        return value
    power = raw(registers, scale)
    return None if power is None else round(value * 10.0**power, 9)
