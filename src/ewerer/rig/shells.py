"""What the stand-ins speak: the module family on CAN, RV-C, registers by a profile's map, SunSpec models. All on this machine alone."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import can
import cantools
import numpy as np
from pymodbus import FramerType
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusSerialServer, ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from ..core.devices.registers import image, mapped, shown_by
from ..core.devices.wire import models, rvc
from ..core.devices.wire.protocols import FAMILIES
from ..ports.addresses import RIG_GROUP
from .menu import MenuDevice
from .plant import Plant, Report

logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
HOST = "127.0.0.1"
FIRST_PORT, PORTS = 43_000, 4_000
SOURCE = 0x46
"""Source address of the battery on RV-C."""
RVC_CYCLE_S = {"DC_SOURCE_STATUS_1": 0.5, "DC_SOURCE_STATUS_2": 0.5, "DC_SOURCE_STATUS_4": 5.0}
"""How often each message is sent [s] (from memory of the public specification)."""
LOST_BY_ENDS = {0: 0.35, 1: 0.05, 2: 0.0, 3: 0.2}
"""Part of the frames that is lost by the number of terminators (invented; a real bus is worse or better)."""


class BusShell:
    """The bank's BMS and the inverter's sign of life on a CAN bus, at their cycle times."""

    def __init__(
        self, family: str, seed: int, interface: str = "udp_multicast", channel: str = RIG_GROUP, port: int | None = None
    ) -> None:
        known = FAMILIES[family]
        self.family = family
        text = known.dbc_text()
        self.dbc: Any = cantools.database.load_string(text, "dbc") if text else None
        self.random = np.random.default_rng(seed)
        self.how: dict[str, Any] = {"interface": interface, "channel": channel}
        if interface == "udp_multicast":
            self.how |= {"port": port or FIRST_PORT + os.getpid() % PORTS, "hop_limit": 0}
        self.bus = can.Bus(**self.how)
        self.sent = 0
        self.counter = 0
        self.next: dict[str, float] = {}

    def close(self) -> None:
        """Leave the bus."""
        self.bus.shutdown()

    def _messages(self, told: Report) -> list[tuple[str, float, int, bytes, bool]]:
        """Return name, cycle [s], identifier, data and whether it is a long one, of everything the BMS says."""
        if self.dbc is None:
            soc = min(1.0, max(0.0, told.soc))
            return [
                ("DC_SOURCE_STATUS_1", 0.5, rvc.frame_id(rvc.DC_SOURCE_STATUS_1, SOURCE), rvc.SourceStatus1(1, told.volts, told.amps).encode(), True),
                ("DC_SOURCE_STATUS_2", 0.5, rvc.frame_id(rvc.DC_SOURCE_STATUS_2, SOURCE), rvc.SourceStatus2(1, told.temp_c, soc).encode(), True),
                ("DC_SOURCE_STATUS_4", 5.0, rvc.frame_id(rvc.DC_SOURCE_STATUS_4, SOURCE), rvc.SourceStatus4(1, told.charge_v, told.charge_a).encode(), True),
            ]  # fmt: skip
        held = _signals(told)
        out = []
        for message in self.dbc.messages:
            if any(s.name not in held for s in message.signals):
                continue
            values = {}
            for s in message.signals:
                low, high = s.minimum if s.minimum is not None else -1e9, s.maximum if s.maximum is not None else 1e9
                values[s.name] = min(max(held[s.name], low), high)
            data = message.encode(values, strict=False)
            out.append((message.name, (message.cycle_time or 1000) / 1000, message.frame_id, data, False))
        return out

    def step(self, told: Report, present: bool, unit_alive: bool, ends: int) -> None:
        """Send what is due now. ``present``: the host module speaks; ``unit_alive``: the inverter hears it and answers."""
        now = time.monotonic()
        due = self._messages(told) if present else []
        if unit_alive and self.dbc is not None and "Alive" in {m.name for m in self.dbc.messages}:
            message = self.dbc.get_message_by_name("Alive")
            if now >= self.next.get("Alive", 0.0):
                self.counter = (self.counter + 1) % 256
            due.append(("Alive", (message.cycle_time or 1000) / 1000, message.frame_id, bytes([self.counter]), False))
        for name, cycle, id, data, long in due:
            if now < self.next.get(name, 0.0):
                continue
            late = now - self.next.get(name, now)
            self.next[name] = now + cycle - (late if late < cycle else 0.0)
            if self.random.random() < LOST_BY_ENDS.get(min(ends, 3), 0.0):
                continue
            with contextlib.suppress(can.CanError, OSError):
                self.bus.send(can.Message(arbitration_id=id, data=data, is_extended_id=long))
                self.sent += 1


def _signals(told: Report) -> dict[str, float]:
    """Return what each signal of the invented families says."""
    soc = 100 * told.soc
    return {
        "ChargeVoltageLimit": told.charge_v, "ChargeCurrentLimit": told.charge_a, "DischargeCurrentLimit": told.discharge_a, "DischargeVoltageLimit": told.stop_v,
        "BankVoltage": told.volts, "BankCurrent": told.amps, "Temperature": told.temp_c, "StateOfCharge": round(soc), "StateOfHealth": 100,
        "HighestCell": told.cell_high_v, "LowestCell": told.cell_low_v, "HighestModule": told.high_module, "LowestModule": told.low_module,
        "ModulesPresent": told.modules, "ModulesCharging": told.charging, "ModulesDischarging": told.discharging, "ForcedChargeRequest": int(told.forced),
        "ChargeAllowed": int(told.charge_a > 0), "DischargeAllowed": int(told.discharge_a > 0),
        "FillVolts": told.charge_v, "FillAmps": told.charge_a, "DrawAmps": told.discharge_a, "StopVolts": told.stop_v, "Volts": told.volts, "Amps": told.amps,
        "Charge": soc, "Warmth": told.temp_c,
    }  # fmt: skip


class SerialPair:
    """Two ends of a serial line made of pseudo-terminals: bytes take the time that the bit rate gives them; some answers may be lost."""

    def __init__(self, bitrate: int = 9600, lost: float = 0.0, seed: int = 1) -> None:
        self.pairs = [os.openpty(), os.openpty()]
        import tty

        for master, slave in self.pairs:
            tty.setraw(master)
            tty.setraw(slave)
        self.client, self.server = (os.ttyname(slave) for _, slave in self.pairs)
        self.byte_s = 11 / bitrate
        self.lost = lost
        self.random = np.random.default_rng(seed)
        self.stop = False
        self.threads = [
            threading.Thread(target=self._carry, args=(0, 1, False), daemon=True),
            threading.Thread(target=self._carry, args=(1, 0, True), daemon=True),
        ]
        for t in self.threads:
            t.start()

    def _carry(self, a: int, b: int, answers: bool) -> None:
        import select

        source, to = self.pairs[a][0], self.pairs[b][0]
        dropping = False
        while not self.stop:
            ready, _, _ = select.select([source], [], [], 0.1)
            if not ready:
                dropping = False
                continue
            try:
                data = os.read(source, 256)
            except OSError:
                return
            if answers and self.lost and not dropping:
                dropping = bool(self.random.random() < self.lost)
            time.sleep(len(data) * self.byte_s)
            if not dropping:
                with contextlib.suppress(OSError):
                    os.write(to, data)
            if answers:
                dropping = False

    def close(self) -> None:
        """Take the line down."""
        self.stop = True
        for t in self.threads:
            t.join(1.0)
        for pair in self.pairs:
            for end in pair:
                with contextlib.suppress(OSError):
                    os.close(end)


Source = Callable[[], Mapping[str, Mapping[int, int]]]
Sink = Callable[[int, Sequence[int]], bool]


def register_device(
    unit_id: int, spans: Mapping[str, Sequence[tuple[int, int]]], source: Source, sink: Sink | None = None
) -> SimDevice:
    """Return a Modbus device whose registers are asked for at every request; ``sink`` says whether it takes what is written."""

    async def act(
        code: int, begin: int, address: int, count: int, held: list[int], written: list[int] | list[bool] | None
    ) -> ExcCodes | None:
        if written is not None and (sink is None or not sink(address, [int(w) for w in written])):
            return ExcCodes.ILLEGAL_VALUE
        now = source().get("input" if code == 4 else "holding", {})
        for at in range(address, address + count):
            if 0 <= at - begin < len(held):
                held[at - begin] = now.get(at, 0)
        return None

    def blocks(table: str) -> list[SimData]:
        return [SimData(at, values=[0] * n, datatype=DataType.REGISTERS) for at, n in sorted(spans.get(table, []))] or [
            SimData(0, values=[0], datatype=DataType.REGISTERS)
        ]

    none = [SimData(0, values=[False], datatype=DataType.BITS)]
    return SimDevice(id=unit_id, simdata=(none, none, blocks("holding"), blocks("input")), action=act)


def mapped_device(device: MenuDevice, measured: Callable[[str], Mapping[str, float]]) -> SimDevice:
    """Return a menu device as its profile's register map lets it be read and written."""
    profile = device.profile
    how = profile.modbus
    assert how is not None
    settings = mapped(profile)

    def source() -> Mapping[str, Mapping[int, int]]:
        return image(profile, device.shown, measured(device.id))

    def sink(at: int, words: Sequence[int]) -> bool:
        touched = [s for s in settings.values() if s.register_ and s.register_.registers == "holding" and s.register_.at == at]
        if len(touched) != 1 or len(words) != (touched[0].register_.width if touched[0].register_ else 0):
            return False
        try:
            text = shown_by(touched[0], words, profile)
        except ValueError:
            return False
        return device.write(touched[0].id, text) is None

    spans: dict[str, list[tuple[int, int]]] = {"holding": [], "input": []}
    for table, held in source().items():
        for at in sorted(held):
            if spans[table] and at == spans[table][-1][0] + spans[table][-1][1]:
                spans[table][-1] = (spans[table][-1][0], spans[table][-1][1] + 1)
            else:
                spans[table].append((at, 1))
    return register_device(how.unit_id, spans, source, sink)


