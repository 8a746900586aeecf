"""Words on a display that nobody has explained: every plan is made all the same, and says what it does not know."""

import json
import random

import pytest

from ewerer.core.behaviour.trial import told
from ewerer.core.devices.library import DEMO, SHIPPED, Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.manual import Decided, read_table, take
from ewerer.core.plan import plan
from ewerer.core.stages.pipeline import solve
from ewerer.core.tasks import plan_tried
from tests.jobs import data
from tests.manuals import draw, drawn_habit, table
from tests.sizes import size

NAMES = sorted(p.stem for p in DEMO.glob("*.json"))
PROFILES = {p.stem: json.loads(p.read_text()) for p in SHIPPED.glob("*.json")}


def unexplained(profile, chance, part):
    """A profile as a paste makes it: words with names of their own instead of meanings, here and there."""
    out = json.loads(json.dumps(profile))
    for s in out.get("settings", []):
        choices = s.get("encoding", {}).get("choices")
        if s["encoding"]["kind"] == "choice" and not s["encoding"].get("by") and chance.random() < part if choices else False:
            s["encoding"]["choices"] = {f"w{i}": word for i, word in enumerate(choices.values())}
    return parse_profile(json.dumps(out))


@pytest.mark.parametrize("seed", range(size(8, 600)))
def test_any_job_with_unexplained_words_has_a_plan(seed):
    chance = random.Random(seed)
    part = chance.choice((1.0, 0.5, 0.2))
    library = Library([*shipped_library(), *(unexplained(p, chance, part) for p in PROFILES.values())])
    name, document = chance.choice([(n, data(n)) for n in NAMES])
    job = parse_job(json.dumps(document), library)
    made = plan(job, library)
    assert made.findings is not None, name
    assert told(solve(job, library)).rows is not None


def test_what_is_not_known_is_said():
    profile = PROFILES["orrowan-t8"]
    library = Library([*shipped_library(), unexplained(profile, random.Random(1), 1.0)])
    job = parse_job(json.dumps(data()), library)
    said = told(solve(job, library)).unknown
    assert any("source order" in text for text in said) and any("charge order" in text for text in said)
    assert not told(solve(parse_job(json.dumps(data())), shipped_library())).unknown


@pytest.mark.parametrize(
    "name", sorted(n for n, p in PROFILES.items() if p["ewerer"].startswith(("inverter", "sun")) and p.get("settings"))
)
def test_an_ordinary_plan_is_entered_on_every_device_with_a_menu(name):
    order = json.loads(plan_tried(json.dumps(PROFILES[name])))
    assert order["writes"] > 5 and order["blocked"] is None
    assert [s["no"] for s in order["steps"]] == list(range(1, len(order["steps"]) + 1))


PLATE = {
    "ewerer": "inverter/1", "id": "made", "name": "Made", "maker": "own", "ac_volts": [230], "ac_hz": [50], "topologies": ["single"],
    "ratings": {"continuous_w": 5000, "surge_w": 10000, "charge_max_a": 140, "ac_charge_max_a": 80},
}  # fmt: skip


@pytest.mark.parametrize("seed", range(size(6, 400)))
def test_any_pasted_manual_makes_a_device_that_plans(seed):
    """From a table in any habit to the order of entry of an ordinary plan, every row as it was read, nothing explained by hand."""
    chance = random.Random(seed)
    class_v = chance.choice((12, 24, 48))
    habit = drawn_habit(chance)
    entries = draw(chance, habit.language, chance.randrange(25, 50), class_v)
    read = read_table(table(entries, habit, chance), float(class_v))
    rows = [Decided(**{**r.model_dump(), "step": r.step or read.steps.get(r.unit) or 1.0, "rated": 100.0}) for r in read.rows]
    made = take(rows, class_v=float(class_v))
    ratings = PLATE["ratings"] | {"class_v": class_v, "battery_v_min": 0.8 * class_v, "battery_v_max": 1.4 * class_v}
    order = json.loads(plan_tried(json.dumps({**PLATE, "ratings": ratings, "settings": made.settings})))
    assert order["steps"] is not None
    meant = {s["quantity"] for s in made.settings if "quantity" in s}
    assert {s["quantity"] for s in order["steps"] if s["quantity"]} <= meant
