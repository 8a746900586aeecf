"""A week's log of a demo job: its simulated week as a logger would have written it, with something wrong put into each."""

from __future__ import annotations

import datetime as dt
import random

from ..core.devices.library import Library
from ..core.documents.job import Job
from ..core.flow.results import simulate

BEGIN = dt.datetime(2026, 6, 1)
DAYS = 7
WRONG: dict[str, dict[str, float]] = {
    "Skerry Field Station": {"gain": 1.06, "clock_min": 12},
    "Larch Hollow Workshop": {"sun_k": 14.0},
    "Heron Weir Mill": {"clock_min": -9},
    "Fenwick Lock Cottage": {"zero_a": 1.4},
    "Ostrand Brewery": {"gain": 0.94},
    "Tarn Dairy": {"sun_k": 12.0},
}
"""What is wrong in each week: a second current's gain and zero [A], a sensor in the sun [K], the logger's clock that is fast [min]."""


def week_of(job: Job, library: Library) -> bytes:
    """Return a week's log of a job as CSV, a row a minute; the same bytes each time."""
    made = simulate(job, library, DAYS, 60, record=True)
    series = made.series
    assert series is not None
    wrong = WRONG.get(job.name, {})
    draw = random.Random(job.name)  # noqa: S311 drawn noise, no secret
    c = series.columns
    rows = [
        "Time,Battery voltage (V),Battery current (A),Charge (%),Battery temperature (°C),PV (W),Loads (W),Grid (W),On mains,Shunt current (A)"
    ]
    for i in range(len(series.minute)):
        at = BEGIN + dt.timedelta(minutes=i + wrong.get("clock_min", 0.0))
        volts, amps = c["volts"][i], c["amps"][i]
        warm = wrong.get("sun_k", 0.0) * max(0.0, 1 - abs(i % 1440 - 15 * 60) / 90)  # the sun comes round to the sensor at three
        amps_read = amps + draw.gauss(0, 0.1)
        shunt = amps * wrong.get("gain", 1.0) + wrong.get("zero_a", 0.0) + draw.gauss(0, 0.1)
        grid = c["mains_load_w"][i] + c["mains_bank_w"][i] + c["mains_other_w"][i]
        rows.append(
            f"{at:%Y-%m-%d %H:%M:%S},{volts + draw.gauss(0, 0.01):.2f},{amps_read:.1f},{c['soc'][i] * 100:.0f},{c['temp_c'][i] + warm + draw.gauss(0, 0.1):.1f},"
            f"{c['sun_w'][i]:.0f},{c['load_w'][i]:.0f},{grid:.0f},{c['on_mains'][i]:.0f},{shunt:.1f}"
        )
    return ("\n".join(rows) + "\n").encode()
