"""A CAN bus as a port: frames counted as they come, decoded by their DBC or the RV-C layout when somebody looks."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable, Mapping
from typing import Any

import can
import cantools

from ..core.devices.wire import rvc
from ..core.devices.wire.protocols import FAMILIES
from ..core.trade.measures import MEASURES
from .base import Frame, Point, PortError, Value

MOST_IDS = 512
"""Identifiers that are told apart; what comes beyond is only counted."""
WAIT_S = 0.2


class _Seen:
    """What came under one identifier."""

    __slots__ = ("at", "begun", "count", "data", "extended")

    def __init__(self, now: float, data: bytes, extended: bool) -> None:
        self.begun, self.at, self.count, self.data, self.extended = now, now, 0, data, extended


class CanPort:
    """A CAN bus read by python-can: SocketCAN, serial, multicast or virtual; one protocol family says what its frames mean."""

    def __init__(self, family: str, interface: str, channel: str, bitrate: int | None = None, **more: Any) -> None:
        known = FAMILIES.get(family)
        self.family = family
        self.how: dict[str, Any] = {"interface": interface, "channel": channel, **more}
        if bitrate is not None:
            self.how["bitrate"] = bitrate
        text = known.dbc_text() if known else None
        held: Any = cantools.database.load_string(text, "dbc") if text else None
        self.dbc = held
        self.names: dict[int, str] = {m.frame_id: m.name for m in self.dbc.messages} if self.dbc else {}
        self.signals: Mapping[str, str] = known.signals if known else {}
        self.bus: can.BusABC | None = None
        self.beyond = 0
        self.bad = 0
        self._seen: dict[int, _Seen] = {}
        self._stop = threading.Event()
        self._reader: threading.Thread | None = None

    def open(self) -> None:
        """Open the bus and begin to listen."""
        if self.bus is not None:
            return
        try:
            self.bus = can.Bus(**self.how)
        except (can.CanError, OSError, ValueError, NotImplementedError, ImportError) as error:
            raise PortError(f"the bus {self.how['channel']} cannot be opened: {error}") from None
        self._stop.clear()
        self._reader = threading.Thread(target=self._listen, name="can", daemon=True)
        self._reader.start()

    def _listen(self) -> None:
        bus, seen = self.bus, self._seen
        assert bus is not None
        while not self._stop.is_set():
            try:
                message = bus.recv(WAIT_S)
            except (can.CanError, OSError, ValueError):
                self.bad += 1
                time.sleep(WAIT_S)
                continue
            if message is None or message.is_error_frame or message.is_remote_frame:
                continue
            held = seen.get(message.arbitration_id)
            now = time.time()
            if held is None:
                if len(seen) >= MOST_IDS:
                    self.beyond += 1
                    continue
                held = seen[message.arbitration_id] = _Seen(now, bytes(message.data), message.is_extended_id)
            held.count += 1
            held.at = now
            held.data = bytes(message.data)

    def close(self) -> None:
        """End listening and close the bus."""
        self._stop.set()
        if self._reader is not None:
            self._reader.join(2.0)
            self._reader = None
        if self.bus is not None:
            self.bus.shutdown()
            self.bus = None

    def points(self) -> list[Point]:
        """Return every measurement that the family's frames carry."""
        names = dict.fromkeys(self.signals.values()) if self.dbc else dict.fromkeys(rvc.MEASURES)
        return [Point(n, MEASURES[n].word, MEASURES[n].unit, "measure") for n in names]

    def read(self, names: Iterable[str]) -> dict[str, Value]:
        """Return the latest of these measurements with the time of their frame."""
        wanted = set(names)
        return {n: v for n, v in self._decoded().items() if n in wanted}

    def _decoded(self) -> dict[str, Value]:
        out: dict[str, Value] = {}
        for id, held in list(self._seen.items()):
            try:
                if self.dbc is not None and not held.extended and id in self.names:
                    for signal, value in self.dbc.decode_message(id, held.data, decode_choices=False).items():
                        if signal in self.signals:
                            out[self.signals[signal]] = Value(round(float(value), 6), held.at)
                elif self.dbc is None and held.extended:
                    for name, figure in rvc.measures_of(id, held.data).items():
                        out[name] = Value(figure, held.at)
            except (ValueError, KeyError, cantools.Error):
                self.bad += 1
        return out

    def heard_unit(self) -> Value | None:
        """Return when the inverter's own sign of life was last heard, None where none ever was or the family has none."""
        id = next((i for i, n in self.names.items() if n == "Alive"), None)
        held = self._seen.get(id) if id is not None else None
        return None if held is None else Value(float(held.count), held.at)

    def write(self, name: str, value: str) -> None:
        """Refuse: nothing is written to a bus of a battery."""
        raise PortError("nothing is written to a battery's bus")

    def frames(self) -> list[Frame]:
        """Return the last frame of every identifier with its rate."""
        out = []
        for id, held in sorted(self._seen.items()):
            span = held.at - held.begun
            name = self.names.get(id, "") if not held.extended else rvc.name_of(id)
            out.append(Frame(id, held.extended, held.data, held.count, (held.count - 1) / span if span > 0 else 0.0, held.at, name))
        return out
