"""Errors of figures worked out from readings, beside a simulation of many readings.

Source of the method: JCGM 100:2008 (Guide to the expression of uncertainty in measurement), from memory: an accuracy is the
half-width of a uniform distribution, standard uncertainties add in squares, the coverage factor is 2. The simulation knows
nothing of that: it draws meters and readings and looks at how far the figures scatter.
"""

import numpy as np
import pytest

from ewerer.core.documents.event import Meter
from ewerer.core.record.figures import Noted, ac_draw, gain, resistance

DRAWS = 400_000
VOLTS, CLAMP = Meter(name="V", pct=0.5, digits=3, step=0.01), Meter(name="A", pct=2.0, digits=5, step=0.1)


def seen(rng, meter, true, gain_error=None):
    """Return readings of a true value: a gain that is the meter's own for all its readings, last digits that differ each time."""
    own = rng.uniform(-meter.pct / 100, meter.pct / 100, DRAWS) if gain_error is None else gain_error
    return true * (1 + own) + rng.uniform(-meter.digits * meter.step, meter.digits * meter.step, DRAWS)


@pytest.mark.parametrize(("v1", "v2", "i1", "i2"), [(53.2, 52.4, 3.0, 120.0), (26.4, 25.1, 0.0, 60.0), (421.5, 418.0, 5.0, 30.0)])
def test_resistance(v1, v2, i1, i2):
    rng = np.random.default_rng(7)
    v_own, i_own = rng.uniform(-VOLTS.pct / 100, VOLTS.pct / 100, DRAWS), rng.uniform(-CLAMP.pct / 100, CLAMP.pct / 100, DRAWS)
    dv = seen(rng, VOLTS, v1, v_own) - seen(rng, VOLTS, v2, v_own)
    di = seen(rng, CLAMP, i2, i_own) - seen(rng, CLAMP, i1, i_own)
    scatter = 1000 * dv / di
    made = resistance(Noted({"v1": v1, "v2": v2, "i1": i1, "i2": i2}, meters={"v1": VOLTS, "i1": CLAMP}))
    assert made.figures[0].value == pytest.approx(np.median(scatter), rel=0.01)
    assert made.figures[0].error / 2 == pytest.approx(scatter.std(), rel=0.03)


def test_gain():
    rng = np.random.default_rng(8)
    shown = Meter(name="display", pct=0, digits=1, step=0.1)
    ref, disp = seen(rng, CLAMP, 100.0), seen(rng, shown, 83.0)
    entry = 500 * ref / disp
    made = gain(
        Noted(
            {"reference": 100.0, "shown": 83.0},
            meters={"reference": CLAMP, "shown": shown},
            given={"rated_a": 500, "entry": 500, "entry_step": 1},
        )
    )
    figures = {f.name: f for f in made.figures}
    assert figures["entry"].error / 2 == pytest.approx(entry.std(), rel=0.03)
    off = 100 * (disp - ref) / ref
    assert figures["error_pct"].error / 2 == pytest.approx(off.std(), rel=0.03)


def test_draw_from_ac():
    rng = np.random.default_rng(9)
    watts = seen(rng, CLAMP, 60.0) * seen(rng, VOLTS, 54.0) / 0.93 + 800
    made = ac_draw(
        Noted(
            {"amps": 60.0, "volts": 54.0, "loads": 800.0, "input": 4280.0},
            meters={"amps": CLAMP, "volts": VOLTS},
            given={"efficiency": 0.93},
        )
    )
    assert made.figures[0].error / 2 == pytest.approx(watts.std(), rel=0.03)
    assert made.figures[0].value == pytest.approx(watts.mean(), rel=0.001)
