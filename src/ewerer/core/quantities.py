"""The canonical quantities: names, units and the words shown for them.

The names are those that profiles and plans use. ``kind`` is ``volts`` or ``soc`` for thresholds
on the ladder, otherwise the unit of the figure.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Quantity:
    """One canonical quantity: its name, the word on screens, its unit and kind."""

    name: str
    word: str
    unit: str
    kind: str


def _volts(name: str, word: str) -> Quantity:
    return Quantity(name, word, "V", "volts")


def _soc(name: str, word: str) -> Quantity:
    return Quantity(name, word, "%", "soc")


_ALL = [
    _volts("absorb_v", "Absorption"),
    _volts("equalise_v", "Equalising"),
    _volts("float_v", "Float"),
    _volts("recharge_v", "Charge again"),
    _volts("gen_stop_v", "Generator stop"),
    _volts("return_bank_v", "Back to the bank"),
    _volts("restart_v", "Restart"),
    _volts("to_mains_v", "To the mains"),
    _volts("gen_start_v", "Generator start"),
    _volts("alarm_v", "Alarm"),
    _volts("shutdown_v", "Shut-down"),
    _volts("unit_off_v", "Unit off"),
    _soc("recharge_soc", "Charge again"),
    _soc("gen_stop_soc", "Generator stop"),
    _soc("return_bank_soc", "Back to the bank"),
    _soc("restart_soc", "Restart"),
    _soc("to_mains_soc", "To the mains"),
    _soc("gen_start_soc", "Generator start"),
    _soc("alarm_soc", "Alarm"),
    _soc("shutdown_soc", "Shut-down"),
    Quantity("absorb_min", "Hold time", "min", "time"),
    Quantity("tail_a", "Tail current", "A", "amps"),
    Quantity("charge_max_a", "Charge current", "A", "amps"),
    Quantity("mains_charge_max_a", "Charge current from AC", "A", "amps"),
    Quantity("discharge_max_a", "Discharge current", "A", "amps"),
    Quantity("max_charge_h", "Longest charge", "h", "time"),
    Quantity("full_charge_days", "Full charge every", "days", "time"),
    Quantity("equalise_on", "Equalising on", "", "switch"),
    Quantity("equalise_min", "Equalising time", "min", "time"),
    Quantity("temp_comp_mv_per_c", "Temperature compensation", "mV/°C", "number"),
    Quantity("float_on", "Float on", "", "switch"),
    Quantity("charge_order", "Charge order", "", "choice"),
    Quantity("source_order", "Source order", "", "choice"),
    Quantity("shutdown_delay_s", "Shut-down delay", "s", "time"),
    Quantity("ac_input_max_a", "AC input current", "A", "amps"),
    Quantity("battery_type", "Battery type", "", "choice"),
    Quantity("capacity_ah", "Capacity", "Ah", "number"),
    Quantity("series_cells", "Cells in series", "", "number"),
    Quantity("control", "Decide by", "", "choice"),
    Quantity("bms_protocol", "BMS protocol", "", "choice"),
    Quantity("link_loss_action", "On loss of link", "", "choice"),
    Quantity("role", "Role", "", "choice"),
    Quantity("topology", "Topology", "", "choice"),
    Quantity("phase", "Phase", "", "choice"),
    Quantity("address", "Address", "", "number"),
    Quantity("output_v", "Output volts", "V", "number"),
    Quantity("output_hz", "Output frequency", "Hz", "number"),
    Quantity("low_temp_stop_c", "Stop charging below", "°C", "number"),
    Quantity("temp_stop_c", "Stop above", "°C", "number"),
    Quantity("temp_warn_c", "Warn above", "°C", "number"),
    Quantity("ac_range", "AC input window", "", "choice"),
    Quantity("shunt_a", "Shunt rating", "A", "number"),
    Quantity("shunt_mv", "Shunt millivolts", "mV", "number"),
]

QUANTITIES: dict[str, Quantity] = {q.name: q for q in _ALL}
LADDER_VOLTS: tuple[str, ...] = tuple(q.name for q in _ALL if q.kind == "volts")
LADDER_SOC: tuple[str, ...] = tuple(q.name for q in _ALL if q.kind == "soc")
LADDER_QUANTITIES: frozenset[str] = frozenset(LADDER_VOLTS + LADDER_SOC)
