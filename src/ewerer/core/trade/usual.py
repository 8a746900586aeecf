"""Where the figures of a setting usually lie: what tells a low-temperature stop from an over-temperature one, and 2.25 V of a cell from pack volts.

Volts are per volt of the nominal class (12, 24, 36, 48 V); a 2-V cell is class 2, a lithium cell stands for 3 V of a class. Other
figures are in the unit of their quantity. The bands hold for lithium and for lead-acid together; they say what is plausible, never
what is right. Sources: data sheets of both chemistries as restated in ``trade/chemistries``; wider than any of them [common practice].
"""

from __future__ import annotations

CLASSES_V = (12.0, 24.0, 36.0, 48.0)
"""Nominal classes of the battery side."""
MOST_CLASS_V = 60.0
"""Above this a class is no round name of cells, and its bands say nothing."""
CELL_CLASS_V = {1: 3.0, 2: 2.0}
"""Volts of a class that one cell stands for: a lithium cell (16 of them are called 48 V), a lead-acid cell."""
PER_CLASS: dict[str, tuple[float, float]] = {
    "absorb_v": (1.05, 1.33),
    "equalise_v": (1.12, 1.42),
    "float_v": (1.02, 1.28),
    "full_charge_v": (1.08, 1.33),
    "recharge_v": (0.95, 1.22),
    "gen_stop_v": (1.0, 1.33),
    "return_bank_v": (1.0, 1.33),
    "ac_charge_stop_v": (1.0, 1.33),
    "ac_charge_start_v": (0.85, 1.15),
    "restart_v": (0.90, 1.22),
    "to_mains_v": (0.82, 1.15),
    "gen_start_v": (0.82, 1.15),
    "alarm_v": (0.80, 1.12),
    "shutdown_v": (0.75, 1.08),
    "unit_off_v": (0.65, 1.05),
    "empty_v": (0.75, 1.1),
}
FIGURES: dict[str, tuple[float, float]] = {
    "low_temp_stop_c": (-35.0, 14.0),
    "temp_stop_c": (38.0, 95.0),
    "temp_warn_c": (30.0, 90.0),
    "temp_resume_c": (25.0, 75.0),
    "fan_start_c": (25.0, 75.0),
    "temp_comp_mv_per_c": (-400.0, 400.0),
    "absorb_min": (1.0, 1500.0),
    "equalise_min": (1.0, 2000.0),
    "equalise_days": (1.0, 400.0),
    "full_charge_days": (1.0, 400.0),
    "max_charge_h": (0.5, 100.0),
    "shutdown_delay_s": (0.0, 3600.0),
    "gen_warm_up_s": (0.0, 1200.0),
    "gen_cool_down_min": (0.0, 60.0),
    "gen_min_run_min": (1.0, 1500.0),
    "gen_max_run_min": (10.0, 3000.0),
    "gen_exercise_days": (1.0, 400.0),
    "gen_exercise_min": (1.0, 240.0),
    "gen_tries": (1.0, 20.0),
    "backlight_min": (0.0, 240.0),
    "tail_a": (0.2, 100.0),
    "charge_max_a": (1.0, 3000.0),
    "mains_charge_max_a": (1.0, 1000.0),
    "sun_charge_max_a": (1.0, 1000.0),
    "discharge_max_a": (1.0, 3000.0),
    "bank_charge_max_a": (1.0, 5000.0),
    "ac_input_max_a": (1.0, 400.0),
    "ac_breaker_a": (1.0, 400.0),
    "shunt_a": (20.0, 5000.0),
    "shunt_mv": (10.0, 200.0),
    "capacity_ah": (5.0, 100000.0),
    "series_cells": (2.0, 400.0),
    "blocks_in_series": (1.0, 60.0),
    "address": (0.0, 255.0),
    "output_v": (95.0, 280.0),
    "output_hz": (40.0, 70.0),
    "ac_low_off_v": (60.0, 215.0),
    "ac_low_on_v": (70.0, 225.0),
    "ac_high_off_v": (115.0, 320.0),
    "ac_high_on_v": (110.0, 310.0),
    "bms_bitrate": (1200.0, 1000000.0),
    "search_w": (1.0, 1000.0),
    "export_limit_w": (0.0, 200000.0),
    "peak_cap_w": (0.0, 500000.0),
    "resistance_mohm": (0.05, 500.0),
    "charge_efficiency_pct": (40.0, 100.0),
    "shutdown_soc": (0.0, 60.0),
    "alarm_soc": (0.0, 70.0),
    "restart_soc": (5.0, 95.0),
    "recharge_soc": (20.0, 99.0),
    "to_mains_soc": (0.0, 80.0),
    "gen_start_soc": (0.0, 80.0),
    "gen_stop_soc": (30.0, 100.0),
    "return_bank_soc": (20.0, 100.0),
    "ac_charge_start_soc": (0.0, 90.0),
    "ac_charge_stop_soc": (20.0, 100.0),
    "charge_to_soc": (50.0, 100.0),
    "absorb_end_soc": (60.0, 100.0),
    "on_grid_min_soc": (0.0, 95.0),
    "outage_min_soc": (0.0, 80.0),
    "outage_return_soc": (5.0, 95.0),
    "protect_1_soc": (0.0, 80.0),
    "protect_2_soc": (0.0, 80.0),
    "protect_3_soc": (0.0, 80.0),
    "soc_now": (0.0, 100.0),
    "export_limit_pct": (0.0, 100.0),
}
PART_OF_RATED: dict[str, tuple[float, float]] = {"tail_a": (0.5, 25.0)}
"""Percent of the capacity that a current is usually given in."""
LEAST_SHARED = 0.25
"""Part of a range, or of the usual band, that both must share [T]."""


def usual_band(quantity: str, class_v: float | None) -> tuple[float, float] | None:
    """Return where the figures of a quantity usually lie, in its own unit; None where nothing is known of it."""
    if quantity in PER_CLASS:
        if class_v is None or class_v > MOST_CLASS_V:
            return None
        low, high = PER_CLASS[quantity]
        return low * class_v, high * class_v
    return FIGURES.get(quantity)


def is_usual(quantity: str, low: float | None, high: float | None, factory: float | None, class_v: float | None) -> bool | None:
    """Return whether a range and its factory value are where they usually are; None where nothing is known.

    A factory value counts most, since ranges are often wide; 0 is taken as off and does not count.

    >>> is_usual("low_temp_stop_c", 45, 60, None, None), is_usual("absorb_v", 48, 58.4, 56.4, 48)
    (False, True)
    """
    band = usual_band(quantity, class_v)
    if band is None:
        return None
    if low is not None and high is not None:
        shared = min(high, band[1]) - max(low, band[0])
        width = min(high - low, band[1] - band[0])
        if shared < 0 or (width > 0 and shared < LEAST_SHARED * width):
            return False
    if factory:
        return band[0] - 1e-9 <= factory <= band[1] + 1e-9
    return True if low is not None and high is not None else None
