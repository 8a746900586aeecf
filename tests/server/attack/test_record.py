"""Events that are well-formed and mean harm: whatever they say, every page of the job still answers, and nobody slips past a restore."""

import datetime as dt
import json
from random import Random

import pytest

from ewerer.core.documents.event import NEEDS
from ewerer.core.record import fold as folding
from ewerer.server.record import actions
from tests.events import at, event
from tests.files import picture
from tests.jobs import OSTRAND, SKERRY, data
from tests.server.asking import assert_problem, post
from tests.sizes import size

pytestmark = pytest.mark.django_db
PAGES = ("run", "record", "state", "plan", "run.pdf", "handover.pdf", "log.csv", "export", "events")
NAMES = [
    "volts",
    "abc.volts",
    "10.hertz",
    "errorX",
    "error1",
    "m1",
    "v1",
    "a1",
    "bms.charge",
    "unit.charge",
    "load",
    "soc",
    "sun",
    "bank",
    "grid",
    "shown",
    "reference",
    "U1",
    "known",
    "after",
    "=1+1",
    "clock",
]
FIGURES = [0.0, -0.0, 1e9, -1e9, 1e-9, 53.0, 100.0, 1e8]


@pytest.fixture(autouse=True)
def keys(tmp_path, monkeypatch):
    monkeypatch.setattr(actions, "DATA_DIR", tmp_path)


def harmful(dice, number, steps):
    kind = dice.choice([k for k in NEEDS if k not in ("signed", "undo")])
    text = dice.choice(["<b>x</b>", "=cmd|' /C calc'!A0", "\u202eabc", "x" * 3000, "{{ 7*7 }}"])
    made = {
        "step": dice.choice([*steps, "nowhere", "enter:U1:a:b", "enter:ghost:x", "proof:mode:sun", "proof:ramp", "follow:week"]),
        "name": dice.choice(NAMES),
        "shown": dice.choice(["0", "1e309", "-", "<i>", "99:99", "nan"]),
        "value": dice.choice(FIGURES),
        "verdict": dice.choice(["pass", "fail", "unsure"]),
        "text": text,
        "device": dice.choice(["U1", "M1", f"ghost{number}", "S1"]),
        "setting": dice.choice(["fill-volts", "none", "rest"]),
        "photo": f"p{number}",
        "meter": {"name": "m", "pct": 50, "digits": 1000, "step": 1000},
        "entry": {
            "kind": dice.choice(["fault", "limit", "note"]),
            "text": text,
            "when": "2026-99-99",
            "cleared": "never",
            "seconds": 0.0,
            "count": 1_000_000,
            "due": "2199-12-31",
        },
    }
    wanted = {k: v for k, v in made.items() if k in NEEDS[kind] or dice.random() < 0.5}
    return event(f"h{number}", kind, f"2026-05-04T{dice.randrange(24):02d}:00:00.000Z", "ann", **wanted)


@pytest.mark.parametrize("seed", range(size(1, 6)))
def test_whatever_events_say_every_page_answers(mine, seed):
    dice = Random(seed)
    id = post(mine, "/jobs", data(SKERRY if seed % 2 else OSTRAND)).json()["id"]
    steps = [s["id"] for s in mine.get(f"/api/jobs/{id}/run").json()["steps"]]
    told = post(mine, f"/jobs/{id}/events", {"events": [harmful(dice, n, steps) for n in range(300)]}).json()
    assert told["accepted"] == 300
    for page in PAGES:
        assert mine.get(f"/api/jobs/{id}/{page}").status_code == 200, page
    assert mine.get("/api/due").status_code == 200 and mine.get("/api/jobs").status_code == 200
    document = mine.get(f"/api/jobs/{id}").json()["document"]
    assert (
        mine.put(
            f"/api/jobs/{id}", json.dumps({"base_revision": 1, "document": document}), content_type="application/json"
        ).status_code
        == 200
    )


def test_devices_that_a_job_never_had_do_not_break_it(mine, job):
    many = [event(f"g{i}", "as-found", at(1), "ann", device=f"ghost{i}", setting="x", shown="1") for i in range(300)]
    assert post(mine, f"/jobs/{job}/events", {"events": many}).json()["accepted"] == 300
    assert mine.get(f"/api/jobs/{job}/plan").json()["found"] == {}
    assert len(mine.get(f"/api/jobs/{job}/state").json()["found"]) == 300, "they stay in the record"


