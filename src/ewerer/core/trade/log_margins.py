"""What a log is judged by: each figure once, with its source. T common practice, W worked out here."""

from __future__ import annotations

LOG_VOLTS_WITHIN = 0.002
"""What two voltmeters may differ by, as a part of the volts: 0.1 V at 48 V [T]."""
LOG_LIMIT_WITHIN = 0.03
"""What a current may be above its limit before it counts, as a part: the error of both sensors [T]."""
LOG_LIMIT_A = 0.5
"""The same in amps, for small limits [T]."""
SENSOR_RISE_C_H = 5.0
"""A bank's temperature cannot rise faster [K/h]: 100 kg at 1 kJ/kgK and the losses of 0.5 C make 1 to 2 K/h [W]."""
SENSOR_DEFAULT_C = 25.0
"""What devices show where no sensor is connected [degC] [T]."""
CELLS_APART_V = 0.05
"""Spread of cells at the end of a charge that asks for a longer hold: 20 to 50 mV is usual [V] [T]."""
GAIN_WITHIN = 0.03
"""What two current sensors may differ by, as a part [T]."""
MANY_TRANSFERS = 4.0
"""Transfers of a night beyond which thresholds lie too near [T]."""
WINDOW_WITHIN_MIN = 2.0
"""What the clocks of a unit and a logger may differ by [min] [T]."""
WINDOW_NEAR_MIN = 20.0
"""How far from a window's edge a start still belongs to it [min] [T]."""
AC_CHARGING_W = 300.0
"""More than this from AC while the bank is charged is charging from AC [W] [T]."""
GENERATOR_HZ_WITHIN = 0.05
"""What a generator's hertz may differ by under load, as a part [T]."""
FLOAT_WITHIN_V = 0.1
"""What the float voltage may differ by [V] [T]."""
PATH_WORSE = 1.5
"""Measured path resistance over the planned one that points to a loose or thin lead [T]."""
TAIL_WITHIN = 1.25
"""A hold that ended at so many times the planned tail ended by its tail [T]."""
SOC_WITHIN = 0.015
"""What charge is rounded to by displays [0..1] [T]."""
WORTH_V = 0.02
"""An overshoot worth a question to the plan [V] [T]."""
WORTH_PATH = 0.1
"""A path resistance worth a question: so much above the plan's, as a part [T]."""
WORTH_HOUR = 0.2
"""How far an hour's loads must be off, as a part of the mean hour, to be worth a question [T]."""
WORTH_DAY = 0.05
"""How far a day's loads must be off, as a part [T]."""
LOG_DAY = 0.95
"""Part of a day that a log must cover for its loads to be a day's [T]."""
ON_HZ, ON_V = 20.0, 40.0
"""Hertz and volts above which a generator runs [T]."""
FORCED_SOC = 0.9
"""Charge above which no healthy BMS asks for a forced charge [0..1] [T]."""
LEAST_GIVEN = 0.1
"""Part of the strongest discharge below which a bank rests [T]."""