def sunspec_device(unit_id: int, told: Callable[[], list[list[int]]]) -> SimDevice:
    """Return a device that holds SunSpec models from register 40000; ``told`` returns the registers of each model."""
    base = models.BASES[0]

    def all_registers() -> list[int]:
        return [*models.BEGIN, *(w for model in told() for w in model), models.END, 0]

    size = len(all_registers())

    def source() -> Mapping[str, Mapping[int, int]]:
        return {"holding": dict(enumerate(all_registers(), base))}

    return register_device(unit_id, {"holding": [(base, size)]}, source)


def battery_models(plant: Plant) -> list[list[int]]:
    """Return the models of the bank: common, battery base (802), lithium bank with its strings (803)."""
    told = plant.report
    bank = plant.modules
    ah = sum(m.made.capacity_ah for m in bank)
    watts = told.volts * told.amps
    base = {
        "AHRtg": ah, "AHRtg_SF": 0, "WHRtg": plant.made.solved.bank.energy_wh if plant.made.solved.bank else 0, "WHRtg_SF": 1, "WChaDisChaMax_SF": 1,
        "WChaRteMax": told.charge_a * told.charge_v, "WDisChaRteMax": told.discharge_a * told.volts, "SoC": 100 * told.soc, "SoC_SF": -1, "SoH": 100, "SoH_SF": 0,
        "DoD": 100 - 100 * told.soc, "DoD_SF": -1, "Typ": 4, "State": 3, "ChaSt": 4 if told.amps > 1 else 3 if told.amps < -1 else 6, "LocRemCtl": 1,
        "V": told.volts, "VMax": told.charge_v, "VMin": told.stop_v, "V_SF": -2, "CellVMax": told.cell_high_v, "CellVMin": told.cell_low_v, "CellV_SF": -3,
        "A": told.amps, "A_SF": -1, "AChaMax": told.charge_a, "ADisChaMax": told.discharge_a, "AMax_SF": -1, "W": watts, "W_SF": 1, "Hb": plant.t % 65_000,
    }  # fmt: skip
    strings: dict[str, float | str] = {
        "NStr": len(bank), "NStrCon": told.modules, "ModTmpAvg": told.temp_c, "ModTmp_SF": -1, "V_SF": -2, "CellV_SF": -3, "SoC_SF": -1, "SoH_SF": 0, "A_SF": -1,
        "ModTmpMax": max((m.temp_c for m in bank), default=0.0), "ModTmpMin": min((m.temp_c for m in bank), default=0.0),
        "StrVMax": told.volts, "StrVMin": told.volts,
    }  # fmt: skip
    for i, m in enumerate(bank):
        high, low = plant.cells(m)
        strings |= {
            f"string/{i}/StrNMod": 1, f"string/{i}/StrSoC": 100 * m.soc, f"string/{i}/StrSoH": 100, f"string/{i}/StrA": m.amps,
            f"string/{i}/StrCellVMax": high, f"string/{i}/StrCellVMin": low, f"string/{i}/StrCellVAvg": (high + low) / 2, f"string/{i}/StrModTmpAvg": m.temp_c,
        }  # fmt: skip
    name = bank[0].made if bank else None
    common: dict[str, float | str] = {
        "Mn": (name.maker if name else "") or "stand-in",
        "Md": name.name if name else "bank",
        "SN": "S-1",
        "Vr": "1",
    }
    return [models.pack(1, common), models.pack(802, base), models.pack(803, strings, {"string": len(bank)})]


