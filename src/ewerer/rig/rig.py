"""A rig: one plant, its devices with their displays, what they speak, faults by switch, run at 1 to 600 times real time."""

from __future__ import annotations

import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import partial
from typing import Any, Literal

import can

from ..core.devices.library import Library
from ..core.devices.wire.protocols import FAMILIES
from ..core.documents.job import Job
from ..core.stages.pipeline import solve
from ..core.trade.measures import MEASURES
from .faults import FAULTS
from .menu import KEYS, Key, MenuDevice, shipped
from .plant import Plant, entries_of
from .shells import BusShell, SerialPair, Servers, battery_models, inverter_models, mapped_device, sunspec_device

TICK_S = 0.1
MOST_SPEED = 600.0
START_S = 11 * 3600
"""The plant begins at eleven in the morning, so that there is something to see."""
BUFFER = 400
Entries = Literal["planned", "found", "factory"]
LIVE_LINES = (
    "volts",
    "amps",
    "soc_pct",
    "temp_c",
    "charge_v",
    "charge_a",
    "discharge_a",
    "modules",
    "load_w",
    "grid_w",
    "ac_v",
    "ac_hz",
    "clock_min",
    "fault",
)


@dataclass(slots=True)
class Wiring:
    """How the bus is wired: where the plug is, pins, terminators, addresses, whether the modules were switched off and on."""

    plug: str = "in"
    pins: bool = True
    terminators: int = 2
    address: str = "as-drawn"
    cycled: bool = True


@dataclass(slots=True)
class Happened:
    """One thing that happened on the rig: when [s since 1970], at which second of the plant, what."""

    at: float
    t: int
    what: str


class RigError(ValueError):
    """What a rig cannot do, in words."""


