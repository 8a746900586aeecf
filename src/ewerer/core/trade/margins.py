"""Every margin, factor and assumption of the trade once: value, unit, source, status.

Status: S published standard, T common trade practice without a source, M written from memory. What depends on the
chemistry stands in :mod:`.chemistries`; what a device says of itself in its profile.
"""

from __future__ import annotations

# Breakers, fuses and AC feeds
CONTINUOUS = 0.8
"""Part of a breaker that may be drawn for hours. NEC 210.20(A), inverse of 125 % [S, M]."""
FUSE_FACTOR = 1.25
"""A fuse's rating over the current it carries for hours. NEC 210.20(A), 215.3 [S, M]."""
LEGS = {"single": 1, "split": 2, "three": 3}
"""Live conductors of a topology."""
PHASES = {"single": ("L1",), "split": ("L1", "L2"), "three": ("L1", "L2", "L3")}
"""Phases that units of a topology stand on, in order."""
MIN_GENERATOR_LOAD = 0.3
"""Least load of an engine as part of its rating, against wet stacking [T]."""

# Efficiencies where no profile gives them
CHARGER_EFFICIENCY = 0.92
"""From AC to the bank [T]."""
INVERTER_EFFICIENCY = 0.93
"""From the bank to AC [T]."""
SUN_EFFICIENCY = 0.97
"""From the array to the bank through a sun charger [T]."""

# Resistances where nothing is measured
ASSUMED_CELL_MOHM_AH = 60.0
"""Cell resistance times capacity [mohm Ah]: 0.6 mohm for a 100-Ah cell [M]."""
ASSUMED_BMS_MOHM = 5.0
"""Switches, shunt and bars of one module's BMS [mohm] [M]."""
ASSUMED_LEAD_MOHM = 0.5
"""One module's pair of leads [mohm] [M]."""
ASSUMED_MAIN_LEAD_MOHM = 0.5
"""The bank's main leads, there and back [mohm] [M]."""

# The ladder
METER_ERROR_PER_CELL_V = 0.1 / 16
"""Error of a unit's voltmeter: 0.1 V at 48 V, unless measured [T]."""
SAG_UNCERTAINTY = 0.3
"""Part of the computed sag that may be wrong: resistance drifts with temperature and age [T]."""
LOW_END_SOC = {"deep": 0.0, "usual": 0.10, "careful": 0.20}
"""Charge at the design load where the output shuts down, by school [T]."""
RESERVE_SOC = 0.20
"""Charge at which another source takes over, where none is chosen [T]."""
LEAST_HOURS = 2.0
"""Least time that the bank carries the load between coming back from another source and going to it again [T]."""
NIGHT_H = 12.0
"""A night without sun, for what happens in one [T]."""
DEFAULT_STEP_V = 0.1
"""Step of a voltage where no unit gives one [T]."""

# Times and ends of charging
TAIL_FRACTION = 0.03
"""Tail current as part of the capacity per hour: 0.02 to 0.05 C [T]."""
SHORT_HOLD_MIN = 10.0
"""Short hold, enough to balance: 6 to 15 min [T]."""
FULL_CHARGE_DAYS = 7.0
"""A full charge at least this often, for balance and for the meter of charge [T]."""
MOST_FULL_CHARGE_DAYS = 30.0
"""Longest time without a full charge [T]."""
SHUTDOWN_DELAY_S = 5.0
"""Longer than a motor start, shorter than harm [T]."""
GENERATOR_STOP_SOC = 0.85
"""80 to 90 %: above it charging slows and burns fuel [T]."""
WARN_BELOW_STOP_C = 5.0
"""A temperature warning comes this far before the stop [T]."""
USUAL_AMBIENT_C = 20.0
"""Temperature at the bank where none is given [T]."""
REFERENCE_C = 25.0
"""Temperature that compensation is counted from [T]."""
COMPENSATION_RANGE = (-3.0, -5.0)
"""Volts of one lead-acid cell follow the temperature by so much [mV/°C] [T]."""

# What only some units ask for
CHARGE_EFFICIENCY = 0.99
"""Ampere-hours out over ampere-hours in, lithium [T]."""
COOL_DOWN_MIN = 3.0
"""An engine runs so long without load before it stops [T]."""
EXERCISE_DAYS, EXERCISE_MIN = 30.0, 30.0
"""An engine that stands runs half an hour a month [T]."""
START_TRIES = 3.0
"""Attempts to start before somebody is called [T]."""
FAN_BELOW_WARN_C = 5.0
"""A fan starts this far below the warning [T]."""
RESUME_BELOW_WARN_C = 3.0
"""Charging begins again this far below the warning [M]."""
OUTAGE_SOC, OUTAGE_RETURN_SOC = 0.1, 0.15
"""Charge kept through an outage, and how far above it the output comes back [T]."""
