"""Practice: what is drawn can be solved, an unsafe act ends it, a careful trainee does well and a careless one does not."""

import json
import random
import re
import subprocess
import sys

import pytest

from ewerer.core.trade.errors import DocumentError
from ewerer.rig.faults import FAULTS
from ewerer.rig.plant import AMPS, VOLTS
from ewerer.rig.practice import LEVELS, METERS, Scenario, _replayed, draw, lesson, play, scenario_of, scripted, shortest_of
from ewerer.rig.ways import WAYS
from tests.sizes import size

SEEDS = range(size(2, 200))


def test_every_fault_has_three_ways():
    assert set(WAYS) == set(FAULTS)
    for name, ways in WAYS.items():
        assert len({ways.right, ways.unsafe, ways.useless}) == 3 and ways.why.endswith("."), name


@pytest.mark.parametrize("seed", SEEDS)
def test_a_careful_trainee_finds_all_of_it_and_a_careless_one_does_not_do_as_well(seed):
    level = seed % 5 + 1
    scenario = draw(seed, level)
    assert draw(seed, level) == scenario and len(scenario.faults) == LEVELS[level][0]
    assert scenario_of(json.loads(json.dumps(scenario.document()))) == scenario
    careful = scripted(scenario, careful=True)
    score = careful["try"].score()
    assert careful["over"] == "done" and score["safe"] and score["found"] == score["of"] and score["points"] >= 85
    assert score["shortest"]["tests"] == careful["tests"]
    careless = [scripted(scenario, False, random.Random(n))["try"].score() for n in range(6)]
    assert sum(c["points"] for c in careless) / len(careless) < score["points"], "a guess may be lucky, guessing is not"
    assert min(c["points"] for c in careless) < 60


@pytest.mark.parametrize("name", sorted(WAYS)[:: size(3, 1)])
def test_each_unsafe_way_ends_it_with_its_reason_and_no_points(name):
    """Named at once by who knows it; then the unsafe way is taken, on a site that can have this fault."""
    for job in ("skerry-field-station", "heron-weir-mill", "fenwick-lock-cottage", "larch-hollow-workshop"):
        try:
            scenario = scenario_of(Scenario(3, 1, job, (name,)).document())
        except DocumentError:
            continue
        named = [{"do": "name", "cause": FAULTS[name].cause}]
        told = play(scenario.document(), named)
        assert sorted(told["ways"]) == sorted([WAYS[name].right, WAYS[name].unsafe, WAYS[name].useless])
        assert told["debrief"] is None and told["score"] is None
        over = play(scenario.document(), [*named, {"do": "mend", "way": told["ways"].index(WAYS[name].unsafe)}])
        assert (
            over["over"] and over["score"]["points"] == 0 and not over["score"]["safe"] and over["score"]["why"] == WAYS[name].why
        )
        useless = play(scenario.document(), [*named, {"do": "mend", "way": told["ways"].index(WAYS[name].useless)}])
        assert not useless["over"] and useless["left"] == 1
        right = play(scenario.document(), [*named, {"do": "mend", "way": told["ways"].index(WAYS[name].right)}])
        assert right["over"] and right["score"]["points"] == 100 and right["debrief"][0]["word"] == FAULTS[name].word
        return
    pytest.fail(f"no demo site can have {name}")


def test_a_try_is_its_acts_and_nothing_else():
    first = play(lesson().document(), [])
    assert first["hidden"] == first["left"] == 1 and first["complaint"]["seen"] == "battery page all zeros"
    test = first["tests"][0]["id"]
    one, other = (play(lesson().document(), [{"do": "test", "test": test}, {"do": "hint"}]) for _ in range(2))
    assert one == other and one["hint"] and one["minutes"] == 6 and one["tests"] != first["tests"]
    assert shortest_of(lesson())["tests"] >= 1
    ended = play(lesson().document(), [{"do": "end"}])
    assert ended["score"]["points"] == 0 and ended["score"]["safe"] and ended["debrief"][0]["told_by"]


@pytest.mark.parametrize(
    "act",
    [
        {"do": "fly"},
        {"do": "test", "test": "no-such"},
        {"do": "name", "cause": "weather"},
        {"do": "mend", "way": 0},
        {"do": "measure", "meter": "nose"},
        {"do": "measure"},
        {"do": None},
        {},
    ],
)
def test_acts_that_cannot_be_are_refused_with_what_would_be_right(act):
    with pytest.raises(DocumentError) as refused:
        play(lesson().document(), [act])
    assert refused.value.problems[0].expected


@pytest.mark.parametrize(
    "wrong",
    [
        {"ewerer": "job/2"},
        {"seed": -1},
        {"seed": True},
        {"level": 9},
        {"job": "../x"},
        {"faults": []},
        {"faults": ["weather"]},
        {"faults": "cable-out"},
    ],
)
def test_scenarios_that_cannot_be_are_refused(wrong):
    with pytest.raises(DocumentError) as refused:
        play({**lesson().document(), **wrong}, [])
    assert refused.value.problems[0].expected


@pytest.mark.parametrize("seed", range(size(3, 40)))
def test_meters_read_the_stand_ins_within_what_they_say(seed):
    """Whatever is hidden: what a meter says is within its own error of what is there; it costs two minutes and no points."""
    scenario = draw(seed, seed % 5 + 1)
    made = _replayed(scenario, [])
    plant = made.rig.plant
    true = {"volts": made.rig.plant.kept[VOLTS], "amps": plant.kept[AMPS], "temp_c": plant.report.temp_c}
    acts = [{"do": "measure", "meter": m} for m in (*METERS, *METERS)]
    told = play(scenario.document(), acts)
    assert told == play(scenario.document(), acts) and told["minutes"] == 2 * len(acts) and told["over"] is False
    for text, meter in zip([d["text"] for d in told["done"]], (*METERS, *METERS), strict=True):
        value, within = map(float, re.findall(r"(-?\d+\.\d+)", text)[:2])
        if plant.together or meter == "temp_c":
            assert abs(value - true[meter]) <= within + 0.05, (text, true[meter])
        else:
            assert value == 0
    shown = {r["word"]: r["shown"]["your meter"]["value"] for r in told["seen"] if "your meter" in r["shown"]}
    assert len(shown) == len(METERS)
    ended = play(scenario.document(), [*acts, {"do": "end"}])
    assert ended["score"]["tests"] == 0


def test_a_sensor_wired_backwards_shows_beside_the_clamp():
    scenario = scenario_of(Scenario(3, 1, "skerry-field-station", ("shunt-backwards",)).document())
    told = play(scenario.document(), [{"do": "measure", "meter": "amps"}])
    (row,) = [r for r in told["seen"] if "Into the bank" in r["word"]]
    assert row["shown"]["U1"]["value"] * row["shown"]["your meter"]["value"] < 0


def test_a_try_on_the_command_line():
    acts = "".join(json.dumps(a) + "\n" for a in ({"do": "hint"}, "nonsense", {"do": "end"}))
    done = subprocess.run(
        [sys.executable, "-m", "ewerer.entry", "practice", "--seed", "5", "--play"],
        input=acts,
        capture_output=True,
        text=True,
        timeout=120,
    )
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    assert done.returncode == 0 and [("refused" in x, x.get("over")) for x in lines] == [
        (False, False),
        (False, False),
        (True, None),
        (False, True),
    ]
