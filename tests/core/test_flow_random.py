"""A thousand random sites, and the hybrid decision beside the table written down a second time as data."""

import random

import numpy as np
import pytest

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.scenario import build
from ewerer.core.trade.errors import DocumentError
from tests.jobs import job_of
from tests.sites import site
from tests.sizes import size

LIBRARY = shipped_library()
AT = {name: i for i, name in enumerate(K.SERIES)}


# The decision beside the grid, restated: who takes the sun in which order, who may be given to by the bank.


TAKERS = {
    # mode, bank first: order of the sun's takers; "sell" stands for other loads and grid where surplus may be sold
    (K.FEED_IN, False): ["load", "bank", "other", "grid"],
    (K.FEED_IN, True): ["bank", "load", "other", "grid"],
    (K.ESSENTIAL, False): ["load", "bank", "sell other", "sell grid"],
    (K.ESSENTIAL, True): ["bank", "load", "sell other", "sell grid"],
    (K.ZERO_EXPORT, False): ["load", "other", "bank", "sell grid"],
    (K.ZERO_EXPORT, True): ["bank", "load", "other", "sell grid"],
    (K.PEAK, False): ["load", "other", "bank", "sell grid"],
}


def restated(c):
    """Return bank, grid (bought less sold) and curtailed watts of one step without losses, by the table."""
    window = c["action"] != K.AUTO
    charging = c["action"] in (K.CHARGE, K.FLAGGED) and not c["done"]
    drawing = c["action"] in (K.USE, K.EXPORT) or (c["action"] == K.FLAGGED and c["done"])
    may_give = not c["below"] and not c["rests"] and (drawing or (not window and c["mode"] != K.FEED_IN))
    selling = c["mode"] == K.FEED_IN and may_give
    acts = c["below"] or charging or c["action"] == K.HOLD or (c["mode"] == K.FEED_IN and not drawing)
    first = c["bank_first"] and c["mode"] != K.PEAK and acts
    takers = ["load", "other", "grid", "bank"] if selling else list(TAKERS[c["mode"], first])
    if selling and first:
        takers.insert(0, takers.pop())  # never: a bank that gives is not charged first
    wants = {"load": c["load"], "other": c["other"], "grid": c["export"], "bank": c["can_charge"]}
    sun, room, got = c["sun"], c["rating"], dict.fromkeys(wants, 0.0)
    for taker in takers:
        name = taker.removeprefix("sell ")
        if taker != name and not c["sell"]:
            continue
        most = min(sun, wants[name] - got[name], room if name != "bank" else np.inf)
        got[name] += most
        sun -= most
        room -= most if name != "bank" else 0.0
    need, beside = c["load"] - got["load"], c["other"] - got["other"]
    gives = 0.0
    if may_give:
        asked = need + (beside if c["mode"] != K.ESSENTIAL else 0.0)
        if c["mode"] == K.PEAK:
            asked = max(0.0, min(asked, need + beside - c["cap_w"]))
        if selling and c["power"] >= 0:
            asked += c["export"] - got["grid"]
        gives = min(asked, c["power"] if c["power"] >= 0 else np.inf, c["can_discharge"], room)
    bought = need + beside - gives
    charged = 0.0
    if charging and c["order"] != K.SUN_ONLY:
        free = c["mains"] - max(bought, 0.0)
        if c["mode"] == K.PEAK:
            free = min(free, c["cap_w"] - max(bought, 0.0))
        most = min(c["power"] if c["power"] >= 0 else np.inf, c["mains_charge"], c["can_charge"] - got["bank"], free)
        charged = max(0.0, most)
    return got["bank"] + charged - gives, bought + charged - got["grid"], sun


def random_step(r):
    watts = lambda: r.choice([0.0, r.uniform(0, 16000), float(r.randint(0, 8) * 1000)])  # noqa: E731
    action = r.choice([K.AUTO, K.CHARGE, K.HOLD, K.USE, K.EXPORT, K.FLAGGED])
    done = r.random() < 0.5
    return {
        "mode": r.choice([K.FEED_IN, K.ESSENTIAL, K.ZERO_EXPORT, K.PEAK]), "order": r.choice([0, 1, 2, 3]), "bank_first": r.random() < 0.5,
        "sell": r.random() < 0.4, "sun": watts(), "load": watts(), "other": watts(), "mains": watts(), "action": action,
        "power": r.choice([-1.0, watts()]), "below": action != K.FLAGGED and r.random() < 0.4, "done": done and action in (K.CHARGE, K.FLAGGED),
        "rests": r.random() < 0.1, "can_charge": watts(), "can_discharge": watts(), "rating": watts() + 100.0, "mains_charge": watts(),
        "export": r.choice([0.0, 1e9, watts()]), "cap_w": watts(),
    }  # fmt: skip


def test_the_decision_beside_the_grid_is_the_table_restated():
    r = random.Random(11)
    for _ in range(20_000):
        c = random_step(r)
        g = K.decide_grid(
            c["mode"], c["order"], int(c["bank_first"]), c["sell"], c["sun"], c["load"], c["other"], c["mains"], c["action"], c["power"], c["below"],
            c["done"], c["rests"], c["can_charge"], c["can_discharge"], c["rating"], c["mains_charge"], 1.0, 1.0, 1.0, c["export"], c["cap_w"],
        )  # fmt: skip
        bank = g[3] + g[10] - g[5] - g[6] - g[7]
        grid = g[8] + g[9] + g[10] - g[2] - g[7]
        assert (bank, grid, g[4]) == pytest.approx(restated(c), abs=1e-6), c
        assert min(g[:12]) >= -1e-9, c


# Whole sites


