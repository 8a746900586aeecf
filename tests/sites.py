"""Random sites for simulations."""

import datetime as dt

from tests.jobs import FENWICK, HERON, LARCH, OSTRAND, SKERRY, TARN, data


def site(r):
    """Return a random job: a demo's devices with other modes, sources, windows, loads, sun, outages and engine."""
    job = data(r.choice([SKERRY, LARCH, TARN, HERON, OSTRAND, FENWICK]))
    for unit in job["units"]:
        if unit["role"] == "host" and r.random() < 0.2:
            unit["array_w"] = r.choice([0, 3000, 9000])
    for _ in range(1, len(job["units"])):
        if r.random() < 0.2:
            job["units"].pop()
    sources = [s for s in ("sun", "mains", "generator") if r.random() < 0.75] or ["sun"]
    job["site"]["sources"] = sources
    if r.random() < 0.3:
        job["site"]["dc_loads_a"] = r.choice([0, 5, 20])
    job.setdefault("mains", {"breaker_a": r.choice([6, 16, 32, 63])})
    job["mains"]["breaker_a"] = r.choice([6, 16, 32, 63])
    job["generator"] = {"continuous_w": r.choice([2000, 6000, 12000]), "start": r.choice(["manual", "auto"])}
    if r.random() < 0.4:
        job["generator"] |= {"quiet_from": "21:00", "quiet_to": "07:00"}
    policy = job["policy"]
    policy["mode"] = r.choice(["off-grid", "feed-in", "essential-only", "zero-export", "peak-shaving"])
    policy["source_order"] = r.choice(["sun-bank-mains", "sun-mains", "mains-first"])
    policy["charge_order"] = r.choice(["sun-only", "sun-first", "sun-and-mains", "mains-first"])
    policy["priority"] = r.choice(["loads-first", "bank-first"])
    policy["sell_surplus"] = r.random() < 0.4
    policy["control"] = r.choice(["auto", "volts", "soc"])
    policy["float_school"] = r.choice(["same", "rest", "none"])
    for name, choices in (
        ("export_limit_w", (None, 500, 4000)),
        ("peak_cap_w", (None, 1500, 6000)),
        ("outage_reserve_soc", (None, 0.3)),
    ):
        value = r.choice(choices)
        policy.pop(name, None)
        if value is not None:
            policy[name] = value
    job["windows"] = []
    for _ in range(r.randint(0, 4)):
        one = {
            "from": f"{r.randint(0, 23):02d}:{r.choice([0, 15, 30]):02d}",
            "to": f"{r.randint(0, 23):02d}:45",
            "action": r.choice(["charge", "hold", "use", "export"]),
        }
        if one["action"] != "hold":
            one["target_soc"] = r.choice([0.3, 0.5, 0.8, 1.0])
            if r.random() < 0.6:
                one["power_w"] = r.choice([500, 2000, 9000])
        job["windows"].append(one)
    job["loads"] |= {
        "daily_wh": r.choice([2000, 15000, 90000]),
        "other_daily_wh": r.choice([0, 10000, 60000]),
        "shape": [r.randint(0, 9) for _ in range(23)] + [1],
    }
    if r.random() < 0.3:
        job.setdefault("sun", {})["on_output"] = [
            {"id": "R1", "inverter_w": r.choice([2000, 9000]), "array_w": r.choice([1000, 8000])}
        ]
    day = dt.date(2025, 1, 1) + dt.timedelta(days=r.randint(0, 364))
    job["flow"] = {
        "start": day.isoformat(),
        "start_soc": r.choice([0.0, 0.08, 0.2, 0.5, 0.95, 1.0]),
        "cloudiness": r.random(),
        "seed": r.randint(0, 999),
    }
    if r.random() < 0.5:
        job["flow"]["outages"] = [
            {"date": day.isoformat(), "from": f"{r.randint(0, 12):02d}:00", "to": f"{r.randint(13, 23):02d}:30"}
        ]
    if r.random() < 0.3:
        job["flow"]["sun"] = {"step_min": 15, "values_w": [r.choice([0, r.uniform(0, 20000)]) for _ in range(96)]}
    job["tariff"] = {"base": 0.3, "export": 0.1, "prices": [{"from": "17:00", "to": "20:00", "price": 0.5}]}
    return job  # fmt: skip
