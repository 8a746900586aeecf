"""Ports against stand-ins over real sockets, a serial line and a bus; each wire also against a client that is not ours."""

import json
import socket
import struct
import threading
import time
from pathlib import Path

import can
import cantools
import pytest
from pymodbus.client import ModbusTcpClient
from pymodbus.simulator import DataType, SimData, SimDevice
from sunspec2.modbus.client import SunSpecModbusClientDeviceTCP

import ewerer
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.devices.wire import rvc
from ewerer.core.devices.wire.protocols import FAMILIES
from ewerer.ports.addresses import RIG_GROUP, check_address
from ewerer.ports.base import PortError
from ewerer.ports.canbus import MOST_IDS, CanPort
from ewerer.ports.keeper import Keeper, keep
from ewerer.ports.make import make_port
from ewerer.ports.modbus import Line, MapPort, SunSpecPort
from ewerer.rig.rig import Rig
from ewerer.rig.shells import SerialPair, Servers, mapped_device

LIBRARY = shipped_library()
DEMO = Path(ewerer.__file__).parent / "demo"
ORROWAN = next(p for p in LIBRARY if p.id == "orrowan-t8")


def job_of(name="skerry-field-station"):
    return parse_job((DEMO / f"{name}.json").read_bytes()).model_copy(update={"as_found": {}})


@pytest.fixture(scope="module")
def rig():
    made = Rig(job_of(), LIBRARY, seed=5, everything=True)
    made.open(bus={"interface": "virtual", "channel": "stand-in"})
    made.start()
    yield made
    made.close()


def at(rig, device, map):
    return next(p for p in rig.ports if p["kind"] == "modbus-tcp" and p["device"] == device and p["map"] is map)


def test_every_setting_and_measurement_in_few_requests_as_the_display_shows_it(rig):
    port = MapPort(Line("127.0.0.1", at(rig, "U1", True)["port"]), ORROWAN, 3)
    port.open()
    got = port.read([p.name for p in port.points()])
    assert port.unread == {} and port.line.requests <= 12
    for name in port.settings:
        assert got[name].value == rig.devices["U1"].shown[name]
    told = rig.measured("U1")
    assert got["charge_a"].value == told["charge_a"] and got["volts"].value == pytest.approx(told["volts"], abs=0.02)
    port.close()


def test_what_is_written_is_what_the_display_shows_and_what_the_device_refuses_is_refused(rig):
    port = MapPort(Line("127.0.0.1", at(rig, "U2", True)["port"]), ORROWAN, 3)
    port.open()
    before = dict(rig.devices["U2"].shown)
    port.write("fill-volts", "55.0")
    assert rig.devices["U2"].shown["fill-volts"] == "55.0"
    for setting, text in (("low-out", "54.0"), ("fill-volts", "99.0"), ("store-kind", "Honey"), ("no-such", "1")):
        with pytest.raises(PortError):
            port.write(setting, text)
    port.write("fill-volts", before["fill-volts"])
    assert dict(rig.devices["U2"].shown) == before
    port.close()


def test_a_client_that_is_not_ours_reads_the_same_registers(rig):
    """pymodbus alone, by the addresses of the profile, decoded by hand: 0.1 V a count, words by number, minutes of the day."""
    client = ModbusTcpClient("127.0.0.1", port=at(rig, "U1", True)["port"])
    assert client.connect()
    shown = rig.devices["U1"].shown
    place = {s.id: s.register_.at for s in ORROWAN.settings if s.register_}

    def word(id):
        return client.read_holding_registers(place[id], count=1, device_id=3).registers[0]

    assert f"{word('fill-volts') * 0.1:.1f}" == shown["fill-volts"]
    minutes = word("win-f1-from")
    assert f"{minutes // 60:02d}:{minutes % 60:02d}" == shown["win-f1-from"]
    assert client.read_holding_registers(9, count=1, device_id=3).isError()
    client.close()


def test_a_slave_of_somebody_else_is_read_by_the_same_map():
    """A second, hand-written slave: pymodbus's own simulator, with figures put in by hand."""
    device = SimDevice(id=3, simdata=[SimData(2560, values=[5, 5, 3, 60, 3, 10], datatype=DataType.REGISTERS), SimData(2592, values=[0] * 10, datatype=DataType.REGISTERS)])  # fmt: skip
    servers = Servers()
    try:
        profile = ORROWAN.model_copy(update={"modbus": ORROWAN.modbus.model_copy(update={"blocks": []})})
        port = MapPort(Line("127.0.0.1", servers.tcp([device])), profile)
        got = port.read(["store-kind", "scheme", "link-loss", "store-ah", "judge", "shunt"])
        assert {n: v.value for n, v in got.items()} == {
            "store-kind": "Lead B", "scheme": "Scheme 1", "link-loss": "Stop", "store-ah": "60", "judge": "Volts", "shunt": "10",
        }  or port.unread  # fmt: skip
        assert got["store-ah"].value == "60" and got["judge"].value == "Volts"
        port.close()
    finally:
        servers.close()