@pytest.mark.parametrize("change", [
    {"units": [{"id": "M1", "profile": "orrowan-t8"}]},
    {"units": [{"id": "photo", "profile": "orrowan-t8"}, {"id": "firmware", "profile": "orrowan-t8", "role": "follower"}]},
    {"breakers": [{"id": "bank", "name": "x" * 120, "side": "load"}, {"id": "loads", "name": "y", "side": "bank"}, {"id": "s", "name": "z", "side": "sun", "device": "nobody"}]},
    {"sun": {"chargers": [{"id": "S" * 39 + n, "profile": "pilch-sun-100", "strings": 40} for n in "ab"]}},
][:: size(3, 1)])  # fmt: skip
def test_names_that_clash_or_are_long_lose_no_step_of_the_breakers(mine, change):
    id = post(mine, "/jobs", data(SKERRY) | change).json()["id"]
    run = mine.get(f"/api/jobs/{id}/run").json()
    moved = [s["breaker"] for s in run["steps"] if s["breaker"] and s["opens"]]
    assert sorted(moved) == sorted(b["id"] for b in run["breakers"]) and len(set(moved)) == len(moved)
    if "sun" in change:
        assert sum(b["side"] == "sun" for b in run["breakers"]) == 80 and sum(b["side"] == "charger" for b in run["breakers"]) == 2
    assert mine.get(f"/api/jobs/{id}/handover.pdf").status_code == 200


def test_breakers_named_like_steps_are_refused(mine):
    for name in ("wait", "amps", "dead"):
        body = assert_problem(post(mine, "/jobs", data(SKERRY) | {"breakers": [{"id": name, "name": "X", "side": "load"}]}), 422)
        assert "cannot be called" in json.dumps(body)


def test_a_change_for_a_test_cannot_be_talked_away(mine, job):
    post(mine, f"/jobs/{job}/events", {"events": [
        event("t", "temporary", at(1), "ann", step="proof:transfer", shown="60"),
        event("u", "undo", at(2), "ann", target="t", text="never happened"),
        event("o", "override", at(3), "ann", step="proof:transfer", text="trust me"),
        event("k", "skipped", at(4), "ann", step="proof:transfer", text="left out"),
        event("d", "done", at(5), "ann", step="proof:transfer"),
        event("f", "restored", at(6), "ann", step="proof:transfer", shown="61", verdict="fail"),
    ]})  # fmt: skip
    assert mine.get(f"/api/jobs/{job}/state").json()["steps"]["proof:transfer"]["status"] == "open"
    refused = post(mine, f"/jobs/{job}/events", {"events": [event("s", "signed", at(9), "ann", name="A", text="x")]}).json()[
        "refused"
    ]
    assert "put back" in refused[0]["message"]
    assert_problem(post(mine, f"/jobs/{job}/handovers", {}), 422)


def test_a_clock_far_ahead_is_refused_so_that_it_pushes_nobody(mine, job):
    later = (dt.datetime.now(dt.UTC) + dt.timedelta(days=9)).strftime("%Y-%m-%dT%H:%M:%S.000Z")
    answer = post(mine, f"/jobs/{job}/events", {"events": [event("a", "done", later, "ann", step="before:people")]}).json()
    assert answer["accepted"] == 0 and "ahead" in answer["refused"][0]["message"]
    for wrong in ("2026-13-01T00:00:00.000Z", "2026-02-30T00:00:00.000Z", "2026-02-20T25:00:00.000Z", "yesterday"):
        sent = {"ewerer": "event/1", "id": "b", "at": wrong, "by": "ann", "kind": "done", "step": "x"}
        assert post(mine, f"/jobs/{job}/events", {"events": [sent]}).json()["refused"]


def test_a_job_holds_so_many_events_and_photographs_and_says_so(mine, job, monkeypatch):
    monkeypatch.setattr(actions, "MOST_EVENTS", 3)
    monkeypatch.setattr(actions, "MOST_PHOTOS", 1)
    answer = post(
        mine, f"/jobs/{job}/events", {"events": [event(f"e{i}", "done", at(i), "ann", step="before:people") for i in range(5)]}
    ).json()
    assert answer["accepted"] == 3 and "at most" in answer["refused"][0]["message"]
    assert mine.put(f"/api/jobs/{job}/photos/a", picture(), content_type="image/jpeg").status_code == 200
    assert_problem(mine.put(f"/api/jobs/{job}/photos/b", picture(), content_type="image/jpeg"), 422)


def test_a_chain_of_undos_as_long_as_a_job_holds_folds_in_one_pass():
    stream = [event("e0", "done", at(0), step="s")]
    stream += [
        event(
            f"e{i}", "undo", f"2026-05-04T{10 + i // 3600:02d}:{i // 60 % 60:02d}:{i % 60:02d}.000Z", target=f"e{i - 1}", text="no"
        )
        for i in range(1, 4001)
    ]
    assert folding.fold(stream)["steps"]["s"]["status"] == "done", "an even number of them"
