"""A log of a CAN bus: frames from candump text, ASC, BLF or TRC, decoded by the protocol family they fit, as one table.

Candump text has a way of its own, compiled for long files; the others go through python-can's readers.
"""

from __future__ import annotations

import re
import tempfile
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from ..devices.wire import rvc
from ..devices.wire.protocols import FAMILIES, Family
from .clock import passed
from .quantities import QUANTITIES
from .table import Log, begin_of, refuse

__all__ = ["Frames", "decode", "is_frames", "parse_candump", "read_frames"]

LINE = re.compile(rb"^\s*\((\d{1,12}\.\d{1,9})\)\s+\S+\s+([0-9A-Fa-f]{3}|[0-9A-Fa-f]{8})#([0-9A-Fa-f]*)(?: +[RT])?\s*$")
SHOWN = re.compile(rb"^\s*\((\d{1,12}\.\d{1,9})\)\s+\S+\s+([0-9A-Fa-f]{3}|[0-9A-Fa-f]{8})\s+\[(\d)\]\s+((?:[0-9A-Fa-f]{2}\s*)*)$")
SUFFIXES = (".log", ".candump", ".asc", ".blf", ".trc", ".mf4")
FEW_BYTES = 2_000_000
OLD_S = 5.0
HEX = np.full(256, 255, np.int64)
"""What each byte is as a digit of sixteen; 255 where it is none."""
HEX[[*b"0123456789abcdef"]] = range(16)
HEX[[*b"ABCDEF"]] = range(10, 16)
NAMES = {
    "volts": "volts",
    "amps": "amps",
    "soc_pct": "soc",
    "temp_c": "temp_c",
    "charge_v": "asked_v",
    "charge_a": "limit_in_a",
    "discharge_a": "limit_out_a",
    "cell_high_v": "cell_max_v",
    "cell_low_v": "cell_min_v",
    "forced_charge": "forced",
}
"""Which column of a log each measurement of a bus becomes."""


@dataclass(slots=True)
class Frames:
    """Frames as arrays: seconds, identifier, whether it is a long one, bytes, and the bytes as one little-endian figure."""

    at: np.ndarray
    id: np.ndarray
    extended: np.ndarray
    size: np.ndarray
    data: np.ndarray
    bad: int = 0


def _is_candump(head: bytes) -> bool:
    """Return whether at least half of the first lines are frames as candump writes them."""
    lines = [line for line in head.splitlines()[:-1] if line.strip()][:20] or head.splitlines()[:1]
    return bool(lines) and sum(bool(LINE.match(x) or SHOWN.match(x)) for x in lines) >= 0.5 * len(lines)


def is_frames(source: Path | bytes, name: str) -> bool:
    """Return whether a file holds frames of a bus, by its begin and its name."""
    head = begin_of(source)
    if head[:4] == b"LOGG" or head[:3] == b"MDF" or _is_candump(head):
        return True
    suffix = Path(name).suffix.lower()
    if suffix == ".asc":
        return bool(re.search(rb"(?m)^\s*(date |base (hex|dec)|Begin Trigger|\d+\.\d+\s+\d+\s+[0-9A-Fa-f]+x?\s+[RT]x)", head))
    return suffix in (".blf", ".mf4") or (suffix == ".trc" and b";$FILEVERSION" in head)


def _parse(text: np.ndarray, most: int) -> Any:
    """Read candump text of bytes; plain Python that Numba compiles. Returns five arrays and how many lines were no frame."""
    at = np.empty(most, np.float64)
    ids = np.empty(most, np.uint32)
    long = np.empty(most, np.bool_)
    sizes = np.empty(most, np.uint8)
    data = np.zeros(most, np.uint64)
    n = 0
    bad = 0
    i = 0
    end = len(text)
    while i < end:
        begin = i
        while i < end and text[i] != 10:
            i += 1
        stop = i
        i += 1
        while begin < stop and text[begin] == 32:
            begin += 1
        while stop > begin and (text[stop - 1] == 13 or text[stop - 1] == 32):
            stop -= 1
        if begin == stop:
            continue
        good = text[begin] == 40
        k = begin + 1
        whole = 0
        digits = 0
        while good and k < stop and 48 <= text[k] <= 57:
            whole = whole * 10 + (text[k] - 48)
            k += 1
            digits += 1
        good = good and 0 < digits <= 12 and k < stop and text[k] == 46
        k += 1
        part = 0
        scale = 1
        digits = 0
        while good and k < stop and 48 <= text[k] <= 57:
            part = part * 10 + (text[k] - 48)
            scale *= 10
            k += 1
            digits += 1
        good = good and 0 < digits <= 9 and k + 1 < stop and text[k] == 41 and text[k + 1] == 32
        k += 1
        while good and k < stop and text[k] == 32:
            k += 1
        digits = 0
        while good and k < stop and text[k] != 32:
            k += 1
            digits += 1
        good = good and digits > 0
        while good and k < stop and text[k] == 32:
            k += 1
        id = 0
        digits = 0
        while good and k < stop and text[k] != 35:
            v = HEX[text[k]]
            if v > 15 or digits > 8:
                good = False
            else:
                id = id * 16 + v
            k += 1
            digits += 1
        good = good and k < stop and (digits == 3 or digits == 8)
        long_id = digits == 8
        k += 1
        size = 0
        figure = np.uint64(0)
        while good and k < stop:
            if k + 1 >= stop:
                good = False
                break
            high, low = HEX[text[k]], HEX[text[k + 1]]
            if text[k] == 32:
                while k < stop and text[k] == 32:
                    k += 1
                good = k + 1 == stop and (text[k] == 82 or text[k] == 84)
                break
            if high > 15 or low > 15 or size == 8:
                good = False
                break
            figure |= (np.uint64(high) << np.uint64(4) | np.uint64(low)) << np.uint64(8 * size)
            size += 1
            k += 2
        if not good or n == most:
            bad += 1
            continue
        at[n] = whole + part / scale
        ids[n] = id
        long[n] = long_id
        sizes[n] = size
        data[n] = figure
        n += 1
    return at[:n], ids[:n], long[:n], sizes[:n], data[:n], bad