@pytest.mark.parametrize("device", ["bank", "U1"])
def test_an_independent_client_finds_and_reads_every_model(rig, device):
    """pysunspec2's own client walks the chain and decodes what our stand-in packed; our port reads the same."""
    where = at(rig, device, False)
    theirs = SunSpecModbusClientDeviceTCP(slave_id=1, ipaddr="127.0.0.1", ipport=where["port"])
    theirs.scan()
    ours = SunSpecPort(Line("127.0.0.1", where["port"]), 1)
    ours.open()
    expected = {"bank": [1, 802, 803], "U1": [1, 701, 702, 713, 714, 160, 103, 124]}[device]
    assert list(ours.found) == expected == [m for m in theirs.models if isinstance(m, int)]
    rig.speed, was = 0.0, rig.speed
    time.sleep(0.3)
    compared = 0
    for number in expected:
        model = theirs.models[number][0]
        model.read()
        mine = ours.model(number)
        for name, point in model.points.items():
            if isinstance(point.cvalue, int | float) and point.pdef["type"] not in ("sunssf", "pad") and name not in ("Hb",):
                assert mine[name] == pytest.approx(float(point.cvalue), abs=1e-6), (number, name)
                compared += 1
    rig.speed = was
    assert compared > (30 if device == "bank" else 45)
    ours.close()
    theirs.close()


def test_frames_are_decoded_by_cantools_alone(rig):
    with can.Bus(interface="virtual", channel="stand-in") as bus:
        database = cantools.database.load_string(FAMILIES["dunmarrow-link"].dbc_text())
        seen = {}
        until = time.monotonic() + 6
        while time.monotonic() < until and len(seen) < 5:
            message = bus.recv(0.5)
            if message is not None:
                seen[database.get_message_by_frame_id(message.arbitration_id).name] = database.decode_message(
                    message.arbitration_id, message.data
                )
    told = rig.plant.report
    assert set(seen) == {"Limits", "State", "Cells", "Group", "Alive"}
    assert seen["Limits"]["ChargeCurrentLimit"] == told.charge_a and seen["Limits"]["ChargeVoltageLimit"] == told.charge_v
    assert seen["Group"]["ModulesPresent"] == 3 and seen["State"]["BankVoltage"] == pytest.approx(told.volts, abs=0.1)


def test_the_port_hears_rates_names_and_the_unit_and_the_cable_out_and_back(rig):
    port = CanPort("dunmarrow-link", "virtual", "stand-in")
    port.open()
    time.sleep(4.2)
    frames = {f.name: f for f in port.frames()}
    for name, cycle in (("Limits", 1.0), ("State", 1.0), ("Cells", 2.0), ("Alive", 1.0)):
        assert frames[name].hz == pytest.approx(1 / cycle, rel=0.15), name
    assert port.read(["charge_a", "volts"])["charge_a"].value == rig.plant.report.charge_a
    rig.act("cable", on=False)
    out = time.time()
    time.sleep(2.6)
    assert out - 1.2 <= port.heard_unit().at <= out + 0.15  # its last sign of life was sent within a cycle before
    rig.act("cable", on=True)
    back = time.time()
    time.sleep(1.3)
    assert back - 0.05 <= port.heard_unit().at <= back + 1.3
    rig.act("charging", "M2", False)
    time.sleep(1.3)
    assert port.read(["charge_a"])["charge_a"].value == 266
    rig.act("charging", "M2", True)
    port.close()
    with pytest.raises(PortError, match="nothing is written"):
        port.write("charge_a", "1")


def test_rv_c_frames_by_the_public_layout():
    """Fenwick's bank speaks RV-C: the identifiers and fields are taken apart by hand (DGN, instance, steps of 0.05 V)."""
    rig = Rig(job_of("fenwick-lock-cottage"), LIBRARY)
    rig.open(bus={"interface": "virtual", "channel": "rv"})
    port = CanPort("rv-c", "virtual", "rv")
    port.open()
    with can.Bus(interface="virtual", channel="rv") as bus:
        rig.start()
        message = next(m for m in iter(lambda: bus.recv(3), None) if (m.arbitration_id >> 8 & 0x1FFFF) == 0x1FFFD)
    assert message.is_extended_id and message.arbitration_id & 0xFF == 0x46
    assert struct.unpack("<H", message.data[2:4])[0] * 0.05 == pytest.approx(rig.plant.report.volts, abs=0.1)
    time.sleep(0.8)
    got = port.read(["volts", "soc_pct", "charge_v", "charge_a"])
    assert got["charge_v"].value == pytest.approx(27.6, abs=0.05) and got["charge_a"].value == rig.plant.report.charge_a
    assert {f.name for f in port.frames()} == set(rvc.DATA_GROUPS)
    port.close()
    rig.close()


