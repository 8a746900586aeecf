"""Every margin, factor and assumption of the trade once: value, unit, source, status.

Status: S published standard, T common trade practice without a source, M written from memory. What depends on the
chemistry stands in :mod:`.chemistries`; what a device says of itself in its profile.
"""

from __future__ import annotations

from typing import Literal

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

# Loads where nobody gives them
USUAL_DAY = (3, 2.5, 2.3, 2.2, 2.2, 2.6, 3.8, 5, 5.2, 4.6, 4.2, 4.2, 4.6, 4.3, 4, 4, 4.3, 5.4, 6.6, 7, 6.6, 5.6, 4.4, 3.4)
"""Weights of the 24 hours of a dwelling's day: quiet at night, a morning and a higher evening peak [T]."""

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
GAP_V = 0.01
"""Least gap of one cell between thresholds that only have to differ [V] [T]."""
SOC_STEP = 0.01
"""Step of a charge level where no unit gives one [T]."""
SHUTDOWN_SOC_FLOOR = 0.05
"""A shut-down by charge lies no lower: what a count may drift [T]."""
ALARM_SOC_GAP = 0.03
"""The alarm, or the transfer where there is no alarm, lies at least this above the shut-down [T]."""
RETURN_SOC_GAP = 0.10
"""The way back lies at least this above the transfer, the generator's stop above its start [T]."""
RESTART_SOC_GAP = 0.05
"""A restart lies at least this above the shut-down [T]."""
SOC_TOP = 0.98
"""A way back by charge lies no higher, so that it can be reached [T]."""
ALARM_SOC_OVER = 0.05
"""An alarm is wished this far above the shut-down [T]."""
RESTART_SOC_OVER = 0.05
"""A restart is wished this far above the reserve [T]."""
RETURN_SOC, RETURN_SOC_OVER = 0.5, 0.10
"""The way back to the bank is wished half charged, or this far above the reserve where that is more [T]."""
RECHARGE_SOC, RECHARGE_SOC_AT_LOAD = 0.9, 0.7
"""Charging begins again when a tenth is used; in volts, where the load reads as at this charge [T]."""
LOW_END_OF_RESERVE = (0.5, 0.8)
"""The shut-down lies no higher than this part of the reserve: up to the usual low end, and above it [T]."""
VAGUE_PROTECTED, VAGUE_ELSEWHERE = 0.08, 0.12
"""Widest band of charge that a voltage may stand for where the bank is protected, and elsewhere [T]."""
NORMAL_USE_OVER_RESERVE = 0.15
"""Normal use begins this far above the reserve, where nobody looks at charge [T]."""
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

MOST_SHUTDOWN_DELAY_S = 30.0
"""A shut-down may wait so long at most [T]."""
LEAST_SHUTDOWN_DELAY_S = 2.0
"""A shut-down waits so long at least: motors start [T]."""
TAIL_RANGE = (0.02, 0.05)
"""Tail currents that are usual, as parts of the capacity per hour [T]."""
HOLD_H_PER_100AH = (0.2, 0.5)
"""Hours of hold by size, shortest and longest [h/100 Ah] [T]."""
SHORT_HOLD_RANGE_MIN = (6.0, 15.0)
"""A short hold [min] [T]."""
CHARGE_TIME_FACTOR = 1.25
"""The safety timer over the longest normal charge [T]."""
TIMER_SPARE_H = 0.05
"""Added before the safety timer is rounded to a tenth of an hour [h]."""
MOST_EQUALISE_MIN = 240.0
"""Longest equalising under watch [min] [T]."""
EQUALISE_DAYS_RANGE = (7.0, 180.0)
"""Days between equalising charges [T]."""

# How hard the bank is worked
GENTLE_RATE, USUAL_RATE = 0.2, 0.5
"""Charge rates as parts of the capacity per hour: gentle, and the most that is usual [T]."""