def inverter_models(plant: Plant, device: str, name: str) -> list[list[int]]:
    """Return the models of a unit: common, AC and ratings (701, 702), storage and DC (713, 714), trackers (160) and the older 103 and 124."""
    m = plant.measured(device)
    unit = next(u for u in plant.made.solved.units if u.id == device)
    rated = unit.profile.ratings.continuous_w
    ac = {"ACType": 0, "St": 1, "InvSt": 3, "ConnSt": 1, "W": m["load_w"], "W_SF": 1, "VA": m["load_w"], "VA_SF": 1, "A": m["load_w"] / max(1.0, m["output_v"]), "A_SF": -1,
          "LNV": m["output_v"], "LLV": m["output_v"], "V_SF": -1, "Hz": m["output_hz"], "Hz_SF": -3}  # fmt: skip
    ratings = {"WMaxRtg": rated, "W_SF": 1, "VAMaxRtg": rated, "VA_SF": 1, "WChaRteMaxRtg": unit.profile.ratings.charge_max_a * m["volts"],
               "WDisChaRteMaxRtg": rated}  # fmt: skip
    wh = plant.made.solved.bank.energy_wh if plant.made.solved.bank else 0.0
    storage = {"WHRtg": wh, "WHAvail": wh * m["soc_pct"] / 100, "WH_SF": 1, "SoC": m["soc_pct"], "SoH": 100, "Pct_SF": -1, "Sta": 1}
    dc: dict[str, float | str] = {"NPrt": 2, "DCA": m["amps"], "DCA_SF": -1, "DCW": m["amps"] * m["volts"], "DCW_SF": 1, "DCV_SF": -1, "Tmp_SF": 0,
          "Prt/0/PrtTyp": 1, "Prt/0/ID": 1, "Prt/0/DCA": m["amps"], "Prt/0/DCV": m["volts"], "Prt/0/DCW": m["amps"] * m["volts"],
          "Prt/1/PrtTyp": 0, "Prt/1/ID": 2, "Prt/1/DCW": m["sun_w"], "Prt/1/DCA": m["sun_w"] / 300, "Prt/1/DCV": 300}  # fmt: skip
    sun: dict[str, float | str] = {
        "N": 1,
        "DCA_SF": -1,
        "DCV_SF": -1,
        "DCW_SF": 1,
        "module/0/ID": 1,
        "module/0/DCW": m["sun_w"],
        "module/0/DCA": m["sun_w"] / 300,
        "module/0/DCV": 300,
    }
    older = {"A": m["load_w"] / max(1.0, m["output_v"]), "A_SF": -1, "PhVphA": m["output_v"], "V_SF": -1, "W": m["load_w"], "W_SF": 1, "Hz": m["output_hz"], "Hz_SF": -2,
             "WH": 0, "WH_SF": 0, "St": 4}  # fmt: skip
    store = {
        "WChaMax": rated,
        "WChaMax_SF": 1,
        "ChaState": m["soc_pct"],
        "ChaState_SF": -1,
        "InBatV": m["volts"],
        "InBatV_SF": -1,
        "ChaSt": 4 if m["amps"] > 1 else 3,
    }
    return [
        models.pack(1, {"Mn": unit.profile.maker, "Md": name, "SN": device, "Vr": "1"}),
        models.pack(701, ac), models.pack(702, ratings), models.pack(713, storage), models.pack(714, dc, {"Prt": 2}),
        models.pack(160, sun, {"module": 1}), models.pack(103, older), models.pack(124, store),
    ]  # fmt: skip