def test_seventy_settings_at_9600_baud_within_ten_seconds_and_twelve_requests():
    rig = Rig(job_of(), LIBRARY)
    line = SerialPair(9600)
    servers = Servers()
    servers.serial([mapped_device(rig.devices["U1"], rig.measured)], line.server, 9600)
    port = MapPort(Line(path=line.client), ORROWAN, 3)
    begun = time.monotonic()
    got = port.read(list(port.settings))
    assert time.monotonic() - begun < 10 and port.line.requests <= 12
    assert len(got) >= 60 and all(got[n].value == rig.devices["U1"].shown[n] for n in got)
    port.close()
    # One in twenty answers lost: it is asked again, and what still does not come is told.
    line.lost = 0.05
    port = MapPort(Line(path=line.client), ORROWAN, 3)
    got = port.read(list(port.settings))
    assert set(got) | set(port.unread) == set(port.settings) and len(got) >= 40
    port.close()
    # Nobody at this address: given up at once, and said.
    dead = MapPort(Line(path=line.client), ORROWAN, 9)
    begun = time.monotonic()
    with pytest.raises(PortError, match="does not answer"):
        dead.read(list(dead.settings))
    assert time.monotonic() - begun < 5
    dead.close()
    servers.close()
    line.close()


# What lies, floods, or never answers.


def slave(behave):
    """A TCP server that does to each request what it is told; returns its port."""
    server = socket.create_server(("127.0.0.1", 0))

    def run():
        while True:
            try:
                connection, _ = server.accept()
            except OSError:
                return
            threading.Thread(target=behave, args=(connection,), daemon=True).start()

    threading.Thread(target=run, daemon=True).start()
    return server.getsockname()[1]


def _silent(c):
    time.sleep(30)


def _lies(c):
    while data := c.recv(64):
        c.sendall(data[:4] + b"\x00\xff" + data[6:8] + b"\xfa" + b"\x01" * 40)


def _short(c):
    while data := c.recv(64):
        c.sendall(data[:4] + struct.pack(">H", 5) + data[6:8] + b"\x02\x00\x01")


def _other(c):
    while data := c.recv(64):
        n = struct.unpack(">H", data[10:12])[0]
        c.sendall(
            struct.pack(">H", 9999)
            + data[2:4]
            + struct.pack(">H", 3 + 2 * n)
            + b"\x77"
            + data[7:8]
            + bytes([2 * n])
            + b"\x00" * 2 * n
        )


def _floods(c):
    try:
        while True:
            c.sendall(b"\x00\x01\x00\x00\x00\x03\x03\x83\x02" * 400)
    except OSError:
        return


def _drips(c):
    try:
        while data := c.recv(64):
            for byte in data[:4] + b"\x00\x53" + data[6:8] + b"\x50" + b"\x00" * 80:
                c.sendall(bytes([byte]))
                time.sleep(0.2)
    except OSError:
        return


def _garbage(c):
    while c.recv(64):
        c.sendall(bytes(range(256)))


@pytest.mark.parametrize("behave", [_silent, _lies, _short, _other, _floods, _drips, _garbage], ids=lambda f: f.__name__)
def test_a_slave_that_misbehaves_costs_two_seconds_a_request_and_writes_nothing(behave):
    port = MapPort(Line("127.0.0.1", slave(behave)), ORROWAN)
    worst, good = 0.0, 0
    for _ in range(2):
        begun = time.monotonic()
        try:
            good += len(port.read(["fill-volts"]))
        except PortError as error:
            assert str(error)
        worst = max(worst, time.monotonic() - begun)
    assert worst < 2.6 and good == 0
    begun = time.monotonic()
    with pytest.raises(PortError):
        port.write("fill-volts", "55.0")
    assert time.monotonic() - begun < 2.6
    begun = time.monotonic()
    port.close()
    assert time.monotonic() - begun < 2


def test_a_bus_that_is_flooded_keeps_its_memory_and_tells_how_much_was_beyond():
    port = CanPort("dunmarrow-link", "virtual", "flood")
    port.open()
    with can.Bus(interface="virtual", channel="flood") as bus:
        for n in range(6000):
            bus.send(can.Message(arbitration_id=n % 3000, data=bytes([n & 0xFF] * (n % 9)), is_extended_id=True))
        bus.send(can.Message(arbitration_id=848, data=b"\x01", is_extended_id=False))  # too short for what it claims to be
        time.sleep(1.5)
    assert len(port.frames()) == MOST_IDS and port.beyond >= 6000 - 2 * MOST_IDS
    assert port.read(["charge_a"]) == {}
    port.close()