# Lead-acid while it is charged: Copetti, Lorenzo and Chenlo 1993, from memory
LEAD_EMF_V, LEAD_EMF_PER_SOC_V = 2.0, 0.16
"""What a cell that is charged stands at without current: empty, and more when full [V] [M]."""
LEAD_OHM_RATE, LEAD_OHM_POWER, LEAD_OHM_FULL, LEAD_OHM_FULL_POWER, LEAD_OHM_REST = 6.0, 0.86, 0.48, 1.2, 0.036
"""Resistance of a cell that is charged, over its capacity at ten hours [ohm Ah] [M]."""
LEAD_OHM_PER_K = 0.025
"""Part of that resistance that a kelvin above 25 °C takes away [M]."""
LEAD_STORED_RATE, LEAD_STORED_LEAST = 20.73, 0.55
"""How the part of the current that is stored falls near full [M]."""
LEAD_NEARLY = 0.003
"""The charge that is missing counts as so much at least, where the model would divide by nothing [T]."""
LEAD_WARM_K = 25.0
"""Warmer or colder than 25 °C by more than this counts as this [K] [T]."""
LEAD_TRICKLE = 0.01
"""Below this part of the capacity per hour a cell stands between its rest and its charging volts [T]."""
TEN_HOURS = 10.0
"""Hours of the capacity that the charge model is normalised to [h] [S]."""

# Modules side by side
WORN = 0.8
"""A module that holds less than this of its rated charge is worn; many warranties end there [T]."""
AGE_APART_YEARS, HEALTH_APART = 2.0, 0.10
"""Modules older or weaker than each other by more than this age the new ones [T]."""
RESTING_SLACK_V = (0.1, 0.05)
"""A cell at rest reads at most so far below its least and above its highest volts [V] [T]."""
USUAL_RESTING_OVER_NOMINAL_V = 0.1
"""A cell usually rests so far above its nominal volts [V]; it tells how many cells there are [T]."""
SHARE_LOST = (0.005, 0.10)
"""Part of the bank's limit lost by unequal branches: a note begins, a caution begins [T]."""
CAPACITY_ROUNDING_AH = 0.05
"""Capacities that differ by less are the same [Ah] [T]."""

# Leads and fuses
FUSES = (30, 35, 40, 45, 50, 60, 70, 80, 90, 100, 110, 125, 150, 175, 200, 225, 250, 300, 350, 400, 450, 500, 600, 700, 800)
"""Standard ratings of fuses [A]. NEC 240.6(A), from memory [S, M]."""
INRUSH_A = 100.0
"""First current into discharged inputs that contacts and capacitors bear without pre-charge [M]."""
MOST_DROP, USUAL_DROP = 0.03, 0.02
"""Drop over the main leads at the design load as part of the volts: the most, and where a note begins [T]."""

# Engines
DERATE_FROM_M, DERATE_PER_100M = 300.0, 0.01
"""Height from which an engine loses power [m], and the part per 100 m [T]."""
DERATE_FROM_C, DERATE_PER_10K = 25.0, 0.02
"""Heat from which an engine loses power [°C], and the part per 10 K [T]."""
LEAST_DERATE = 0.3
"""Whatever height and heat take, so much is left [T]."""

# AC windows
WIDE_AC = (0.75, 0.83, 1.125, 1.17)
"""Low off, low on, high on, high off of a wide AC window as parts of the nominal volts: engines, weak grids [T]."""
LAWFUL_AC = (0.9, 1.1)
"""What a public supply may be, as parts of the nominal volts. EN 50160 [S, M]."""
LAWFUL_AC_120 = (110 / 120, 127 / 120)
"""The same on 105 to 135 V. ANSI C84.1, range B service [S, M]."""
BESIDE_LAWFUL_AC = 0.01
"""A narrow window comes back so far outside what the supply may be, so that a lawful grid never ends it [T]."""
AROUND_120_V = (105.0, 135.0)
"""Nominal volts to which the narrow window of 120 V belongs [V]."""
AC_BACK = 0.02
"""The way back lies so far inside a narrow window, as part of the nominal volts [T]."""
RAMP_MIN = 5.0
"""Each step of loading an engine is held so long [min] [T]."""
RAMP = (0.25, 0.5, 0.75, 1.0)
"""Steps by which an engine is loaded, as parts of the safe charge [T]."""