_compiled: list[Any] = []


def _fast() -> Any:
    if not _compiled:
        import numba

        _compiled.append(numba.njit(cache=True)(_parse))
    return _compiled[0]


def parse_candump(raw: bytes) -> Frames:
    """Return the frames of candump text; lines that are none are counted."""
    if len(raw) > FEW_BYTES:
        text = np.frombuffer(raw, np.uint8)
        return Frames(*_fast()(text, raw.count(b"\n") + 1))
    at, ids, long, sizes, data = [], [], [], [], []
    bad = 0
    for line in raw.splitlines():
        m = LINE.match(line) or SHOWN.match(line)
        body = re.sub(rb"\s", b"", m[m.lastindex or 3]) if m else b""
        if m is None or len(body) % 2 or len(body) > 16:
            bad += bool(line.strip())
            continue
        at.append(float(m[1]))
        ids.append(int(m[2], 16))
        long.append(len(m[2]) == 8)
        sizes.append(len(body) // 2)
        data.append(int.from_bytes(bytes.fromhex(body.decode()), "little"))
    return Frames(
        np.array(at, float),
        np.array(ids, np.uint32),
        np.array(long, bool),
        np.array(sizes, np.uint8),
        np.array(data, np.uint64),
        bad,
    )


def _by_reader(source: Path | bytes, suffix: str) -> Frames:
    """Return the frames of a file that python-can reads."""
    import can

    if suffix == ".mf4":
        raise refuse("MF4 needs the package asammdf, which is not shipped", "the same frames as BLF, ASC, TRC or candump")
    rows: list[tuple[float, int, bool, int, int]] = []
    bad = 0
    with tempfile.TemporaryDirectory() as folder:
        path = source if isinstance(source, Path) and source.suffix.lower() == suffix else Path(folder) / f"frames{suffix}"
        if path is not source:
            path.write_bytes(source if isinstance(source, bytes) else source.read_bytes())
        try:
            with can.LogReader(path) as reader:
                for m in reader:
                    if m.is_error_frame or m.is_remote_frame or len(m.data) > 8:
                        bad += 1
                        continue
                    rows.append((m.timestamp, m.arbitration_id, m.is_extended_id, len(m.data), int.from_bytes(m.data, "little")))
        except Exception as error:  # the readers of foreign files raise whatever their parsing meets
            if not rows:
                raise refuse("the frames in this file cannot be read", "a whole BLF, ASC or TRC file", str(error)[:80]) from None
            bad += 1
    if not rows:
        raise refuse("no frame in this file", "frames of a bus")
    at, ids, long, sizes, data = zip(*rows, strict=True)
    return Frames(
        np.array(at, float),
        np.array(ids, np.uint32),
        np.array(long, bool),
        np.array(sizes, np.uint8),
        np.array(data, np.uint64),
        bad,
    )


@lru_cache(maxsize=16)
def _database(text: str) -> Any:
    import cantools

    return cantools.database.load_string(text, "dbc")


def decode(frames: Frames, family: Family) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Return each measurement of a family: seconds and figures."""
    out: dict[str, tuple[np.ndarray, np.ndarray]] = {}
    text = family.dbc_text()
    if text is None:
        return _rvc(frames) if family.name == "rv-c" else out
    database = _database(text)
    for message in database.messages:
        rows = (frames.id == message.frame_id) & (frames.extended == message.is_extended_frame) & (frames.size >= message.length)
        wanted = [s for s in message.signals if s.name in family.signals]
        if not wanted or not rows.any():
            continue
        data, at = frames.data[rows], frames.at[rows]
        swapped = data.byteswap() if any(s.byte_order == "big_endian" for s in wanted) else data
        for s in wanted:
            if s.byte_order == "big_endian":
                first = 8 * (s.start // 8) + (7 - s.start % 8)
                shift = np.uint64(64 - first - s.length)
                raw = (swapped >> shift) & np.uint64(2**s.length - 1)
            else:
                raw = (data >> np.uint64(s.start)) & np.uint64(2**s.length - 1)
            figures = raw.astype(np.int64)
            if s.is_signed:
                figures = np.where(figures >= 2 ** (s.length - 1), figures - 2**s.length, figures)
            out[family.signals[s.name]] = (at, figures * float(s.conversion.scale) + float(s.conversion.offset))
    return out


def _rvc(frames: Frames) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    out: dict[str, tuple[np.ndarray, np.ndarray]] = {}
    groups = (frames.id >> np.uint32(8)) & np.uint32(0x1FFFF)
    long = frames.extended & (frames.size >= 8)
    for group in rvc.DATA_GROUPS.values():
        rows = np.flatnonzero(long & (groups == group))
        held: dict[str, list[tuple[float, float]]] = {}
        for row in rows:
            for name, figure in rvc.measures_of(int(frames.id[row]), int(frames.data[row]).to_bytes(8, "little")).items():
                held.setdefault(name, []).append((float(frames.at[row]), figure))
        for name, pairs in held.items():
            both = np.array(pairs)
            out[name] = (both[:, 0], both[:, 1])
    return out


def _family(frames: Frames) -> Family | None:
    """Return the family whose identifiers most of the frames bear."""
    best: tuple[int, Family | None] = (0, None)
    for family in FAMILIES.values():
        text = family.dbc_text()
        if text is not None:
            database = _database(text)
            long = {m.frame_id for m in database.messages if m.is_extended_frame}
            short = {m.frame_id for m in database.messages if not m.is_extended_frame}
            number = int(
                (np.isin(frames.id, list(short)) & ~frames.extended).sum()
                + (np.isin(frames.id, list(long)) & frames.extended).sum()
            )
        elif family.name == "rv-c":
            groups = (frames.id >> np.uint32(8)) & np.uint32(0x1FFFF)
            number = int((np.isin(groups, list(rvc.DATA_GROUPS.values())) & frames.extended).sum())
        else:
            continue
        if number > best[0]:
            best = (number, family)
    return best[1]


def read_frames(source: Path | bytes, name: str) -> Log:
    """Return a log made of frames: a row each time the bank's volts came, with what else was told at most five seconds before."""
    head = begin_of(source)
    if _is_candump(head):
        frames = parse_candump(source.read_bytes() if isinstance(source, Path) else source)
    else:
        suffix = ".blf" if head[:4] == b"LOGG" else ".mf4" if head[:3] == b"MDF" else Path(name).suffix.lower()
        frames = _by_reader(source, suffix)
    family = _family(frames)
    if family is None:
        raise refuse(
            "no frame of a protocol that Ewerer knows of",
            "frames of " + ", ".join(f.word for f in FAMILIES.values() if f.dbc or f.name == "rv-c"),
        )
    measures = decode(frames, family)
    base = measures.get("volts") or max(measures.values(), key=lambda m: len(m[0]), default=None)
    if base is None or len(base[0]) < 2:
        raise refuse("too few frames with figures", "at least two frames with the bank's volts")
    at = base[0]
    columns: dict[str, np.ndarray] = {}
    mapping: dict[str, str | None] = {}
    bad = frames.bad
    for measure, (when, figures) in measures.items():
        quantity = NAMES.get(measure)
        mapping[measure] = quantity
        if quantity is None:
            continue
        held = QUANTITIES[quantity]
        figures = figures / 100 if measure == "soc_pct" else figures
        wrong = (figures < held.low) | (figures > held.high)
        figures = np.where(wrong, np.nan, figures)
        bad += int(wrong.sum())
        place = np.searchsorted(when, at, side="right") - 1
        fresh = (place >= 0) & (at - when[np.maximum(place, 0)] <= OLD_S)
        columns[quantity] = np.where(fresh, figures[np.maximum(place, 0)], np.nan)
    wall = (np.round(at * 1e6).astype("int64")).astype("datetime64[us]")
    clock = passed(wall, np.zeros(len(at)), None)
    notes = [f"{len(frames.at)} frames, read as {family.word}.", *clock.notes]
    if at[0] > 1e8:
        notes.append("Times are the logger's own, in UTC.")
    return Log(clock, columns, mapping, len(at), bad, notes)