class Servers:
    """Modbus servers on loopback, each on a port of its own or on a serial line, in one thread of their own."""

    def __init__(self) -> None:
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.loop.run_forever, name="modbus", daemon=True)
        self.thread.start()
        self.running: list[Any] = []

    def _run(self, work: Any) -> Any:
        return asyncio.run_coroutine_threadsafe(work, self.loop).result(5.0)

    def tcp(self, devices: Sequence[SimDevice], port: int = 0) -> int:
        """Serve devices over TCP and return the port."""

        async def begin() -> int:
            server = ModbusTcpServer(list(devices), address=(HOST, port), ignore_missing_devices=True)
            await server.serve_forever(background=True)
            self.running.append(server)
            listening: Any = server.transport
            return int(listening.sockets[0].getsockname()[1])

        return int(self._run(begin()))

    def serial(self, devices: Sequence[SimDevice], path: str, bitrate: int) -> None:
        """Serve devices on a serial line."""

        async def begin() -> None:
            server = ModbusSerialServer(
                list(devices), framer=FramerType.RTU, port=path, baudrate=bitrate, ignore_missing_devices=True, timeout=1
            )
            await server.serve_forever(background=True)
            self.running.append(server)

        self._run(begin())

    def close(self) -> None:
        """End all of them."""

        async def end() -> None:
            for server in self.running:
                with contextlib.suppress(Exception):
                    await server.shutdown()

        with contextlib.suppress(Exception):
            self._run(end())
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(3.0)
