"""Rules of the ladder of thresholds."""

from __future__ import annotations

from ...trade.rules import Rule, formula_rule


def _order(id: str, statement: str, formula: str, source: str = "common practice") -> Rule:
    return formula_rule(id, "thresholds", statement, formula, source, "T", "order")


UNIT_RANGE = _order(
    "unit-range", "A unit takes only what lies in its own range", "entry_min <= entry <= entry_max", "the unit's profile"
)


INTERLOCK = _order("unit-interlock", "A unit enforces gaps between its own settings", "upper - lower >= gap", "the unit's profile")


CELL_MAX = _order(
    "charge-below-cell-max",
    "Absorption, its overshoot and the cells' spread stay below the cells' limit",
    "absorption + overshoot + n * imbalance <= n * V_cell_max",
)


RECOMMENDED = _order(
    "charge-recommended",
    "The module's own recommended charge range counts",
    "n * low <= absorption <= n * high",
    "the module's sheet",
)


EQUALISE = _order(
    "equalise-harmless",
    "Where equalising stays off its voltage is never above absorption, where it is wanted never below",
    "lithium, sealed: equalise <= absorption; flooded: equalise >= absorption",
)


FLOAT = _order("float-below-absorption", "Float is not above absorption", "float <= absorption")


RECHARGE = _order(
    "recharge-below-float",
    "Charging starts again at least one hysteresis below float",
    "float - recharge >= h, h = {cell.margins.hysteresis_v} V * n",
)


RECHARGE_RESTART = _order(
    "recharge-above-restart", "Charging starts again at least one hysteresis above restart", "recharge - restart >= h"
)


RECHARGE_RETURN = _order(
    "recharge-above-return", "The bank is charged again before it is given back its loads", "recharge - return >= {GAP_V} V * n"
)


SHUTDOWN_CUTOFF = _order(
    "shutdown-above-cutoff",
    "The inverter stops before the BMS opens, or nothing is left to wake it",
    "shut-down >= cut-off + n * {cell.margins.shutdown_v} V",
)


UNIT_OFF_CUTOFF = _order("unit-off-above-cutoff", "The hard stop is not below the BMS cut-off", "unit off >= n * V_cell_min")


UNIT_OFF_SHUTDOWN = _order(
    "unit-off-below-shutdown", "The hard stop lies below the shut-down", "shut-down - unit off >= {GAP_V} V * n"
)


ALARM = _order(
    "alarm-above-shutdown",
    "The alarm comes before the shut-down",
    "alarm - shut-down >= max(interlock, {cell.margins.alarm_v} V * n)",
)


TRANSFER_ALARM = _order(
    "transfer-above-alarm", "Another source takes over before the alarm", "transfer >= alarm, generator start >= alarm"
)


RESTART = _order(
    "restart-no-chatter",
    "After the load drops off the bank rebounds; restart lies above that",
    "restart - shut-down >= I_max * R_path + h",
)


CHATTER = _order(
    "source-chatter",
    "The return to the bank lies above rebound and charging lift together",
    "return - transfer >= (I_load + I_charge) * R_path + h",
)


REACHABLE = _order(
    "return-reachable", "The return to the bank can be reached by charging", "absorption - return >= {cell.margins.return_v} V * n"
)


DESCENDING = _order(
    "threshold-order",
    "Thresholds descend in the order of what happens, also where some of them are missing on a unit",
    "absorption >= float >= charge again >= back to the bank >= transfer, generator start >= alarm >= shut-down >= unit off",
)


SOC_ORDER = _order(
    "soc-order",
    "The same order holds in charge levels",
    "recharge >= return, return - transfer >= {RETURN_SOC_GAP:%}, transfer >= alarm, alarm - shut-down >= {ALARM_SOC_GAP:%}, restart - shut-down >= {RESTART_SOC_GAP:%}, shut-down >= {SHUTDOWN_SOC_FLOOR:%}, ways back <= {SOC_TOP:%}",
)


SAG = formula_rule("sag", "thresholds", "Under load the terminals read lower than the cells rest", "V = n * OCV(s) - I * R_path")


SOC_BAND = formula_rule(
    "soc-band",
    "thresholds",
    "A voltage stands for a band of charge, wide where the curve is flat",
    "ds = dV / (dOCV/ds), dV = meter error + {SAG_UNCERTAINTY} * sag",
)


CHARGE_SCHOOL = formula_rule("charge-school", "thresholds", "Charge to a chosen cell voltage", "absorption = V_cell * n")


FLOAT_SCHOOL = formula_rule(
    "float-school",
    "thresholds",
    "Stay at absorption, rest lower, or stop",
    "same: float = absorption; rest: {cell.rest_v} V * n; none: float off",
)


RESERVE = formula_rule(
    "reserve-level",
    "thresholds",
    "The reserve is the charge at which another source takes over",
    "V = n * OCV(reserve) - I * R_path",
)


LOW_END = formula_rule(
    "low-end-school",
    "thresholds",
    "How far down the bank is used: to just above the cut-off, to the usual charge or to a careful one at the design load",
    "deep: {cell.low_end_soc[0]:%}; usual: {cell.low_end_soc[1]:%}; careful: {cell.low_end_soc[2]:%}; at most {LOW_END_OF_RESERVE[0]} of the reserve, {LOW_END_OF_RESERVE[1]} above {LOW_END_SOC[usual]:%}",
)