PLAUSIBLE_PART = 0.3
"""Where there is too little current for a correction, display and clamp still agree this well [T]."""
CALIBRATED = 0.2
"""A current sensor's rating that was found so near to its plate's was measured in, and stays [T]."""

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

# Wires between devices
TERMINATOR_OHM = 120.0
"""One terminator of a bus pair [ohm]. ISO 11898-2, TIA-485 [S, M]."""
SILENCE_S = 30.0
"""A unit notices the loss of its link after so long, where its profile says nothing [s] [T]."""

# The simulation, where nothing says
SYSTEM_FACTOR = 0.86
"""Part of the plate's power that reaches the charger: heat, dirt, wiring [T]."""
HEAT_J_PER_K_AH_CELL = 20.0
"""Heat capacity of a cell with its part of the case, per ampere-hour: about 20 g/Ah at 1 J/g K [J/K Ah] [M]."""
LEAK_W_PER_K_KWH = 1.2
"""Heat that leaves a bank in its room, per kilowatt-hour [W/K kWh] [M]."""
USUAL_LATITUDE_DEG = 40.0
"""Latitude where none is given [°] [T]."""
ENOUGH_FULL_DAYS = 0.8
"""Part of the days on which a charge current should still reach full [T]."""

# On site
CAPACITORS_S = 300.0
"""Wait for capacitors where the label of the unit says nothing; the label counts [s] [T]."""
STRING_WAIT_S = 20.0
"""Wait between one sun string and the next [s] [T]."""
BOOT_S = 60.0
"""Wait until a charger on the bank has booted [s] [T]."""
DEAD_V = 1.0
"""Volts between dead busbars that still count as dead [V] [T]."""
CLAMP_ZERO_A = 1.0
"""What a clamp meter shows where nothing flows [A] [T]."""
OHM_TOLERANCE = 0.05
"""Tolerance of terminators, of their parallel too [T]."""
OHM_ZONES: dict[str, tuple[float, float]] = {"one": (0.85, 1.15), "three": (0.85, 1.1), "ends": (0.5, 3.0)}
"""Where the ohms tell how many terminators are in: parts of what one and three make; shorted below, open above the ends, as parts of two's and one's ohms [T]."""
LEAST_CELL_V = 1.5
"""A cell that can be joined never rests below this; a lower reading is the meter's or the typing's [V] [T]."""
BANK_SHOWN = (0.85, 1.2)
"""Anywhere between these parts of its nominal volts a bank may stand [T]."""
JOIN_AMPS_FACTOR, JOIN_AMPS_MORE_A = 2.0, 2.0
"""A module joins with at most so many times, or so many amps above, what was worked out [T]."""

