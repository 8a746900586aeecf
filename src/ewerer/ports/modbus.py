"""Devices on Modbus: by the register map of their profile, or by the SunSpec models that they hold."""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor, TimeoutError as TooLate
from typing import Any, NamedTuple

from pymodbus.client import ModbusSerialClient, ModbusTcpClient
from pymodbus.exceptions import ModbusException
from pymodbus.pdu import ModbusPDU

from ..core.devices.registers import Request, mapped, measured_by, registers_for, requests_for, shown_by, slices
from ..core.devices.wire import models
from ..core.documents.profiles import MenuProfile
from ..core.documents.registers import RegisterMap
from ..core.trade.measures import MEASURES
from .base import Frame, Point, PortError, Value

logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
ANSWER_S = 0.5
"""How long an answer is waited for [s]."""
REQUEST_S = 1.8
"""How long one request may take with its repetition, whatever the other side does [s]."""
DEAD_AFTER = 2
"""Requests without an answer, and none before that had one, after which a device counts as not there."""
PARITY = {"none": "N", "even": "E", "odd": "O"}


class Line(NamedTuple):
    """Where a device is reached: a host and a TCP port, or a serial line."""

    host: str = ""
    port: int = 502
    path: str = ""


class ModbusLine:
    """One client on one line, with the least pause between requests, each bounded in time."""

    def __init__(self, line: Line, how: RegisterMap, unit_id: int | None = None) -> None:
        self.line, self.how = line, how
        self.unit_id = how.unit_id if unit_id is None else unit_id
        self.requests = 0
        self._client: ModbusTcpClient | ModbusSerialClient | None = None
        self._hand: ThreadPoolExecutor | None = None
        self._last = 0.0

    def open(self) -> None:
        """Connect; raise PortError where nobody is there."""
        if self._client is not None:
            return
        at = self.line
        if at.path:
            self._client = ModbusSerialClient(
                at.path,
                baudrate=self.how.bitrate,
                parity=PARITY[self.how.parity],
                stopbits=self.how.stop_bits,
                timeout=ANSWER_S,
                retries=1,
            )
        else:
            self._client = ModbusTcpClient(at.host, port=at.port, timeout=ANSWER_S, retries=1)
        self._hand = ThreadPoolExecutor(1, thread_name_prefix="modbus")
        try:
            there = self._bounded(self._client.connect)
        except PortError:
            there = False
        if not there:
            self.close()
            raise PortError(f"nobody answers at {at.path or f'{at.host}:{at.port}'}; look at cable, address and power")

    def close(self) -> None:
        """Disconnect."""
        if self._client is not None:
            with contextlib.suppress(Exception):
                self._client.close()  # type: ignore[no-untyped-call]
            self._client = None
        if self._hand is not None:
            self._hand.shutdown(wait=False, cancel_futures=True)
            self._hand = None

    def _bounded(self, ask: Callable[[], Any]) -> Any:
        """Return what a call returns; it ends in time, whatever comes over the line."""
        assert self._hand is not None
        asked = self._hand.submit(ask)
        try:
            return asked.result(REQUEST_S)
        except TooLate:
            self.close()  # what hangs in it ends with its socket
            raise PortError("the answer took too long; the line is opened anew") from None
        except (ModbusException, OSError, ValueError, TypeError, IndexError) as error:
            raise PortError(f"no answer that can be read ({type(error).__name__})") from None

    def _ask(self, call: Callable[[ModbusTcpClient | ModbusSerialClient], ModbusPDU]) -> ModbusPDU:
        if self._client is None:
            self.open()
        client = self._client
        assert client is not None
        wait = self._last + self.how.least_pause_ms / 1000 - time.monotonic()
        if wait > 0:
            time.sleep(wait)
        self.requests += 1
        try:
            answer: ModbusPDU = self._bounded(lambda: call(client))
        finally:
            self._last = time.monotonic()
        if answer is None or answer.isError():
            code = getattr(answer, "exception_code", None)
            raise PortError(f"the device refuses{f' (code {code})' if code else ''}")
        return answer

    def registers(self, request: Request) -> list[int]:
        """Return the registers of a request; raise PortError where they do not come, or others came."""

        def call(client: ModbusTcpClient | ModbusSerialClient) -> ModbusPDU:
            read = client.read_input_registers if request.table == "input" else client.read_holding_registers
            answer: ModbusPDU = read(request.at, count=request.count, device_id=self.unit_id)
            return answer

        held = list(self._ask(call).registers)
        if len(held) != request.count:
            raise PortError(f"{request.count} registers were asked for, {len(held)} came")
        return held

    def put(self, at: int, words: Sequence[int]) -> None:
        """Write registers; raise PortError where the device refuses."""
        self._ask(lambda c: c.write_registers(at, list(words), device_id=self.unit_id))


