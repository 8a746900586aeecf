"""What can be wrong with a stand-in: each fault with what it shows, the symptom it is looked for by, and its cause in the fault finder."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from .menu import shipped

if TYPE_CHECKING:
    from .rig import Rig


@dataclass(frozen=True, slots=True)
class Fault:
    """A fault: its word, what it shows on wire, display and plant, symptom and cause by their ids, and how it is made and mended."""

    word: str
    wire: str
    display: str
    plant: str
    symptom: str
    cause: str
    make: Callable[[Rig], None]
    mend: Callable[[Rig], None]
    needs: Callable[[Rig], bool]


def _always(rig: Rig) -> bool:
    return True


def _linked(rig: Rig) -> bool:
    return bool(rig.family)


def _several(rig: Rig) -> bool:
    return _linked(rig) and len(rig.plant.modules) > 1


def _parallel(rig: Rig) -> bool:
    return len(rig.units) > 1


def _windows(rig: Rig) -> bool:
    return bool(rig.job.windows) and rig.host is not None and any(s.slot for s in rig.host.profile.settings)


def _slots(rig: Rig) -> bool:
    return _windows(rig) and ("window-overlap" in rig.on or bool(_slot_slip(rig)))


def _engine(rig: Rig) -> bool:
    return rig.job.generator is not None and "generator" in rig.job.site.sources


def _menu(rig: Rig) -> bool:
    return bool(rig.units)


def _shunt(rig: Rig) -> bool:
    return rig.host is not None and rig.host.profile.setting_for("shunt_a") is not None


Acts = tuple[Callable[["Rig"], None], Callable[["Rig"], None]]
"""How a fault is made, and how it is mended."""


def _attributes(of: Callable[[Rig], object], told: Mapping[str, object]) -> Acts:
    """Return how attributes of one part of the rig are set, and set back to what a new one of its kind has; the link follows."""

    def make(rig: Rig) -> None:
        for name, value in told.items():
            setattr(of(rig), name, value)
        rig.rewired()

    def mend(rig: Rig) -> None:
        clean = type(of(rig))()
        for name in told:
            setattr(of(rig), name, getattr(clean, name))
        rig.rewired()

    return make, mend


def _wire(**told: object) -> Acts:
    return _attributes(lambda rig: rig.wiring, told)


def _plant(**told: object) -> Acts:
    return _attributes(lambda rig: rig.plant.trouble, told)


def _module(**told: object) -> Acts:
    """Return how a fault of the last module is made and mended."""

    def make(rig: Rig) -> None:
        for name, value in told.items():
            setattr(rig.plant.modules[-1], name, value)

    def mend(rig: Rig) -> None:
        for name in told:
            setattr(rig.plant.modules[-1], name, {"charging": True, "discharging": True, "high_v": 0.0, "connected": True}[name])

    return make, mend


def _factory(rig: Rig) -> None:
    unit = rig.units[-1]
    unit.state = unit.model.start(shipped(unit.profile))
    rig.changed()


def _planned(rig: Rig) -> None:
    for unit in rig.units:
        unit.state = unit.model.start(rig.planned.get(unit.id, {}))
    rig.changed()


def _slot_slip(rig: Rig) -> dict[str, str]:
    """Return what a slip at the keys makes of a slot that is in use: it ends, or the next one begins, where it begins."""
    if rig.host is None:
        return {}
    slots = {(s.slot.kind, s.slot.no, s.slot.field): s.id for s in rig.host.profile.settings if s.slot}
    shown = rig.host.shown
    for (kind, no, field), id in slots.items():
        if field != "from":
            continue
        end = slots.get((kind, no, "to")) or slots.get((kind, no + 1, "from"))
        if end is not None and shown.get(id) and shown.get(end) != shown[id]:
            return {end: shown[id]}
    return {}


def _overlap(rig: Rig) -> None:
    slip = _slot_slip(rig)
    for unit in rig.units:
        unit.state = unit.model.start({**unit.shown, **slip})
    rig.changed()


def _forget_sensor(rig: Rig) -> None:
    assert rig.host is not None
    setting = rig.host.profile.setting_for("shunt_a")
    assert setting is not None
    for unit in rig.units:
        unit.state = unit.model.start({**unit.shown, setting.id: setting.factory or "0"})
    rig.plant.trouble.shunt = 0.5
    rig.changed()


def _remember_sensor(rig: Rig) -> None:
    rig.plant.trouble.shunt = 1.0
    _planned(rig)


def _wrong_type(rig: Rig) -> None:
    """Enter another battery type: it puts volts back to its own."""
    assert rig.host is not None
    setting = rig.host.profile.setting_for("battery_type")
    for unit in rig.units:
        if setting is not None and setting.factory:
            shown = {**unit.shown, setting.id: setting.factory}
            unit.state = unit.model.start({**shown, **unit.model.effects(setting.id, shown)})
    rig.changed()


def _asleep(rig: Rig) -> None:
    for unit in rig.units:
        unit.asleep = True


def _awake(rig: Rig) -> None:
    for unit in rig.units:
        unit.asleep = False


def _present(rig: Rig) -> None:
    rig.code = 61


def _cleared(rig: Rig) -> None:
    rig.code = 0


FAULTS: dict[str, Fault] = {
    "cable-out": Fault("Link cable out", "no sign of life of the inverter", "battery page all zeros", "units go by their own settings", "page-zeros", "cable-not-in", *_wire(plug="out"), _linked),
    "wrong-port": Fault("Cable in a look-alike port", "no sign of life of the inverter", "battery page all zeros", "units go by their own settings", "page-zeros", "wrong-port", *_wire(plug="wrong"), _linked),
    "pins-swapped": Fault("Pins swapped", "no sign of life of the inverter", "battery page all zeros", "units go by their own settings", "page-zeros", "pins", *_wire(pins=False), _linked),
    "no-terminator": Fault("No terminator", "frames missing", "page comes and goes", "limits lag", "page-zeros", "bus-termination", *_wire(terminators=0), _linked),
    "terminator-too-many": Fault("One terminator too many", "frames missing", "page comes and goes", "limits lag", "page-zeros", "bus-termination", *_wire(terminators=3), _linked),
    "host-address": Fault("Host address off by one", "one module", "limits of one module", "charges less", "one-of-several", "host-address", *_wire(address="host-off"), _several),
    "equal-addresses": Fault("Two equal addresses", "one module fewer", "limits of fewer modules", "charges less", "one-of-several", "equal-addresses", *_wire(address="equal"), _several),
    "no-power-cycle": Fault("Switches set, no power cycle", "one module", "limits of one module", "charges less", "one-of-several", "no-power-cycle", *_wire(cycled=False), _several),
    "charging-off": Fault("One module's charging off", "one fewer may charge", "charge limit of fewer", "charges less", "limits-of-one", "module-charging-off", *_module(charging=False), _several),
    "cell-high": Fault("One cell high", "highest cell far above the lowest", "charge limit zero when full", "charging ends early", "limit-zero", "one-cell-high", *_module(high_v=0.35), _linked),
    "cold": Fault("Bank too cold", "charge limit zero", "charge limit zero, low temperature", "no charging", "limit-zero", "cold-or-hot", *_plant(ambient_c=-8.0), _linked),
    "forced-charge": Fault("Firmware answers a forced charge", "forced charge asked for", "loads on AC with a full bank", "no discharging", "no-discharge-full", "forced-charge", *_plant(forced=True), _linked),
    "timer-early": Fault("Hold timer starts early", "", "hold ends before its time", "the bank never gets full", "never-full", "timer", *_plant(hold_part=0.05), _always),
    "loads-eat": Fault("The cap counts DC loads", "", "charge current below its cap", "less goes into the bank", "never-full", "loads-eat", *_plant(eaten_a=40.0), _always),
    "factory-left": Fault("A follower on factory values", "", "its settings differ", "units decide apart", "amps-differ", "factory-left", _factory, _planned, _parallel),
    "sensor-in-sun": Fault("Sensor in the sun", "BMS says cool", "temperature high by day", "no charging at noon", "hot-but-cool", "sensor-place", *_plant(sun_on_sensor_k=45.0), _linked),
    "shunt-backwards": Fault("Shunt wired backwards", "BMS says the other way", "charging shown as discharging", "charge counted the wrong way", "soc-drifts", "sensor-backwards", *_plant(shunt=-1.0), _always),
    "transformer-reversed": Fault("Current transformer reversed", "", "buying shown as selling", "control goes the wrong way", "grid-wrong", "transformer-reversed", *_plant(meter=-1.0), lambda rig: "mains" in rig.job.site.sources),
    "transformer-phase": Fault("Current transformer on another phase", "", "the grid's watts do not follow the loads", "control misses loads", "grid-wrong", "transformer-phase", *_plant(meter=0.0), lambda rig: "mains" in rig.job.site.sources),
    "clock-wrong": Fault("Clock wrong", "", "clock off by hours", "windows at other hours", "windows-nothing", "clock", *_plant(clock_min=300), _windows),
    "window-overlap": Fault("Overlapping or empty window", "", "a slot that ends where it begins", "a window does nothing", "windows-nothing", "overlap", _overlap, _planned, _slots),
    "generator-sags": Fault("Generator sags", "", "volts and hertz fall under charge", "it carries less", "generator-hunts", "generator-budget", *_plant(sags=True), _engine),
    "fault-returns": Fault("A fault that comes back", "", "its code is back at once", "", "fault-returns", "present-fault", _present, _cleared, _menu),
    "preset-resets": Fault("A battery type that resets volts", "", "volts of another chemistry", "charges to the wrong volts", "low-alarm-half-full", "wrong-preset", _wrong_type, _planned, _menu),
    "sensor-forgotten": Fault("Sensor forgotten with the new capacity", "", "shunt at its factory value", "charge counted wrong", "soc-drifts", "sensor-ratio", _forget_sensor, _remember_sensor, _shunt),
    "asleep": Fault("The unit is asleep", "", "dark, takes no entry", "", "not-accepted", "asleep", _asleep, _awake, _menu),
    "bank-fuse": Fault("Bank fuse open", "no volts on the busbar", "no bank volts", "nothing in or out", "unit-dark", "bank-fuse", *_plant(fuse=False), _always),
}  # fmt: skip
"""Every fault by its name."""
