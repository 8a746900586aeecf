"""What a device or a bus can be asked for while it works: canonical names, words, units. Currents are positive into the bank."""

from __future__ import annotations

from typing import NamedTuple


class Measure(NamedTuple):
    """One measurement: its word on screens, its unit, what two readings of it may differ by where nothing else is known."""

    word: str
    unit: str
    within: float


MEASURES: dict[str, Measure] = {
    "volts": Measure("Bank volts", "V", 0.3),
    "amps": Measure("Into the bank, out with a minus", "A", 2.0),
    "soc_pct": Measure("State of charge", "%", 2.0),
    "soh_pct": Measure("State of health", "%", 2.0),
    "temp_c": Measure("Bank temperature", "°C", 2.0),
    "charge_v": Measure("Asked charge volts", "V", 0.0),
    "charge_a": Measure("Charge limit", "A", 0.0),
    "discharge_a": Measure("Discharge limit", "A", 0.0),
    "stop_v": Measure("Stops giving at", "V", 0.0),
    "cell_high_v": Measure("Highest cell", "V", 0.02),
    "cell_low_v": Measure("Lowest cell", "V", 0.02),
    "modules": Measure("Modules heard", "", 0.0),
    "modules_charging": Measure("Modules that may charge", "", 0.0),
    "modules_discharging": Measure("Modules that may discharge", "", 0.0),
    "forced_charge": Measure("Forced charge asked for", "", 0.0),
    "charge_allowed": Measure("Charging allowed", "", 0.0),
    "discharge_allowed": Measure("Discharging allowed", "", 0.0),
    "load_w": Measure("Loads on the output", "W", 50.0),
    "output_v": Measure("Output volts", "V", 5.0),
    "output_hz": Measure("Output frequency", "Hz", 0.2),
    "ac_v": Measure("AC input volts", "V", 5.0),
    "ac_hz": Measure("AC input frequency", "Hz", 0.2),
    "grid_w": Measure("From the AC source, to it with a minus", "W", 100.0),
    "sun_w": Measure("From the sun", "W", 100.0),
    "unit_charge_a": Measure("Charges with", "A", 2.0),
    "clock_min": Measure("Clock, minute of the day", "min", 1.0),
    "fault": Measure("Fault", "", 0.0),
    "on_source": Measure("Loads on the AC source", "", 0.0),
    "output_on": Measure("Output on", "", 0.0),
}
"""Every measurement by its canonical name."""