def hold(s, series):
    """Assert what must be so in every step of a run."""
    c = {name: series[:, i] for name, i in AT.items()}
    par, n, tiny = s.par, len(series), 1e-5
    eta, eta_c, grid = par.eta, par.eta_charge, s.grid[:n] == 1
    assert all(c[name].min() >= -tiny for name in K.SERIES if name.endswith("_w"))
    # AC and DC balance
    sun = (c["sun_load_w"] + c["sun_other_w"] + c["sun_grid_w"]) / eta + c["sun_bank_w"] + c["curtailed_w"]
    assert np.allclose(sun, s.sun[:n] * par.eta_sun, atol=tiny)
    assert np.allclose(
        c["sun_load_w"] + c["bank_load_w"] + c["mains_load_w"] + c["output_load_w"] + c["unserved_w"], s.load[:n], atol=tiny
    )
    output = c["output_load_w"] + c["output_other_w"] + c["output_grid_w"] + c["output_bank_w"] / eta_c
    assert np.allclose(c["output_sun_w"], s.output_sun[:n], atol=tiny) and (output <= s.output_sun[:n] + tiny).all()
    assert (c["output_bank_w"] <= par.output_charge_w + tiny).all()
    beside = c["sun_other_w"] + c["bank_other_w"] + c["mains_other_w"] + c["output_other_w"]
    assert np.allclose(beside[grid], s.other[:n][grid], atol=tiny) and (beside[~grid] == 0).all()
    # The bank: what flows is what moves its charge, nothing comes from nowhere
    before = np.concatenate([[par.start_soc], c["soc"][:-1]])
    emf = par.cells * np.interp(before, np.linspace(0, 1, len(s.ocv)), s.ocv)
    power = (emf + c["amps"] * par.r_ohm) * c["amps"]
    gives = (c["bank_load_w"] + c["bank_other_w"] + c["bank_grid_w"]) / eta
    own = c["sun_bank_w"] + c["mains_bank_w"] + c["output_bank_w"] - gives - power
    volts = emf + np.concatenate([[0.0], c["amps"][:-1]]) * par.r_ohm
    use = par.idle_w + par.dc_load_a * volts
    if s.parts == 1:
        assert ((np.abs(own - use) < 1e-3 * np.maximum(1, use)) | (np.abs(own) < 1e-3)).all()
        assert np.allclose(np.clip(before + c["amps"] / 60 / par.capacity_ah, 0, 1), c["soc"], atol=1e-9)
    assert (c["soc"] >= 0).all() and (c["soc"] <= 1).all()
    assert (c["amps"] <= par.charge_a + tiny).all()
    # Rating, breaker, caps
    rated = (s.units.count * s.units.inverter_w).sum()
    from_units = sum(c[f"{who}_{what}_w"] for who in ("sun", "bank") for what in ("load", "other", "grid"))
    assert (from_units <= rated + tiny).all()
    drawn = c["mains_load_w"] + c["mains_other_w"] + c["mains_bank_w"] / eta_c
    charging = c["mains_bank_w"] > tiny
    engine = (c["generator"] > 0) & ~grid
    assert (drawn[charging & grid] <= par.mains_w + tiny).all() and (drawn[charging & engine] <= par.gen_w + tiny).all()
    assert (drawn[~grid & ~engine] == 0).all(), "bought from nobody"
    sold = c["sun_grid_w"] + c["bank_grid_w"] + c["output_grid_w"]
    mode, sells = s.cho.mode, s.cho.mode == K.FEED_IN or s.cho.sell
    assert (sold <= par.export_w + tiny).all() and (sold[~grid] == 0).all() and (sells or (sold == 0).all())
    assert (c["bank_grid_w"] == 0).all() or mode == K.FEED_IN
    assert (c["bank_other_w"] == 0).all() or mode not in (K.ESSENTIAL, K.OFF_GRID_BANK, K.OFF_GRID_SUN, K.OFF_GRID_MAINS)
    if mode == K.PEAK:
        assert (drawn[charging & grid] <= par.peak_w + tiny).all()
    # Thresholds: nothing is taken from a bank that rests, nothing is served with the output off
    bank_gives = gives > tiny
    assert not (bank_gives & charging & (mode > K.OFF_GRID_MAINS)).any()
    if mode > K.OFF_GRID_MAINS and s.cho.by_soc:
        assert (before[bank_gives & grid] >= par.reserve - 1e-9).all()
        assert (c["soc"][bank_gives & grid] >= par.reserve - 1e-3).all()
    held = s.action[:n] == K.HOLD
    assert not (bank_gives & held & grid).any() or s.cho.assist
    assert not (bank_gives & (s.action[:n] == K.CHARGE) & grid).any() or s.cho.assist
    off = c["reason"] == K.OFF
    assert (c["sun_load_w"][off] == 0).all() and (c["bank_load_w"][off] == 0).all()


@pytest.mark.parametrize("block", range(size(1, 10)))
def test_a_hundred_random_sites(block):
    """Balance, limits and thresholds in every step; the compiled kernel beside the readable one on the first hours."""
    r = random.Random(block)
    ran = 0
    while ran < 100:
        job = site(r)
        try:
            s = build(job_of(job), LIBRARY, 1)
        except DocumentError:
            continue  # no ladder closes for what was drawn
        ran += 1
        series, _ = s.run(record=True)
        hold(s, series)
        cut = 240
        for name in ("sun", "output_sun", "load", "other", "action", "power", "target", "grid", "quiet", "price", "sell"):
            setattr(s, name, getattr(s, name)[-cut:].copy())
        s.begins = np.array([0, cut])
        fast, slow = s.run(record=True), s.run(record=True, plain=True)
        for a, b in zip(fast, slow, strict=True):
            assert np.abs(a - b).max() <= 1e-9 * max(1.0, np.abs(b).max())