@pytest.mark.parametrize(
    "settings",
    [
        {"kind": "modbus-tcp", "host": "10.0.0.7", "port": 502},
        {"kind": "modbus-tcp", "host": "example.org", "port": 502},
        {"kind": "modbus-tcp", "host": "::ffff:10.0.0.7", "port": 502},
        {"kind": "modbus-rtu", "path": "/dev/ttyS0"},
        {"kind": "can", "interface": "socketcan", "channel": "can0"},
        {"kind": "can", "interface": "udp_multicast", "channel": "239.1.1.1"},
    ],
)
def test_an_address_that_nobody_listed_is_refused(settings):
    with pytest.raises(PortError):
        check_address(settings, [])


def test_addresses_that_are_listed_and_this_machine_are_taken():
    for settings in (
        {"kind": "modbus-tcp", "host": "127.0.0.1", "port": 1502},
        {"kind": "modbus-tcp", "host": "192.168.4.20", "port": 502},
        {"kind": "modbus-rtu", "path": "/dev/ttyUSB0"},
        {"kind": "can", "interface": "socketcan", "channel": "can0"},
        {"kind": "can", "interface": "udp_multicast", "channel": RIG_GROUP},
    ):
        check_address(settings, ["192.168.4.0/24", "serial:/dev/ttyUSB0", "can:can0"])
    with pytest.raises(PortError, match="no such kind"):
        make_port({"kind": "telepathy"})


def test_a_keeper_tells_a_loss_within_two_seconds_and_comes_back_by_itself(rig):
    settings = {**at(rig, "U1", True), "profile": (Path(ewerer.__file__).parent / "library" / "orrowan-t8.json").read_text()}
    gate = {"open": True}

    def through(c):
        upstream = socket.create_connection(("127.0.0.1", settings["port"]))

        def pump(a, b):
            try:
                while (data := a.recv(4096)) and gate["open"]:
                    b.sendall(data)
            except OSError:
                pass
            a.close()
            b.close()

        threading.Thread(target=pump, args=(upstream, c), daemon=True).start()
        pump(c, upstream)

    def door(c):
        if gate["open"]:
            through(c)
        else:
            c.close()

    keeper = Keeper({**settings, "port": slave(door)})
    keeper.start()
    deadline = time.monotonic() + 8
    while keeper.told()["state"] != "open" and time.monotonic() < deadline:
        time.sleep(0.05)
    assert keeper.told()["values"]["volts"]["old"] is False
    gate["open"] = False
    begun = time.monotonic()
    while keeper.told()["state"] != "lost":
        time.sleep(0.05)
        assert time.monotonic() - begun < 4.0
    assert time.monotonic() - begun < 3.2  # one reading a second, two seconds without one
    time.sleep(max(0.0, 6.2 - (time.monotonic() - begun)))
    assert keeper.told()["values"]["volts"]["old"] is True
    gate["open"] = True
    begun = time.monotonic()
    while keeper.told()["state"] != "open":
        time.sleep(0.1)
        assert time.monotonic() - begun < 12
    assert keeper.answer({"do": "dance"}) == {"error": "no such command: 'dance'"}
    keeper.end()


def test_a_keeper_answers_line_by_line_reads_with_progress_and_stops(rig, tmp_path):
    settings = {**at(rig, "U1", True), "profile": (Path(ewerer.__file__).parent / "library" / "orrowan-t8.json").read_text()}
    keeper = Keeper(settings)
    keeper.start()
    names = list(MapPort(Line(), ORROWAN).settings)
    told = keeper.answer({"do": "read", "id": "a", "names": names})
    assert told["state"] in ("waiting", "working", "done")
    deadline = time.monotonic() + 8
    while (told := keeper.answer({"do": "task", "id": "a"}))["state"] not in ("done", "failed") and time.monotonic() < deadline:
        time.sleep(0.05)
    assert told["state"] == "done" and told["done"] == told["of"] > 3 and len(told["values"]) == len(names)
    keeper.answer({"do": "read", "id": "b", "names": names})
    assert keeper.answer({"do": "cancel", "id": "b"})["state"] == "cancelled"
    assert keeper.answer({"do": "read", "id": "", "names": []})["error"]
    keeper.end()
    lines = iter(['{"do": "state"}\n', "nonsense\n", '["a"]\n'])
    out = (tmp_path / "out").open("w+")
    assert keep(settings, lines, out) == 0
    out.seek(0)
    answers = [json.loads(line) for line in out]
    assert answers[0] == {"kept": True} and answers[1]["state"] in ("opening", "open") and "JSON" in answers[2]["error"]
    assert keep({"kind": "telepathy"}, iter([]), out) == 2
