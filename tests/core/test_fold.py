"""Events: what they must carry, and that any order of arrival and any duplication gives one state."""

import json
from itertools import permutations
from random import Random

import pytest

from ewerer import cli
from ewerer.core.documents.event import NEEDS, Event
from ewerer.core.documents.parse import parse_document
from ewerer.core.record.fold import canonical, fold, marks_of, ordered, read_events
from ewerer.core.trade.errors import DocumentError
from tests.events import at, event
from tests.streams import random_stream


@pytest.mark.parametrize("seed", range(300))
def test_any_order_and_any_duplication_gives_one_state(seed):
    stream = random_stream(seed)
    state = canonical(fold(stream))
    dice = Random(seed)
    for _ in range(4):
        again = stream + dice.sample(stream, len(stream) // 2)
        dice.shuffle(again)
        assert canonical(fold(again)) == state


@pytest.mark.parametrize("seed", range(60))
def test_a_stream_may_arrive_in_parts(seed):
    """What two people hold apart and bring together is what one of them would hold alone."""
    stream = random_stream(seed + 5000)
    mine, theirs = stream[::2], stream[1::2]
    assert canonical(fold(mine + theirs)) == canonical(fold(theirs + mine + mine)) == canonical(fold(stream))


def restated(stream):
    """Which events count, restated by trying: an undo counts unless a later one that counts takes it back."""
    first = {}
    for e in sorted(stream, key=lambda e: (e["at"], e["id"], canonical([e.get(n) or "" for n in ("by", "kind")]))):
        first.setdefault(e["id"], e)
    line = sorted(first.values(), key=lambda e: (e["at"], e["id"]))

    def counts(i):
        if line[i]["kind"] == "temporary":
            return True  # it is put back, never taken back
        return not any(e["kind"] == "undo" and e["target"] == line[i]["id"] and counts(j) for j, e in enumerate(line) if j > i)

    return [e["id"] for i, e in enumerate(line) if counts(i) and e["kind"] != "undo"]


@pytest.mark.parametrize("seed", range(100))
def test_what_counts_is_what_the_restated_rule_says(seed):
    stream = random_stream(seed + 900)
    by_id = {}
    for e in stream:  # twins that differ are another matter: see below
        by_id.setdefault(e["id"], e)
    stream = list(by_id.values())
    assert [e["id"] for e in ordered(stream)] == restated(stream)


def test_twins_that_differ_count_once_and_the_same_way_round():
    a, b = event("x1", "note", text="one"), event("x1", "note", text="two")
    for order in ([a, b], [b, a], [b, a, b]):
        assert [n["text"] for n in fold(order)["notes"]] == ["one"]


def test_undo_takes_back_and_can_be_taken_back():
    done, undo, again = (
        event("a", "done", at(1), step="s"),
        event("b", "undo", at(2), target="a", text="wrong"),
        event("c", "undo", at(3), target="b", text="right after all"),
    )
    for order in permutations([done, undo, again]):
        assert fold(order)["steps"]["s"]["status"] == "done"
    assert fold([done, undo])["steps"] == {}
    assert fold([event("b", "undo", at(0), target="a", text="too early"), done])["steps"]["s"]["status"] == "done"


STATUSES = [
    ("", []),
    ("done", [("done", {})]),
    ("failed", [("done", {}), ("reading", {"name": "v", "shown": "1", "value": 1.0, "verdict": "fail"})]),
    ("done", [("done", {}), ("reading", {"name": "v", "shown": "1", "verdict": "fail"}), ("reading", {"name": "v", "shown": "2", "verdict": "pass"})]),
    ("overridden", [("reading", {"name": "v", "shown": "1", "verdict": "fail"}), ("override", {"text": "no spare"})]),
    ("failed", [("override", {"text": "early"}), ("reading", {"name": "v", "shown": "1", "verdict": "fail"})]),
    ("open", [("temporary", {"shown": "48.2"}), ("done", {})]),
    ("failed", [("temporary", {"shown": "48.2"}), ("restored", {"shown": "48.1", "verdict": "pass"}), ("verdict", {"verdict": "fail"})]),
    ("open", [("temporary", {"shown": "48.2"}), ("restored", {"shown": "47", "verdict": "fail"})]),
    ("failed", [("temporary", {"shown": "48.2"}), ("verdict", {"verdict": "fail"}), ("restored", {"shown": "48.1", "verdict": "pass"}), ("done", {})]),
    ("overridden", [("temporary", {"shown": "48.2"}), ("verdict", {"verdict": "fail"}), ("override", {"text": "known"}), ("restored", {"shown": "47", "verdict": "fail"}), ("restored", {"shown": "48.1", "verdict": "pass"})]),
    ("done", [("temporary", {"shown": "48.2"}), ("restored", {"shown": "48.1", "verdict": "pass"}), ("done", {})]),
    ("unsure", [("reading", {"name": "v", "shown": "1", "verdict": "unsure"})]),
    ("begun", [("timer", {"name": "asked"})]),
    ("skipped", [("skipped", {"text": "no generator here yet"})]),
]  # fmt: skip


@pytest.mark.parametrize(("status", "told"), STATUSES, ids=[f"{i}-{s or 'none'}" for i, (s, _) in enumerate(STATUSES)])
def test_status_of_a_step(status, told):
    stream = [event(f"e{i}", kind, at(i), step="s", **more) for i, (kind, more) in enumerate(told)]
    steps = fold(reversed(stream))["steps"]
    assert (steps["s"]["status"] if stream else "") == status


def test_found_values_and_marks_come_back_as_a_job_carries_them():
    stream = [
        event("a", "as-found", at(1), device="U1", setting="rest", shown="54.0"),
        event("b", "as-found", at(2), device="U1", setting="tail", shown="4"),
        event("c", "as-found", at(3), device="U1", setting="tail", shown=""),
        event("d", "done", at(4), step="enter:U.1:rest-volts"),
        event("e", "read-back", at(5), step="enter:U.1:rest-volts", shown="53.6"),
        event("f", "note", at(6), step="enter:U.1:rest-volts", text="stiff key"),
        event("g", "skipped", at(7), step="enter:U.1:tail", text="not offered"),
    ]
    state = fold(stream)
    assert state["found"] == {"U1": {"rest": "54.0"}}
    assert marks_of(state) == {
        "U.1": {"rest-volts": {"state": "done", "read_back": "53.6", "note": "stiff key"}, "tail": {"state": "skipped"}}
    }


@pytest.mark.parametrize("kind", NEEDS)
def test_an_event_without_what_its_kind_needs_is_refused_by_name(kind):
    bare = {"ewerer": "event/1", "id": "e1", "at": at(0), "by": "A", "kind": kind}
    with pytest.raises(DocumentError, match=NEEDS[kind][0]):
        parse_document(Event, bare)


@pytest.mark.parametrize("text", ["not json", '{"ewerer": "event/1"}', '{"ewerer": "event/9", "id": "a"}', '[{"id": 1}]'])
def test_a_bad_stream_is_refused_with_its_line(text):
    with pytest.raises(DocumentError) as refused:
        read_events(text)
    assert "line 1" in str(refused.value) or "/0" in str(refused.value)


def test_fold_on_the_command_line(tmp_path, capsys):
    stream = random_stream(7)
    path = tmp_path / "events.jsonl"
    path.write_text("\n".join(json.dumps(e) for e in stream))
    assert cli.main(["fold", str(path)]) == 0
    assert json.loads(capsys.readouterr().out) == json.loads(json.dumps(fold(stream)))
    path.write_text("{}")
    assert cli.main(["fold", str(path)]) == 2
    assert "line 1" in capsys.readouterr().err


def test_a_device_that_is_renamed_takes_along_what_was_told_of_it():
    """Restated: fold with every earlier mention spelled the new way gives the same found values, steps and statuses."""
    line = [event | {"device": "U1"} if "device" in event else event for event in random_stream(77) + random_stream(5)]
    line = [e for e in line if e["kind"] not in ("renamed", "undo") and "U9" not in json.dumps(e)]
    last = {
        "ewerer": "event/1",
        "id": "zz",
        "at": "2026-05-04T10:00:00.000Z",
        "by": "A",
        "kind": "renamed",
        "device": "U1",
        "shown": "U9",
    }
    spelled = json.loads(json.dumps(line).replace('"U1"', '"U9"').replace(":U1:", ":U9:").replace("unit-U1", "unit-U9"))
    got, right = fold([*line, last]), fold(spelled)
    assert got["found"] == right["found"]
    assert got["steps"] == right["steps"]


def test_a_claim_is_not_a_reading():
    """A verdict is made of readings: a good one without any counts for nothing, and a reading outside its own gate is not good."""
    claimed = fold([event("a", "verdict", at(1), step="proof:gain", verdict="pass", text="fine")])
    assert claimed["steps"]["proof:gain"]["verdict"] == ""
    read = event("b", "reading", at(0), step="proof:gain", name="shown", shown="60", value=60.0)
    assert fold([read, event("a", "verdict", at(1), step="proof:gain", verdict="pass")])["steps"]["proof:gain"]["verdict"] == "pass"
    lie = event(
        "c", "reading", at(1), step="isolate:dead", name="volts", shown="53", value=53.0, low=-1.0, high=1.0, verdict="pass"
    )
    assert fold([lie, event("d", "done", at(2), step="isolate:dead")])["steps"]["isolate:dead"]["status"] == "failed"


def test_a_rename_changes_the_name_of_a_device_in_the_ids_of_its_steps_and_nothing_else():
    """Against the rule said once more, part by part, on ids of parts that look alike."""

    def plainly(part, old, new):
        for head in ("", "unit-", "module-", "charger-"):
            if part == head + old:
                return head + new
        return f"sun-{new}-{part.removeprefix(f'sun-{old}-')}" if part.startswith(f"sun-{old}-") else part

    dice, names = Random(7), ["H1", "H2", "H", "1", "sun", "unit", "unit-H1", "sun-H1", "H1-a", "a"]
    for _ in range(3000):
        parts = [dice.choice([*names, f"unit-{dice.choice(names)}", f"sun-{dice.choice(names)}-{dice.choice(names)}"]) for _ in range(dice.randint(1, 4))]  # fmt: skip
        old, new = dice.sample(names, 2)
        state = fold([event("a", "done", at(1), step=":".join(parts)), event("b", "renamed", at(2), device=old, shown=new)])
        assert list(state["steps"]) == [":".join(plainly(p, old, new) for p in parts)]