# Proof
COVERAGE = 2.0
"""Coverage factor of an error that is told. JCGM 100:2008 [S, M]."""
LIGHT_A, LOADED_PART = 0.3, 0.03
"""A current sensor agrees within this on light load and this part under load [A, 1] [T]."""
LEAST_PART = 0.10
"""Below this part of its rated amps a sensor's gain cannot be told [T]."""
USUAL_SHUNT_A, LEAST_SHUNT_A = 500.0, 50.0
"""Rated amps of a sensor where nothing says, and the smallest [A] [T]."""
OWN_DRAW_A = 0.3
"""What a unit draws from the bank with all off, where its profile says nothing [A] [T]."""
ZERO_A = 0.1
"""A sensor with all off shows its own draw within this [A] [T]."""
LOOSE_FACTOR = 1.5
"""A way that measures over this times what nameplates and leads make has a loose lug [T]."""
NEAR_ABSORPTION = (0.05, 0.001)
"""Volts, and part of the set volts, within which absorption counts as reached [V, 1] [T]."""
FLOAT_OFF_V = 0.1
"""Float is met within this at 55 V, in proportion above [V] [T]."""
FLOAT_OFF_AT_V = 55.0
SHORT_HOLD_PART = 0.9
"""A hold shorter than this part of the minutes set is told [T]."""
CAP_A, CAP_PART = 1.0, 0.05
"""A cap is met within the larger of this and this part of it [A, 1] [T]."""
VOLTS_PART = 0.10
"""AC volts from the bank lie within this part of the nominal ones [T]."""
HERTZ_PART, RAMP_HERTZ_PART = 0.01, 0.02
"""Hertz from the bank, and of an engine under load, lie within these parts [T]."""
DRAW_PART = 0.05
"""Draw from AC agrees with what charging and loads take within this part [T]."""
TRANSFORMER_PART = 0.15
"""A known load shows on its phase within this part [T]."""
MODE_W, MODE_PART = 100.0, 0.05
"""Flows agree within the larger of this and this part [W, 1] [T]."""
IDLE_EXPORT_W = 40.0
"""A unit that exports nothing stays within this of zero at the grid [W] [T]."""
SHARE = 0.10
"""Units share within this part of their mean [T]."""
METER_V = 0.3
"""Two voltmeters of a 48-V bank that agree, in proportion at other volts [V] [T]."""
METER_AT_V = 48.0
SAME_SOC_PCT, SAME_TEMP_K, SAME_ASKED_V = 1.0, 1.0, 0.05
"""Both ends of a link agree within these: charge and health [%], temperature [K], volts asked for [V] [T]."""
THERMOMETERS_K = 3.0
"""Two thermometers agree at rest within this [K] [T]."""
COOLS_K, COOLS_MIN = 2.0, 5.0
"""A bank cools no faster than this in so many minutes [K, min] [T]."""
TIMED_S = 5.0
"""A timed request ends when its time is over, within this [s] [T]."""
TRANSFER_MS = 20.0
"""Longest gap that a unit promises when the mains fail, its own figure counts [ms] [T]."""
CAPACITY_APART = 0.05
"""A unit may count with a capacity that differs by this part [T]."""
COLD_C = 5.0
"""A cold day, for what happens on one [°C] [T]."""
AC_OVER_W, AC_OVER_A = 0.5, 0.01
"""Draws that exceed a budget by less are rounding [W, A] [T]."""
ZONE_V = (0.12, 0.06)
"""How far the ladder's picture goes below and above the cells' limits [V of one cell]."""
PLATE_RANGE = (0.8, 1.35)
"""Parts of the nominal volts between which a plate without a menu takes volts [T]."""
NORMAL_CELLS = {12: 4, 24: 8, 48: 16}
"""Cells in series that a nominal class usually has, lithium iron phosphate [T]."""
NEXT_CHARGER_A, NEXT_CHARGER_BANK_V, CHARGER_OVER_NOMINAL = 60.0, 51.2, 1.25
"""What a form begins a sun charger with: amps, the bank's nominal volts where there is none yet, and its limit over them [A, V, 1] [T]."""
NEXT_MODULE = {"series_cells": 16, "capacity_ah": 100.0, "charge_a": 50.0, "discharge_a": 100.0}
"""What a form begins a first module with [T]."""

# Devices without a menu of their own, and pictures
AC_VOLTS = (100.0, 110.0, 115.0, 120.0, 220.0, 230.0, 240.0)
"""Nominal AC volts of the world [V]. IEC 60038, from memory [S, M]."""
AC_HZ: tuple[Literal[50, 60], ...] = (50, 60)
"""Nominal frequencies [Hz]. IEC 60038, from memory [S, M]."""
PLATE_MOST = 10_000.0
"""A plain display counts to so much."""
PLATE_TEMPERATURES_C = (-40.0, 90.0)
"""Temperatures that a plain display takes [°C]."""
SOC_MARKS = (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.7, 0.8, 0.9, 0.98, 1.0)
"""Levels of charge that the ladder's picture marks [1]."""
EFFICIENCY_RANGE = {"lithium": (0.9, 1.0), "lead": (0.7, 1.0)}
"""Ampere-hours out over ampere-hours in that a unit may be told [T]."""

# The trial of the sheets
SLIGHTLY = 1.1
"""Chargers that together exceed the bank by no more than this are a caution: they rarely give all at once [T]."""
SUN_ABOVE_RATING = 1.2
"""Sun above what the units turn into AC, as it is asked about [T]."""
