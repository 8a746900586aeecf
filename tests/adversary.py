"""Random jobs on random unit profiles from a seed, and the rules of a sheet restated from the handbook of the trade.

A profile drawn here is valid and no more: ranges that begin too high or end too low, coarse and odd steps, volts per
2-V cell, percent of a rating, two settings of one quantity, rounding on the wrong side, conditions, interlocks, host-only
settings, factory values of another trade. The restated rules read nothing but the job, the profile and the sheets.
"""

import json
import re
from random import Random
from typing import Any

from ewerer.core.documents.results.plan import Plan
from tests.seeded import seeded_job

TOP = {"lfp": 3.65}
WIDE = {
    "absorb_v": (3.2, 3.8),
    "float_v": (3.1, 3.7),
    "recharge_v": (2.9, 3.5),
    "return_bank_v": (2.9, 3.6),
    "restart_v": (2.7, 3.5),
    "to_mains_v": (2.6, 3.4),
    "gen_start_v": (2.6, 3.4),
    "gen_stop_v": (3.0, 3.6),
    "alarm_v": (2.5, 3.3),
    "shutdown_v": (2.4, 3.2),
    "unit_off_v": (2.3, 3.0),
    "equalise_v": (3.2, 3.8),
}
"""Usual ranges of a voltage on a display [V a cell]."""
LEVELS = (
    "alarm_soc",
    "shutdown_soc",
    "restart_soc",
    "to_mains_soc",
    "return_bank_soc",
    "gen_start_soc",
    "gen_stop_soc",
    "recharge_soc",
)
AMPS = ("charge_max_a", "mains_charge_max_a", "discharge_max_a", "ac_input_max_a")
CHOICES: dict[str, dict[str, str]] = {
    "source_order": {"sun-bank-mains": "Own", "sun-mains": "Spare", "mains-first": "Net"},
    "charge_order": {"sun-only": "Roof", "sun-first": "Roof then net", "sun-and-mains": "Both", "mains-first": "Net"},
    "battery_type": {"user": "Free", "protocol": "Wire", "lead-agm": "Mat"},
    "control": {"volts": "V", "soc": "Pct"},
    "role": {"host": "First", "follower": "Other", "single": "Alone"},
}
SWITCHES = ("equalise_on", "float_on")
PAIRS = (
    ("absorb", "float"),
    ("absorb", "recharge"),
    ("absorb", "restart"),
    ("absorb", "shutdown"),
    ("float", "recharge"),
    ("float", "gen_start"),
    ("float", "to_mains"),
    ("recharge", "return_bank"),
    ("recharge", "to_mains"),
    ("return_bank", "to_mains"),
    ("gen_stop", "gen_start"),
    ("to_mains", "shutdown"),
    ("gen_start", "shutdown"),
    ("restart", "shutdown"),
    ("alarm", "shutdown"),
    ("shutdown", "unit_off"),
)
"""Which threshold never stands below which: absorption > float > re-charge > return > transfer >= alarm > shut-down > off."""


def _volts(dice: Random, quantity: str, cells: int, per_cell: bool, class_v: int) -> dict[str, Any]:
    low, high = (dice.gauss(v, 0.08) * cells for v in WIDE[quantity])
    if dice.random() < 0.08:
        low, high = low + 0.3 * cells, high + 0.3 * cells
    step = dice.choice([0.01, 0.05, 0.1, 0.1, 0.1, 0.2, 0.5, 1.0])
    if per_cell:
        low, high, step = low / (class_v / 2), high / (class_v / 2), dice.choice([0.01, 0.02, 0.05])
    low = round(low, 2)
    high = max(round(high, 2), round(low + step, 2))
    return {"min": low, "max": high, "step": step, "unit": "V"} | ({"encoding": {"kind": "per-2v-cell"}} if per_cell else {})


def _level(dice: Random) -> dict[str, Any]:
    low = dice.choice([0, 0, 5, 10, 20, 40])
    return {
        "min": low,
        "max": dice.choice([low + 5, 60, 90, 100]) if low < 60 else 100,
        "step": dice.choice([1, 1, 5, 10]),
        "unit": "%",
    } | {"encoding": {"kind": "plain", "scale": 100}}


