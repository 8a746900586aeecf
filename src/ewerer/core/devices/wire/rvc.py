"""RV-C battery messages: 29-bit identifiers at 250 kbit/s, with the fields a link rests on.

Source: the public RV-C specification; numbers and scales from memory. Layout of the identifier as in
SAE J1939: priority (3 bits), data group number (17 bits used), source address (8 bits).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

BITRATE = 250_000


DC_SOURCE_STATUS_1 = 0x1FFFD


DC_SOURCE_STATUS_2 = 0x1FFFC


DC_SOURCE_STATUS_4 = 0x1FEC9


DATA_GROUPS: dict[str, int] = {
    "DC_SOURCE_STATUS_1": DC_SOURCE_STATUS_1,
    "DC_SOURCE_STATUS_2": DC_SOURCE_STATUS_2,
    "DC_SOURCE_STATUS_4": DC_SOURCE_STATUS_4,
}


_NO_U16, _NO_U8 = 0xFFFF, 0xFF


def frame_id(group: int, source: int, priority: int = 6) -> int:
    """Return the 29-bit identifier of a data group (0..0x1FFFF) from a source address (0..255).

    Raises ValueError for values that do not fit.
    """
    if not (0 <= group <= 0x1FFFF and 0 <= source <= 0xFF and 0 <= priority <= 7):
        raise ValueError("group is 0..0x1FFFF, source 0..255, priority 0..7")
    return priority << 26 | group << 8 | source


def split_id(identifier: int) -> tuple[int, int, int]:
    """Return (priority, data group, source) of a 29-bit identifier."""
    return identifier >> 26 & 0x7, identifier >> 8 & 0x1FFFF, identifier & 0xFF


@dataclass(frozen=True, slots=True)
class SourceStatus1:
    """Bus volts [V, steps of 0.05] and amps [A, steps of 0.001, positive into the bank]."""

    instance: int
    volts: float
    amps: float

    def encode(self) -> bytes:
        """Return the eight data bytes."""
        return struct.pack("<BBHI", self.instance, 120, round(self.volts / 0.05), round((self.amps + 2_000_000) / 0.001))


def decode_source_status_1(data: bytes) -> SourceStatus1 | None:
    """Return instance, volts and amps; None where the sender has no volts. Raises ValueError when too short."""
    if len(data) < 8:
        raise ValueError(f"8 bytes are needed, {len(data)} came")
    instance, _, volts, amps = struct.unpack("<BBHI", data[:8])
    return None if volts == _NO_U16 else SourceStatus1(instance, round(volts * 0.05, 2), round(amps * 0.001 - 2_000_000, 3))


@dataclass(frozen=True, slots=True)
class SourceStatus2:
    """Temperature [degC] and state of charge (0..1)."""

    instance: int
    temp_c: float
    soc: float

    def encode(self) -> bytes:
        """Return the eight data bytes; time left is sent as unknown."""
        return struct.pack("<BBHBHB", self.instance, 120, round((self.temp_c + 273) * 32), round(self.soc * 200), _NO_U16, _NO_U8)


def decode_source_status_2(data: bytes) -> SourceStatus2 | None:
    """Return instance, temperature and state of charge; None where the sender has none. Raises ValueError when too short."""
    if len(data) < 8:
        raise ValueError(f"8 bytes are needed, {len(data)} came")
    instance, _, temp, soc, _, _ = struct.unpack("<BBHBHB", data[:8])
    return None if soc == _NO_U8 else SourceStatus2(instance, temp / 32 - 273, soc / 200)


@dataclass(frozen=True, slots=True)
class SourceStatus4:
    """What the battery asks for: charge volts [V, steps of 0.05] and charge amps [A, steps of 0.05]."""

    instance: int
    charge_v: float
    charge_a: float

    def encode(self) -> bytes:
        """Return the eight data bytes."""
        volts, amps = round(self.charge_v / 0.05), round((self.charge_a + 1600) / 0.05)
        return struct.pack("<BBBHHB", self.instance, 120, 0, volts, amps, _NO_U8)


def decode_source_status_4(data: bytes) -> SourceStatus4 | None:
    """Return what is asked for; None where nothing is asked. Raises ValueError when too short."""
    if len(data) < 8:
        raise ValueError(f"8 bytes are needed, {len(data)} came")
    instance, _, _, volts, amps, _ = struct.unpack("<BBBHHB", data[:8])
    return None if volts == _NO_U16 else SourceStatus4(instance, round(volts * 0.05, 2), round(amps * 0.05 - 1600, 2))


MEASURES = ("volts", "amps", "temp_c", "soc_pct", "charge_v", "charge_a")
"""Measurements that these messages carry."""


def name_of(identifier: int) -> str:
    """Return the name of a message by its identifier, empty where it is none of these."""
    group = split_id(identifier)[1]
    return next((name for name, number in DATA_GROUPS.items() if number == group), "")


def measures_of(identifier: int, data: bytes) -> dict[str, float]:
    """Return the measurements of a message; none for one of another kind or without figures. Raises ValueError when too short."""
    group = split_id(identifier)[1]
    if group == DC_SOURCE_STATUS_1:
        one = decode_source_status_1(data)
        return {} if one is None else {"volts": one.volts, "amps": one.amps}
    if group == DC_SOURCE_STATUS_2:
        two = decode_source_status_2(data)
        return {} if two is None else {"temp_c": two.temp_c, "soc_pct": two.soc * 100}
    if group == DC_SOURCE_STATUS_4:
        four = decode_source_status_4(data)
        return {} if four is None else {"charge_v": four.charge_v, "charge_a": four.charge_a}
    return {}