class MapPort:
    """A device by the register map of its profile: settings as its display shows them, measurements, writing one by one."""

    def __init__(self, line: Line, profile: MenuProfile, unit_id: int | None = None) -> None:
        if profile.modbus is None:
            raise PortError(f"{profile.name} has no register map in its profile")
        self.profile, self.how = profile, profile.modbus
        self.line = ModbusLine(line, self.how, unit_id)
        self.settings = mapped(profile)
        self.measured = {m.measure: m for m in self.how.measurements}
        self.unread: dict[str, str] = {}
        """What could not be read the last time, by point, in words."""

    def open(self) -> None:
        """Connect."""
        self.line.open()

    def close(self) -> None:
        """Disconnect."""
        self.line.close()

    def points(self) -> list[Point]:
        """Return the settings that lie in registers, and the measurements."""
        return [
            Point(id, s.label, s.unit, "setting", bool(s.register_ and s.register_.write)) for id, s in self.settings.items()
        ] + [Point(n, MEASURES[n].word, MEASURES[n].unit, "measure") for n in self.measured]

    def read(self, names: Iterable[str], told: Callable[[int, int], None] = lambda done, of: None) -> dict[str, Value]:
        """Return these points in as few requests as their blocks allow; ``told`` hears how many are done, and of how many.

        A block that does not come is left out, and said in ``unread``; a device that never answered is given up at once.
        """
        wanted = list(dict.fromkeys(names))
        places = {n: s.register_ for n in wanted if (s := self.settings.get(n)) is not None and s.register_ is not None}
        places |= {n: self.measured[n].register_ for n in wanted if n in self.measured}
        requests = requests_for(list(places.values()), self.how)
        out: dict[str, Value] = {}
        self.unread = {}
        silent = 0
        for i, request in enumerate(requests):
            inside = [n for n, r in places.items() if n not in out and slices(r, request, range(request.count)) is not None]
            try:
                words = self.line.registers(request)
                silent = 0
            except PortError as error:
                silent += 1
                self.unread |= dict.fromkeys(inside, str(error))
                if silent >= DEAD_AFTER and not out:
                    raise PortError(f"{self.profile.name} does not answer: {error}") from None
                continue
            finally:
                told(i + 1, len(requests))
            now = time.time()
            for name in inside:
                held = slices(places[name], request, words)
                assert held is not None
                try:
                    value = self._value(name, held)
                except ValueError as error:
                    self.unread[name] = str(error)
                else:
                    self.unread.pop(name, None)
                    out[name] = Value(value, now)
        return out

    def _value(self, name: str, words: Sequence[int]) -> float | str:
        setting = self.settings.get(name)
        return shown_by(setting, words, self.profile) if setting is not None else measured_by(self.measured[name], words)

    def write(self, name: str, value: str) -> None:
        """Write one setting as its display shows it, opening first what has to be opened; raise PortError where it is refused."""
        setting = self.settings.get(name)
        register = setting.register_ if setting is not None else None
        if setting is None or register is None or not register.write:
            raise PortError(f"{name} cannot be written over the cable")
        try:
            words = registers_for(setting, value, self.profile)
        except ValueError as error:
            raise PortError(f"{setting.label}: {error}") from None
        if register.unlock is not None:
            self.line.put(register.unlock.at, [register.unlock.value])
        self.line.put(register.at, words)

    def frames(self) -> list[Frame]:
        """Return nothing: it is no bus of frames."""
        return []