class Rig:
    """Stand-ins of a job. ``entries`` says what the devices show at first; with ``everything`` each speaks all that it could."""

    def __init__(
        self,
        job: Job,
        library: Library,
        faults: Sequence[str] = (),
        speed: float = 1.0,
        seed: int = 1,
        entries: Entries = "planned",
        everything: bool = False,
    ) -> None:
        self.job: Job = job
        self.library, self.seed = library, seed
        self.speed = min(MOST_SPEED, max(0.0, speed))
        solved = solve(job.model_copy(update={"as_found": {}}), library)
        if solved.bank is None or not solved.units or solved.ladder is None:
            raise RigError("there is nothing to stand in for yet; right would be a job with a bank, units and a ladder that fits")
        self.planned = entries_of(job.model_copy(update={"as_found": {}}), library)
        self.lock = threading.RLock()
        self.devices: dict[str, MenuDevice] = {}
        for d in solved.devices:
            first = {"planned": self.planned.get(d.id, {}), "found": job.as_found.get(d.id, {}), "factory": {}}[entries]
            self.devices[d.id] = MenuDevice(d.id, d.profile, {**shipped(d.profile), **first}, self.changed)
        self.units = [self.devices[u.id] for u in solved.units if u.id in self.devices]
        self.host = self.devices.get(solved.host.id) if solved.host else None
        self.plant = Plant(job, library, self.shown(), seed)
        self.plant.t = START_S
        self.wiring = Wiring()
        self.code = 0
        protocol = (solved.link.protocol or "").split(" ")[0]
        between = solved.link.adapter
        family = between.protocol.split(" ")[0] if between else protocol
        self.family = family if family in FAMILIES and (FAMILIES[family].dbc or family == "rv-c") else ""
        self.bus: BusShell | None = None
        self.servers: Servers | None = None
        self.serial: SerialPair | None = None
        self.ports: list[dict[str, Any]] = []
        self.on: set[str] = set()
        self.log: list[Happened] = []
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._left = 0.0
        self.heard_last: dict[str, float] = {}
        """what the units last heard of the BMS"""
        for id, device in self.devices.items():
            device.read = partial(self.live_lines, id)
        self.begins = list(faults)
        self.everything = everything

    # What the devices show, and what follows from it.

    def shown(self) -> dict[str, dict[str, str]]:
        """Return what every device shows, by device and setting."""
        return {id: dict(d.shown) for id, d in self.devices.items()}

    def changed(self) -> None:
        """Let the plant go on with what the devices show now."""
        if hasattr(self, "plant"):
            with self.lock:
                self.plant.settings_changed(self.shown())

    def rewired(self) -> None:
        """Let the plant go on with the wiring as it is now."""
        w, trouble = self.wiring, self.plant.trouble
        heard = w.plug == "in" and w.pins and self.speaks
        if heard != trouble.heard:
            self.note("link heard" if heard else "link lost")
        trouble.heard = heard
        n = len(self.plant.modules)
        trouble.counted = 1 if w.address == "host-off" or not w.cycled else n - 1 if w.address == "equal" else None

    @property
    def speaks(self) -> bool:
        """Whether the module that speaks for the others is in."""
        link = self.plant.made.solved.link
        host = next((m.module for m in link.addresses.modules if m.host), None) if link.addresses else None
        return bool(self.plant.together) and all(m.connected for m in self.plant.modules if m.id == host)

    def note(self, what: str) -> None:
        """Write down that something happened now."""
        self.log.append(Happened(time.time(), self.plant.t, what))
        del self.log[:-BUFFER]

    # Faults, keys, acts.

    def possible(self) -> dict[str, str]:
        """Return the faults that this rig can have, with their words."""
        return {name: f.word for name, f in FAULTS.items() if f.needs(self)}

    def fault(self, name: str, on: bool = True) -> None:
        """Make a fault, or mend it; raises RigError for one that this rig cannot have."""
        fault = FAULTS.get(name)
        if fault is None or not fault.needs(self):
            raise RigError(f"no such fault here: {name}; right would be one of {', '.join(self.possible())}")
        with self.lock:
            if on == (name in self.on):
                return
            (fault.make if on else fault.mend)(self)
            (self.on.add if on else self.on.discard)(name)
            self.note(f"{name} {'on' if on else 'off'}")

    def press(self, device: str, key: str) -> None:
        """Press a key of a device; raises RigError where there is none of that name."""
        held = self.devices.get(device)
        if held is None or key not in KEYS:
            raise RigError(f"no such key: {device} {key}; right would be one of {', '.join(KEYS)}")
        with self.lock:
            found: Key = next(k for k in KEYS if k == key)
            held.press(found)

    def act(self, what: str, module: str = "", on: bool = True) -> None:
        """Do something with the hands: ``cable`` out and in, a module's ``charging``, ``discharging``, the ``module`` itself."""
        with self.lock:
            if what == "cable":
                self.wiring.plug = "in" if on else "out"
                self.rewired()
            else:
                held = next((m for m in self.plant.modules if m.id == module), None)
                name = {"charging": "charging", "discharging": "discharging", "module": "connected"}.get(what)
                if held is None or name is None:
                    raise RigError(f"no such act: {what} {module}")
                setattr(held, name, on)
                self.rewired()
            self.note(f"{what} {module} {'on' if on else 'off'}".replace("  ", " "))

    # Running.

    def open(self, bus: Mapping[str, Any] | None = None, serial: bool = False) -> list[dict[str, Any]]:
        """Begin to speak: the bus, a Modbus server for each device; return what a port needs to reach each of them."""
        if self.family:
            try:
                self.bus = BusShell(self.family, self.seed, **(dict(bus) if bus else {}))
            except (OSError, can.CanError) as error:
                self.note(f"no bus on this machine: {error}")
            else:
                self.ports.append({"kind": "can", "family": self.family, "device": "bank", **self.bus.how})
        for name in self.begins:
            self.fault(name)
        self.servers = Servers()
        for id, device in self.devices.items():
            if device.profile.modbus is not None:
                port = self.servers.tcp([mapped_device(device, self.measured)])
                self.ports.append({"kind": "modbus-tcp", "host": "127.0.0.1", "port": port, "device": id, "map": True, "unit_id": device.profile.modbus.unit_id})  # fmt: skip
        for unit in self.units:
            if unit.profile.modbus is not None and not self.everything:
                continue
            port = self.servers.tcp([sunspec_device(1, lambda u=unit: inverter_models(self.plant, u.id, u.profile.name))])  # type: ignore[misc]
            self.ports.append(
                {"kind": "modbus-tcp", "host": "127.0.0.1", "port": port, "device": unit.id, "map": False, "unit_id": 1}
            )
        if self.bus is None or self.everything:
            port = self.servers.tcp([sunspec_device(1, lambda: battery_models(self.plant))])
            self.ports.append(
                {"kind": "modbus-tcp", "host": "127.0.0.1", "port": port, "device": "bank", "map": False, "unit_id": 1}
            )
        if serial:
            held = [d for d in self.units if d.profile.modbus is not None][:1]
            if held and held[0].profile.modbus is not None:
                rate = held[0].profile.modbus.bitrate
                self.serial = SerialPair(rate, seed=self.seed)
                self.servers.serial([mapped_device(held[0], self.measured)], self.serial.server, rate)
                self.ports.append({"kind": "modbus-rtu", "path": self.serial.client, "bitrate": rate, "device": held[0].id, "map": True, "unit_id": held[0].profile.modbus.unit_id})  # fmt: skip
        return self.ports

    def start(self) -> None:
        """Run by itself until it is closed."""
        self._thread = threading.Thread(target=self._run, name="rig", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        last = time.monotonic()
        while not self._stop.wait(TICK_S):
            now = time.monotonic()
            self.tick(now - last)
            last = now

    def tick(self, real_s: float) -> None:
        """Go on by some real seconds, at most ten at once."""
        with self.lock:
            self._left += min(real_s, 10.0) * self.speed
            whole = int(self._left)
            if whole:
                self._left -= whole
                self.plant.step(whole)
                if self.plant.trouble.heard:
                    told = self.plant.report
                    self.heard_last = {
                        "charge_v": told.charge_v,
                        "charge_a": told.charge_a,
                        "discharge_a": told.discharge_a,
                        "modules": told.modules,
                    }
            if self.bus is not None:
                w = self.wiring
                self.bus.step(self.plant.report, self.speaks, self.plant.trouble.heard, w.terminators)

    def close(self) -> None:
        """End everything."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(2.0)
        if self.bus is not None:
            self.bus.close()
            self.bus = None
        if self.servers is not None:
            self.servers.close()
            self.servers = None
        if self.serial is not None:
            self.serial.close()
            self.serial = None

    # What it tells.

    def measured(self, device: str) -> dict[str, float]:
        """Return what a device measures and hears; nothing of the BMS once the link counts as lost. The fault it holds is among it."""
        held = self.plant.measured(device)
        held["fault"] = float(self.code)
        if self.plant.trouble.heard or self.plant.silent_s > self.plant.silence_s:
            return held
        return held | self.heard_last

    def live_lines(self, device: str) -> list[str]:
        """Return the lines of a display's page of readings."""
        held = self.measured(device)
        out = []
        for name in LIVE_LINES:
            m, value = MEASURES[name], held[name]
            if name == "clock_min":
                out.append(f"Clock: {int(value) // 60:02d}:{int(value) % 60:02d}")
            elif name == "fault":
                out.append(f"Fault: {int(value) or 'none'}")
            else:
                digits = {"V": 2, "A": 1, "Hz": 2}.get(m.unit, 0)
                out.append(f"{m.word.split(',')[0]}: {value:.{digits}f} {m.unit}".rstrip())
        return out

    def state(self) -> dict[str, Any]:
        """Return what a page shows of the rig: clock, displays, modules, faults, what happened last."""
        with self.lock:
            plant, possible = self.plant, self.possible()
            return {
                "job": self.job.name,
                "t": plant.t,
                "minute": plant.minute(),
                "speed": self.speed,
                "seed": self.seed,
                "displays": {id: asdict(d.display()) for id, d in self.devices.items()},
                "names": {id: d.profile.name for id, d in self.devices.items()},
                "modules": [
                    {"id": m.id, "charging": m.charging, "discharging": m.discharging, "connected": m.connected, "soc_pct": round(100 * m.soc, 1), "amps": round(m.amps, 1)}
                    for m in plant.modules
                ],
                "cable": self.wiring.plug == "in",
                "faults": {name: name in self.on for name in possible},
                "words": possible,
                "ports": self.ports,
                "log": [asdict(h) for h in self.log[-20:]],
            }  # fmt: skip
