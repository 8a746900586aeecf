"""Sun against pvlib, prices of AC windows against published standards."""

import datetime as dt

import numpy as np
import pandas as pd
import pvlib
import pytest

from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.scenario import SYSTEM_FACTOR, build, sun_power_w
from ewerer.core.stages.sources.solve import ac_window
from tests.jobs import SKERRY, changed, job_of


def reference_plane(latitude, longitude, tilt, azimuth, times, altitude=0.0):
    """Return light on a plane [W/m2] the way pvlib's own documentation builds it up: position, clear sky, transposition."""
    location = pvlib.location.Location(latitude, longitude, altitude=altitude)
    position = location.get_solarposition(times)
    sky = location.get_clearsky(times)
    plane = pvlib.irradiance.get_total_irradiance(
        tilt, azimuth, position["apparent_zenith"], position["azimuth"], sky["dni"], sky["ghi"], sky["dhi"]
    )
    return plane["poa_global"].fillna(0).to_numpy()


@pytest.mark.parametrize("date", ["2025-03-20", "2025-06-21", "2025-12-21"])
def test_clear_sky_power_equals_pvlib(date):
    """Rule sun-clear-sky."""
    times = pd.date_range(date, periods=96, freq="15min", tz="UTC")
    ours = sun_power_w(job_of(changed(SKERRY, site__time_zone="UTC")), dt.date.fromisoformat(date), 1, 900)
    plane = reference_plane(38.6, -28.1, 30, 180, times)
    assert ours == pytest.approx(6200 * plane / 1000 * SYSTEM_FACTOR, rel=0.02, abs=5)


def test_a_clear_day_of_the_scenario_integrates_to_the_same_energy():
    s = build(job_of(changed(SKERRY, flow={"start": "2025-06-21", "cloudiness": 0})), shipped_library(), 1)
    times = pd.date_range("2025-06-20 23:00", periods=1440, freq="1min", tz="UTC")  # Lisbon's clock in summer is UTC + 1
    plane = reference_plane(38.6, -28.1, 30, 180, times)
    assert s.sun.sum() / 60 == pytest.approx((6200 * plane / 1000 * SYSTEM_FACTOR).sum() / 60, rel=0.01)


def test_facts_of_the_sky():
    north = sun_power_w(
        job_of(changed(SKERRY, site__time_zone="UTC", site__latitude=50.0, site__longitude=0.0)), dt.date(2025, 6, 21), 1, 900
    )
    assert north[:10].max() == 0 and np.argmax(north) in range(44, 54)  # dark at night, highest near noon: common knowledge
    south = sun_power_w(
        job_of(changed(SKERRY, site__time_zone="UTC", site__latitude=-35.0, site__longitude=0.0)), dt.date(2025, 6, 21), 1, 900
    )
    assert south.sum() < north.sum()  # June is winter south of the equator


def test_ac_windows():  # [S] EN 50160: 230 V +/- 10 %; [S, memory] ANSI C84.1 range B service: 110 to 127 V on 120 V
    grid = ac_window(230, False)
    assert grid.low_off_v < grid.low_on_v < 207 and 253 < grid.high_on_v < grid.high_off_v
    american = ac_window(120, False)
    assert american.low_off_v < american.low_on_v < 110 and 127 < american.high_on_v < american.high_off_v