def _amps(dice: Random) -> dict[str, Any]:
    if dice.random() < 0.25:
        return {
            "min": dice.choice([0, 1, 10]),
            "max": 100,
            "step": dice.choice([1, 5, 10]),
            "unit": "%",
            "encoding": {"kind": "percent-of-rated", "rated": dice.choice([60, 95, 120, 160])},
        }
    low = dice.choice([0, 0, 1, 2, 5, 10, 30])
    return {"min": low, "max": low + dice.choice([20, 60, 100, 200]), "step": dice.choice([0.1, 0.5, 1, 1, 5, 10]), "unit": "A"}


def random_profile(seed: int, cells: int = 16, class_v: int = 48, volts: float = 230, hz: int = 50) -> dict[str, Any]:
    """Return a valid profile of a unit that nobody makes."""
    dice = Random(f"profile {seed}")
    per_cell = dice.random() < 0.15
    quantities = [q for q in WIDE if dice.random() < 0.75]
    if dice.random() < 0.4:
        quantities += [q for q in LEVELS if dice.random() < 0.8]
    quantities += [q for q in AMPS if dice.random() < 0.7] + [q for q in CHOICES if dice.random() < 0.5]
    quantities += [q for q in SWITCHES if dice.random() < 0.4]
    quantities += [q for q in ("temp_stop_c", "temp_warn_c", "low_temp_stop_c") if dice.random() < 0.3]
    quantities += [q for q in list(quantities) if dice.random() < 0.04]
    dice.shuffle(quantities)
    settings: list[dict[str, Any]] = []
    for i, q in enumerate(quantities):
        s: dict[str, Any] = {"id": f"s{i}", "menu": [f"Page {i % 4}"], "label": f"Line {i}", "quantity": q}
        if q in WIDE:
            s |= _volts(dice, q, cells, per_cell, class_v)
        elif q in LEVELS:
            s |= _level(dice)
        elif q in AMPS:
            s |= _amps(dice)
        elif q in CHOICES:
            offered = {k: v for k, v in CHOICES[q].items() if dice.random() < 0.85} or dict(list(CHOICES[q].items())[:1])
            s |= {"encoding": {"kind": "choice", "choices": offered}, "factory": dice.choice(list(offered.values()))}
        elif q in SWITCHES:
            s |= {"encoding": {"kind": "on-off", "choices": {"yes": "On", "no": "Off"}}, "factory": dice.choice(["On", "Off"])}
        else:
            low = dice.choice([-30, 0, 20])
            s |= {"min": low, "max": low + dice.choice([30, 60]), "step": dice.choice([1, 5]), "unit": "°C"}
        if "min" in s:
            places = 2 if s["step"] < 0.1 or q in WIDE else 1
            count = int((s["max"] - s["min"]) / s["step"])
            s["factory"] = f"{s['min'] + dice.randint(0, count) * s['step']:.{places}f}"
            s["safe"] = dice.choice(["down", "up", "nearest"])
        s["scope"] = "own" if q == "role" else dice.choice(["same-on-all", "same-on-all", "same-on-all", "host"])
        s["needs"] = dice.choice(["any", "any", "standby", "off"])
        s["takes_effect"] = dice.choice(["at-once", "at-once", "restart"])
        settings.append(s)
    choices = [s for s in settings if "choices" in s.get("encoding", {})]
    for s in settings:
        if choices and s not in choices and dice.random() < 0.1:
            other = dice.choice(choices)
            word = dice.choice(list(other["encoding"]["choices"].values()))
            s["works_only_if"] = f"{other['id']} {dice.choice(['=', '!='])} '{word}'"
    first = {s["quantity"]: s for s in reversed(settings)}
    interlocks = []
    for a, b in PAIRS:
        for kind in ("v", "soc"):
            high, low = first.get(f"{a}_{kind}"), first.get(f"{b}_{kind}")
            if high and low and dice.random() < 0.12:
                gap = (
                    dice.choice([0, 1, 5])
                    if kind == "soc"
                    else dice.choice([0, 0.02])
                    if per_cell
                    else dice.choice([0, 0.1, 0.5, 1])
                )
                interlocks.append({"rule": f"{high['id']} - {low['id']} >= {gap}"})
    if not settings:
        settings.append({"id": "s0", "menu": ["Page"], "label": "Line 0", "min": 0, "max": 1, "step": 1, "factory": "0"})
    amps = dice.choice([40, 60, 100, 150])
    return {
        "ewerer": "inverter/1",
        "id": "drawn",
        "name": f"Drawn {seed}",
        "maker": "Nobody",
        "ratings": {
            "continuous_w": dice.choice([2000, 5000, 8000]),
            "surge_w": 16000,
            "charge_max_a": amps,
            "ac_charge_max_a": dice.choice([amps // 2, amps]),
            "battery_v_min": round(dice.choice([2.3, 2.4, 2.5]) * cells, 1),
            "battery_v_max": round(dice.choice([3.7, 3.8, 4.0]) * cells, 1),
            "class_v": class_v,
            "charger_efficiency": dice.choice([0.88, 0.92, 0.95]),
        },
        "ac_volts": [volts],
        "ac_hz": [hz],
        "topologies": ["single", "split", "three"],
        "max_parallel": 9,
        "settings": settings,
        "interlocks": interlocks,
    }


def random_job(seed: int) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return a job whose units are all of a drawn profile, and that profile; sometimes with own entries."""
    dice = Random(f"job {seed}")
    job = seeded_job(dice.randrange(10**6))
    ac = job["site"]["ac"]
    cells = 8 if ac["volts"] == 120 else 15 if dice.random() < 0.2 else 16
    for m in job["bank"]["modules"]:
        if "series_cells" in m or cells == 15:
            m.pop("profile", None)
            m |= {
                "capacity_ah": m.get("capacity_ah", 100),
                "charge_a": m.get("charge_a", 50),
                "discharge_a": m.get("discharge_a", 100),
            }
            m["series_cells"] = cells
            if "resting_v" in m:
                m["resting_v"] = round(cells * 3.283, 2)
    profile = random_profile(seed, cells, 24 if cells == 8 else 48, ac["volts"], ac["hz"])
    for unit in job["units"]:
        unit["profile"] = "drawn"
    job.pop("as_found", None)
    job["windows"] = []
    # What stops a plan whatever the profile is left out of most: the profile is what is tried here.
    if dice.random() < 0.9:
        job["policy"]["loop"] = "open"
        job["site"].pop("bank_ambient_c", None)
        job.get("sun", {}).pop("chargers", None)
        job["loads"] = {"continuous_w": dice.choice([0, 300, 1500]), "peak_w": 2000, "daily_wh": 9000}
    if dice.random() < 0.2:
        amps = [s for s in profile["settings"] if s.get("quantity") in AMPS]
        s = dice.choice(amps if amps and dice.random() < 0.5 else profile["settings"])
        if "min" in s:
            text = f"{s['min'] + dice.randint(0, int((s['max'] - s['min']) / s['step'])) * s['step']:.2f}"
            job["extra_entries"] = {dice.choice(job["units"])["id"]: {s["id"]: text}}
    return json.loads(json.dumps(job)), json.loads(json.dumps(profile))


def canonical(setting: dict[str, Any], text: str, class_v: int) -> float | None:
    """Return what a display stands for in V, A, 0..1 or °C; None for words."""
    encoding = setting.get("encoding", {"kind": "plain"})
    if encoding["kind"] in ("choice", "on-off"):
        return None
    shown = float(text)
    if encoding["kind"] == "per-2v-cell":
        return shown * class_v / 2
    if encoding["kind"] == "percent-of-rated":
        return shown * encoding["rated"] / 100
    return shown / encoding.get("scale", 1)


def broken(job: dict[str, Any], profile: dict[str, Any], plan: Plan) -> list[str]:
    """Return the rules that the sheets of a plan break, in words; read from job, profile and sheets alone."""
    out: list[str] = []
    settings = {s["id"]: s for s in profile["settings"]}
    class_v, ratings = profile["ratings"]["class_v"], profile["ratings"]
    bank = plan.bank
    if bank is None:
        return out
    n = bank.series_cells
    policy = job["policy"]
    top = n * bank.cell_max_v - policy.get("overshoot_v", 0.3 / 16 * n) - n * policy.get("imbalance_v", 0.03)
    cutoff = n * bank.cell_min_v
    own = job.get("extra_entries", {})
    rows: dict[str, list[tuple[dict[str, Any], str, float]]] = {}
    for sheet in plan.units:
        rows[sheet.id] = []
        for r in sheet.settings:
            s = settings[r.setting]
            value = canonical(s, r.entry, class_v)
            if value is None:
                if r.entry not in s["encoding"]["choices"].values():
                    out.append(f"{sheet.id} {s['quantity']}: {r.entry} is no choice")
                continue
            if value != value or abs(value) == float("inf"):
                out.append(f"{sheet.id} {s['quantity']}: {r.entry} is no number")
            rows[sheet.id].append((s, r.entry, value))
            shown = float(r.entry)
            steps = (shown - s["min"]) / s["step"]
            if not (s["min"] - 1e-6 <= shown <= s["max"] + 1e-6) or (
                abs(steps - round(steps)) > 1e-3 and r.setting not in own.get(sheet.id, {})
            ):
                out.append(f"{sheet.id} {s['quantity']}: {r.entry} is not on the display")
    for id, mine in rows.items():
        have: dict[str, list[float]] = {}
        for s, _, value in mine:
            have.setdefault(s["quantity"], []).append(value)
        for q in ("absorb_v", "float_v", "equalise_v"):
            out += [f"{id} {q} {v} above {top}" for v in have.get(q, []) if v > top + 1e-6]
        out += [
            f"{id} shutdown {v} under cut-off {cutoff} + margin"
            for v in have.get("shutdown_v", [])
            if v < cutoff + 0.0625 * n - 1e-6
        ]
        out += [f"{id} unit off {v} under cut-off {cutoff}" for v in have.get("unit_off_v", []) if v < cutoff - 1e-6]
        for kind in ("v", "soc"):
            for a, b in PAIRS:
                for high in have.get(f"{a}_{kind}", []):
                    out += [f"{id} {a}_{kind} {high} below {b} {low}" for low in have.get(f"{b}_{kind}", []) if high < low - 1e-6]
        for high in have.get("alarm_v", []):
            out += [f"{id} alarm {high} too close to {low}" for low in have.get("shutdown_v", []) if high - low < 0.03 * n - 1e-6]
        shown_rows = {s["id"]: float(text) for s, text, _ in mine}
        for lock in profile["interlocks"]:
            a, _, b, _, gap = lock["rule"].split()
            if a in shown_rows and b in shown_rows and shown_rows[a] - shown_rows[b] < float(gap) - 1e-6:
                out.append(f"{id} interlock {lock['rule']}: {shown_rows[a]}, {shown_rows[b]}")
        if (
            have.get("temp_stop_c")
            and have.get("temp_warn_c")
            and min(have["temp_stop_c"]) <= max(have["temp_warn_c"]) - 1e-6
            and not own
        ):
            pass
    host = next((u["id"] for u in job["units"] if u["role"] == "host"), job["units"][0]["id"])

    def amps(id: str, quantity: str) -> float | None:
        mine = [v for s, _, v in rows[id] if s["quantity"] == quantity]
        led = [v for s, _, v in rows[host] if s["quantity"] == quantity and s["scope"] == "host"]
        return max(mine or led) if mine or led else None

    ids = [u["id"] for u in job["units"]]
    branches = [(m.resistance_mohm + m.lead_mohm) for m in bank.modules]
    for quantity, key, chain in (
        ("charge_max_a", "charge_a", plan.limits.charge),
        ("discharge_max_a", "discharge_a", plan.limits.discharge),
    ):
        drops = [getattr(m, key) * r for m, r in zip(bank.modules, branches, strict=True)]
        limit = min(drops) * sum(1 / r for r in branches)
        if "fuse_a" in job["bank"]:
            limit = min(limit, job["bank"]["fuse_a"] / 1.25)
        rate = policy.get("max_c_rate" if key == "charge_a" else "max_discharge_c_rate")
        if rate:
            limit = min(limit, rate * bank.capacity_ah)
        total = sum(amps(i, quantity) or 0.0 for i in ids)
        if total > limit + 1e-3:
            out.append(f"{quantity} {total} above the bank's {limit}")
        if chain.bank_a > limit + 1e-3:
            out.append(f"{quantity}: the plan's limit {chain.bank_a} above {limit}")
    feeds = {"mains", "generator"} & set(job["site"]["sources"])
    roof_only = any(r.quantity == "charge_order" and r.value == "sun-only" for u in plan.units for r in u.settings)
    if feeds and not roof_only:
        loads = job.get("loads", {}).get("continuous_w", len(ids) * ratings["continuous_w"] / 2)
        legs = {"single": 1, "split": 2, "three": 3}[job["site"]["ac"]["topology"]]
        volts = max([v for i in ids for s, _, v in rows[i] if s["quantity"] in ("absorb_v", "float_v")], default=0.0)
        drawn = limited = 0.0
        for i in ids:
            caps = [ratings["ac_charge_max_a"], amps(i, "charge_max_a"), amps(i, "mains_charge_max_a")]
            drawn += min(c for c in caps if c is not None) * volts / ratings["charger_efficiency"]
            limited += amps(i, "ac_input_max_a") is not None
        if limited < len(ids):
            for name in feeds:
                if name == "mains":
                    gives = 0.8 * job["mains"]["breaker_a"] * job["site"]["ac"]["volts"] * legs
                else:
                    gives = job["generator"]["continuous_w"]
                if drawn > 1 and drawn + loads > gives + 1:
                    out.append(f"{name} gives {gives} W, chargers draw {drawn} W, loads {loads} W")
    for s in profile["settings"]:
        if s["scope"] == "same-on-all" and s["quantity"] in (*WIDE, *LEVELS):
            seen = {text for i in ids for x, text, _ in rows[i] if x["id"] == s["id"]}
            if len(seen) > 1 and not any(s["id"] in e for e in own.values()):
                out.append(f"{s['quantity']} differs between units: {sorted(seen)}")
    return out


# The order of entry


def tangled_profile(seed: int, **system: Any) -> dict[str, Any]:
    """Return a drawn profile with more of what makes an order hard: settings outside the plan, side effects, conditions, interlocks."""
    profile = random_profile(seed, **system)
    dice = Random(f"tangle {seed}")
    settings = profile["settings"]
    for i in range(dice.randint(0, 4)):
        s: dict[str, Any] = {"id": f"x{i}", "menu": ["Back room"], "label": f"Extra {i}", "needs": dice.choice(["any", "standby"])}
        if dice.random() < 0.6:
            words = [f"W{k}" for k in range(dice.randint(2, 4))]
            s |= {"encoding": {"kind": "choice", "choices": {w.lower(): w for w in words}}, "factory": dice.choice(words)}
        else:
            s |= {"min": 0, "max": dice.choice([3, 20, 90]), "step": 1, "factory": "1"}
        settings.append(s)
    extras = [s for s in settings if s["id"].startswith("x")]
    for s in settings:
        if extras and s not in extras and dice.random() < 0.15:
            other = dice.choice(extras)
            if "min" in other:
                s["works_only_if"] = f"{other['id']} {dice.choice(['=', '!=', '>=', '<=', '>', '<'])} {dice.randint(0, 3)}"
            else:
                s["works_only_if"] = (
                    f"{other['id']} {dice.choice(['=', '!='])} {dice.choice(list(other['encoding']['choices'].values()))}"
                )
        if dice.random() < 0.12:
            reset = [x for x in dice.sample(settings, min(2, len(settings))) if x is not s and x.get("factory") is not None]
            if reset:
                s["side_effects"] = [{"sets": {x["id"]: x["factory"] for x in reset}}]
    first = {s["quantity"]: s for s in reversed(settings) if s.get("quantity")}
    for a, b in PAIRS:
        high, low = first.get(f"{a}_v"), first.get(f"{b}_v")
        if high and low and dice.random() < 0.15:
            profile["interlocks"].append({"rule": f"{high['id']} - {low['id']} >= {dice.choice([0, 0.1, 0.3])}"})
    return json.loads(json.dumps(profile))


def random_found(seed: int, profile: dict[str, Any]) -> dict[str, str]:
    """Return what a unit was found to show: anything that its settings can show and its interlocks bear, in part noted."""
    dice = Random(f"found {seed}")
    shown: dict[str, str] = {}
    for s in profile["settings"]:
        if dice.random() < 0.3:
            continue
        if "choices" in s.get("encoding", {}):
            shown[s["id"]] = dice.choice(list(s["encoding"]["choices"].values()))
        else:
            value = s["min"] + dice.randint(0, int((s["max"] - s["min"]) / s["step"])) * s["step"]
            places = max(len(f"{x:.6f}".rstrip("0").partition(".")[2]) for x in (s["step"], s["min"]))
            timed = s.get("encoding", {}).get("kind") == "hhmm"
            shown[s["id"]] = f"{int(value) // 60:02d}:{int(value) % 60:02d}" if timed else f"{value:.{places}f}"
    return shown


def figure_of(text: str) -> float:
    """Return the number a display shows, a time in minutes."""
    hours, colon, minutes = text.partition(":")
    return int(hours) * 60 + int(minutes) if colon else float(text)


class Box:
    """A unit restated: refuses what its state, conditions and interlocks forbid, applies what an entry resets."""

    def __init__(self, profile: dict[str, Any], found: dict[str, str], mode: str) -> None:
        self.settings = {s["id"]: s for s in profile["settings"]}
        self.locks = [lock["rule"].split() for lock in profile["interlocks"]]
        self.shown = {id: s["factory"] for id, s in self.settings.items() if s.get("factory") is not None} | found
        self.mode = {"on": 0, "standby": 1, "off": 2}[mode]

    def holds(self, condition: str) -> bool:
        """Return whether a condition holds: every comparison becomes True or False, and, or, not and brackets are Python's."""
        truths = re.sub(
            r"([\w.-]+)\s*(!=|<=|>=|=|<|>)\s*('[^']*'|[^\s()]+)",
            lambda m: str(self._compares(m.group(1), m.group(2), m.group(3).strip("'"))),
            condition,
        )
        assert not re.sub(r"True|False|and|or|not|[()\s]", "", truths), condition
        return bool(eval(truths))

    def _compares(self, name: str, sign: str, value: str) -> bool:
        have = self.shown.get(name)
        if have is None:
            return False
        try:
            a, b = float(have), float(value)
        except ValueError:
            return (have == value) if sign == "=" else (have != value)
        return {"=": a == b, "!=": a != b, "<": a < b, "<=": a <= b, ">": a > b, ">=": a >= b}[sign]

    def refuses(self, id: str, text: str) -> str:
        """Return why an entry is refused, empty where it is taken; the unit changes."""
        s = self.settings[id]
        if self.mode < {"any": 0, "standby": 1, "off": 2}[s.get("needs", "any")]:
            return "state"
        if "works_only_if" in s and not self.holds(s["works_only_if"]):
            return "condition"
        if "choices" in s.get("encoding", {}):
            if text not in s["encoding"]["choices"].values():
                return "choice"
        elif not s["min"] - 1e-9 <= figure_of(text) <= s["max"] + 1e-9:
            return "range"
        if self.shown.get(id) == text:
            return ""
        after = self.shown | {id: text}
        touched = {id}
        for effect in s.get("side_effects", []):
            after |= effect["sets"]
            touched |= set(effect["sets"])
        for a, _, b, _, gap in self.locks:
            if {a, b} & touched and a in after and b in after and float(after[a]) - float(after[b]) < float(gap) - 1e-9:
                return f"{a} - {b} >= {gap}"
        self.shown = after
        return ""


def chained_profile(many: int = 80, chain: int = 20) -> tuple[dict[str, Any], dict[str, str], dict[str, str]]:
    """Return a profile of many settings, what it shows and what it is to show: figures held to both sides, conditions in chains.

    Half of the settings stand in chains where each is kept within 2 of the one before it and all are to move by 10; the
    rest in chains where each works only while the one before it is on, and a last one that all of them gate.
    """
    settings: list[dict[str, Any]] = []
    interlocks: list[dict[str, str]] = []
    found: dict[str, str] = {}
    target: dict[str, str] = {}
    half = many // 2
    for i in range(half):
        settings.append({"id": f"n{i}", "menu": [f"P{i // 10}"], "label": f"N {i}", "min": 0, "max": 100, "step": 1})
        found[f"n{i}"], target[f"n{i}"] = "40", "50"
        if i % chain:
            interlocks += [{"rule": f"n{i} - n{i - 1} >= -2"}, {"rule": f"n{i - 1} - n{i} >= -2"}][: 2 if i < 31 else 0]
    words = {"encoding": {"kind": "on-off", "choices": {"yes": "On", "no": "Off"}}}
    for i in range(many - half):
        s = {"id": f"c{i}", "menu": [f"Q{i // 10}"], "label": f"C {i}"} | words
        if i % chain:
            s["works_only_if"] = f"c{i - 1} = On"
        settings.append(s)
        found[f"c{i}"] = "Off"
        # Only the last of a chain is to be on; those before it are switched on for it and off again.
        target[f"c{i}"] = "On" if i % chain == chain - 1 else "Off"
    base = random_profile(1)
    return base | {"id": "chained", "settings": settings, "interlocks": interlocks}, found, target
