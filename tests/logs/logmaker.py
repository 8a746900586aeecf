"""Logs whose truth is known: a bank of its own simple physics, second by second, with what a seed says put into it."""

import datetime as dt
import random
from dataclasses import dataclass, field

import numpy as np
import polars as pl

CELL = np.array([[0, 3.0], [0.1, 3.2], [0.5, 3.29], [0.9, 3.335], [0.965, 3.38], [0.985, 3.43], [1.0, 3.52]])


@dataclass
class Truth:
    resistance_mohm: float
    absorb_v: float
    overshoot_v: float
    hold_s: float
    float_v: float
    gain: float
    zero_a: float
    holds: list = field(default_factory=list)  # (contact, end) seconds
    starts: int = 0
    transfers: int = 0
    generator_s: float = 0.0


BEGIN = dt.datetime(2025, 6, 2)


def made(seed, days=2, clean=False):
    """Return seconds, columns and truth of a log at one second; a clean one has a true sensor and no overshoot."""
    draw = random.Random(seed)
    capacity = draw.choice([280.0, 560.0, 840.0])
    r = draw.uniform(1.5, 6.0) * 280 / capacity * 2 / 1000
    truth = Truth(
        r * 1000,
        draw.choice([54.4, 55.2, 56.0]),
        draw.choice([0.0, 0.1, 0.15, 0.22, 0.3]),
        draw.choice([1200, 1800, 2700, 3600]),
        draw.choice([53.2, 53.6]),
        draw.uniform(0.9, 1.1),
        draw.uniform(-1.5, 1.5),
    )
    n = days * 86400
    if clean:
        truth.overshoot_v, truth.gain, truth.zero_a = 0.0, 1.0, 0.0
    top = 0.35 * capacity
    soc = 0.55
    load = 300.0
    volts, amps, load_w, grid, gen, mains = (np.zeros(n) for _ in range(6))
    socs = np.zeros(n)
    ocv_x, ocv_y = CELL[:, 0], CELL[:, 1] * 16
    mode, since, contact = "off", 0, 0
    begin_h = draw.uniform(8, 10)
    generator = draw.random() < 0.5
    transfer_left, back = 0, -1000
    evening = [int(draw.uniform(19, 23) * 3600) for _ in range(draw.randint(0, 3))]
    table = np.interp(np.linspace(0, 1.05, 10501), ocv_x, ocv_y).tolist()
    for i in range(n):
        day_s = i % 86400
        if draw.random() < 1 / 900:
            load = draw.choice([200, 350, 600, 1200, 2400, 3300])
        place = min(10499.0, max(0.0, soc * 10000))
        low = int(place)
        ocv = table[low] + (table[low + 1] - table[low]) * (place - low)
        if mode == "off" and begin_h * 3600 <= day_s < begin_h * 3600 + 5:
            mode, since = "bulk", i
        given = 0.0
        if mode == "bulk":
            a = top
            v = ocv + a * r
            if v >= truth.absorb_v:
                mode, contact = "absorb", i
        if mode == "absorb":
            a = min(top, (truth.absorb_v - ocv) / r)
            shot = truth.overshoot_v * (1 - abs(i - contact - 12) / 12 if i - contact < 24 else 0) if truth.overshoot_v else 0.0
            v = truth.absorb_v + max(0.0, shot)
            if i - contact >= truth.hold_s:
                truth.holds.append((contact, i))
                mode, since = "float", i
        if mode == "float":
            v = truth.float_v + (truth.absorb_v - truth.float_v) * np.exp(-(i - since) / 200)
            a = 0.0
            if i - since > 5400:
                mode = "off"
        if mode == "off":
            if day_s in evening and i - back > 300:
                transfer_left = draw.randint(600, 3000)
            if transfer_left:
                transfer_left -= 1
                back = i
                a = 0.0
            else:
                a = -(load * capacity / 840 / 0.93 + 60) / 52.5 if soc > 0.15 else -1.0
            v = ocv + a * r
        else:
            given = max(a, 0) * v / 0.92 + load
            transfer_left = 0
        soc += a / 3600 / capacity
        volts[i], amps[i], load_w[i], socs[i] = v, a, load, soc
        grid[i] = given if not generator else 0
        gen[i] = 1.0 if generator and mode != "off" else 0
        mains[i] = 1.0 if transfer_left else 0
    truth.generator_s = float(gen.sum())
    truth.starts = int((np.diff(gen) > 0).sum())
    truth.transfers = int((np.diff(mains) > 0).sum())
    columns = {
        "volts": volts,
        "amps": amps,
        "soc": socs,
        "load_w": load_w,
        "grid_w": grid,
        "generator": gen,
        "on_mains": mains,
        "shunt_a": truth.gain * amps + truth.zero_a,
    }
    return np.arange(n, dtype=float), columns, truth


def frame_of(t, columns):
    """Return a table of a log, its times on a clock."""
    at = (np.datetime64(BEGIN) + t.astype("int64").astype("timedelta64[s]")).astype("datetime64[us]")
    return pl.DataFrame({"time": at, **{k: np.round(x, 4) for k, x in columns.items()}})


def noisy(columns, seed, v=0.01, a=0.15):
    rng = np.random.default_rng(seed)
    out = {k: x.copy() for k, x in columns.items()}
    out["volts"] += rng.normal(0, v, len(out["volts"]))
    for k in ("amps", "shunt_a"):
        out[k] += rng.normal(0, a, len(out[k]))
    return out
