"""Ports and stand-ins: what frames on a bus cost, how fast a plant runs, how long a device's settings take over a serial line."""

from __future__ import annotations

import multiprocessing
import time
from multiprocessing.synchronize import Event
from pathlib import Path

import can

from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.ports.addresses import RIG_GROUP
from ewerer.ports.canbus import CanPort
from ewerer.ports.modbus import Line, MapPort
from ewerer.rig.plant import Plant, entries_of
from ewerer.rig.rig import Rig
from ewerer.rig.shells import SerialPair, Servers, mapped_device

FRAMES_A_SECOND = 5000
PORT = 47_001
SECONDS = 4
PLANT_S = 21_600
DEMO = Path(__file__).resolve().parent.parent / "src" / "ewerer" / "demo"


def _send(stop: Event) -> None:
    bus = can.Bus(interface="udp_multicast", channel=RIG_GROUP, port=PORT, hop_limit=0)
    begun, sent = time.monotonic(), 0
    while not stop.is_set():
        for _ in range(50):
            bus.send(can.Message(arbitration_id=848 + sent % 4, data=bytes(8), is_extended_id=False))
            sent += 1
        time.sleep(max(0.0, begun + sent / FRAMES_A_SECOND - time.monotonic()))
    bus.shutdown()


def frames() -> tuple[float, float]:
    """Return frames heard a second, and what hearing them takes of a core [%]."""
    stop = multiprocessing.Event()
    sender = multiprocessing.Process(target=_send, args=(stop,))
    port = CanPort("dunmarrow-link", "udp_multicast", RIG_GROUP, port=PORT, hop_limit=0)
    port.open()
    sender.start()
    try:
        time.sleep(1.0)
        before, used, begun = sum(f.count for f in port.frames()), time.process_time(), time.monotonic()
        time.sleep(SECONDS)
        heard, took = sum(f.count for f in port.frames()) - before, time.monotonic() - begun
        return heard / took, 100 * (time.process_time() - used) / took
    finally:
        stop.set()
        sender.join(5)
        port.close()


def plant_times() -> float:
    """Return how many seconds of a plant of 2 units and 4 modules pass in a second of a processor, a tenth of a second at a time."""
    job = parse_job((DEMO / "heron-weir-mill.json").read_bytes()).model_copy(update={"as_found": {}})
    plant = Plant(job, shipped_library(), entries_of(job, shipped_library()))
    used = time.process_time()
    for _ in range(PLANT_S // 60):
        plant.step(60)
    return PLANT_S / (time.process_time() - used)


def settings_s() -> tuple[float, int]:
    """Return how long a device's settings take at 9,600 baud over a pseudo-terminal [s], and in how many requests."""
    job = parse_job((DEMO / "skerry-field-station.json").read_bytes()).model_copy(update={"as_found": {}})
    rig = Rig(job, shipped_library())
    line, servers = SerialPair(9600), Servers()
    device = rig.devices["U1"]
    try:
        servers.serial([mapped_device(device, rig.measured)], line.server, 9600)
        port = MapPort(Line(path=line.client), device.profile)
        begun = time.monotonic()
        port.read(list(port.settings))
        took = time.monotonic() - begun
        port.close()
        return took, port.line.requests
    finally:
        servers.close()
        line.close()