MODELS = (1, 101, 102, 103, 111, 112, 113, 124, 160, 701, 702, 713, 714, 802, 803)
"""Models that measurements are taken from."""
MOST_MODELS = 60
MOST_AT_ONCE = 120
FROM_MODELS: dict[str, tuple[tuple[int, str, float], ...]] = {
    "volts": ((802, "V", 1.0), (714, "Prt/0/DCV", 1.0), (124, "InBatV", 1.0)),
    "amps": ((802, "A", 1.0), (714, "Prt/0/DCA", 1.0)),
    "soc_pct": ((802, "SoC", 1.0), (713, "SoC", 1.0), (124, "ChaState", 1.0)),
    "soh_pct": ((802, "SoH", 1.0), (713, "SoH", 1.0)),
    "temp_c": ((803, "ModTmpAvg", 1.0),),
    "charge_v": ((802, "VMax", 1.0),),
    "stop_v": ((802, "VMin", 1.0),),
    "charge_a": ((802, "AChaMax", 1.0),),
    "discharge_a": ((802, "ADisChaMax", 1.0),),
    "cell_high_v": ((802, "CellVMax", 1.0),),
    "cell_low_v": ((802, "CellVMin", 1.0),),
    "modules": ((803, "NStrCon", 1.0),),
    "load_w": ((701, "W", 1.0), (103, "W", 1.0), (101, "W", 1.0)),
    "output_v": ((701, "LNV", 1.0), (103, "PhVphA", 1.0), (101, "PhVphA", 1.0)),
    "output_hz": ((701, "Hz", 1.0), (103, "Hz", 1.0), (101, "Hz", 1.0)),
    "sun_w": ((160, "module/0/DCW", 1.0),),
}
"""Where each measurement is looked for in the models: model, point, factor; the first that is there counts."""


class SunSpecPort:
    """A device that says by itself what it holds: its models are found by their chain."""

    def __init__(self, line: Line, unit_id: int = 1) -> None:
        self.line = ModbusLine(line, RegisterMap(unit_id=unit_id), unit_id)
        self.found: dict[int, tuple[int, int]] = {}
        """Address and length [registers] of each model, id and length included."""

    def open(self) -> None:
        """Connect and walk the chain of models."""
        self.line.open()
        if not self.found:
            self.found = self._chain()

    def close(self) -> None:
        """Disconnect."""
        self.line.close()

    def _chain(self) -> dict[int, tuple[int, int]]:
        for base in models.BASES:
            try:
                if tuple(self.line.registers(Request("holding", base, 2))) == models.BEGIN:
                    break
            except PortError:
                continue
        else:
            raise PortError("no SunSpec device: its mark is at none of 40000, 0 and 50000")
        out: dict[int, tuple[int, int]] = {}
        at = base + 2
        for _ in range(MOST_MODELS):
            model, length = self.line.registers(Request("holding", at, 2))
            if model == models.END or at + length + 2 > 65_535:
                break
            out.setdefault(model, (at, length + 2))
            at += length + 2
        return out

    def model(self, number: int) -> dict[str, float | str]:
        """Return the points of a model in their units; raises PortError where it is not there."""
        if number not in self.found:
            raise PortError(f"it holds no model {number}")
        at, count = self.found[number]
        words: list[int] = []
        while len(words) < count:
            words += self.line.registers(Request("holding", at + len(words), min(MOST_AT_ONCE, count - len(words))))
        try:
            return models.unpack(words)[1]
        except (ValueError, KeyError) as error:
            raise PortError(f"model {number} cannot be read: {error}") from None

    def points(self) -> list[Point]:
        """Return the measurements that its models carry."""
        names = [n for n, places in FROM_MODELS.items() if any(m in self.found for m, _, _ in places)]
        return [Point(n, MEASURES[n].word, MEASURES[n].unit, "measure") for n in names]

    def read(self, names: Iterable[str]) -> Mapping[str, Value]:
        """Return these measurements; what no model carries is left out."""
        wanted = [n for n in dict.fromkeys(names) if n in FROM_MODELS]
        held: dict[int, dict[str, float | str]] = {}
        out: dict[str, Value] = {}
        for name in wanted:
            for number, point, factor in FROM_MODELS[name]:
                if number not in self.found:
                    continue
                if number not in held:
                    held[number] = self.model(number)
                value = held[number].get(point)
                if isinstance(value, float):
                    out[name] = Value(round(value * factor, 6), time.time())
                    break
        return out

    def write(self, name: str, value: str) -> None:
        """Refuse: these models are only read."""
        raise PortError("nothing is written to a device by its models")

    def frames(self) -> list[Frame]:
        """Return nothing: it is no bus of frames."""
        return []
