"""Simulated day, long work and the calendar, by way of the API."""

import json
import threading
import time

import pytest

from ewerer.core.documents import DocumentError
from ewerer.server.work import work
from tests.jobs import LARCH, SKERRY, TARN, changed, data
from tests.server.asking import assert_problem, post

pytestmark = pytest.mark.django_db


def wait(client, run):
    """Return the run when it is over, and every word and share told on the way."""
    told = []
    for _ in range(2400):
        now = client.get(f"/api/work/{run['id']}").json()
        told.append((now["word"], now["share"]))
        if now["state"] not in ("waiting", "running"):
            return now, told
        time.sleep(0.05)
    raise AssertionError(f"never over: {told[-1]}")


def test_a_simulated_day_closes_its_balance(mine):
    answer = post(mine, "/simulate", data(TARN))
    assert answer.status_code == 200
    day = answer.json()
    assert len(day["series"]["minute"]) == 1440
    ledger = day["ledger"]
    given = ledger["sun_used_kwh"] + ledger["mains_kwh"] + ledger["generator_kwh"] + ledger["bank_out_kwh"]
    taken = ledger["load_kwh"] + ledger["other_kwh"] + ledger["export_kwh"] + ledger["bank_in_kwh"] - ledger["unserved_kwh"]
    assert given >= taken > 0  # the rest is lost on the way


@pytest.mark.parametrize("days", [0, 8, -1])
def test_too_many_days_at_once(mine, days):
    answer = post(mine, f"/simulate?days={days}", data(TARN))
    assert_problem(answer, 422)
    assert "1 to 7" in answer.content.decode()


def test_a_job_without_a_bank_cannot_be_simulated(mine):
    job = changed(TARN, bank__modules=[])
    assert_problem(post(mine, "/simulate", job), 422)
    over, _ = wait(mine, post(mine, "/work", {"kind": "year", "document": job}).json())
    assert over["state"] == "failed"
    assert "module" in over["problem"] or "bank" in over["problem"]


def test_a_year_tells_its_progress_and_gives_a_result(mine):
    run = post(mine, "/work", {"kind": "year", "document": data(TARN), "days": 60})
    assert run.status_code == 202
    over, told = wait(mine, run.json())
    assert over["state"] == "done"
    shares = [share for _, share in told]
    assert shares == sorted(shares)
    assert shares[-1] == 1
    year = mine.get(f"/api/work/{over['id']}/result").json()
    assert len(year["daily"]) == 60
    assert year["series"] is None


def test_others_can_neither_read_nor_cancel_it(mine, theirs):
    run = post(mine, "/work", {"kind": "year", "document": data(TARN), "days": 2}).json()
    for method in (theirs.get, theirs.delete):
        assert_problem(method(f"/api/work/{run['id']}"), 404)
    assert_problem(theirs.get(f"/api/work/{run['id']}/result"), 404)
    assert wait(mine, run)[0]["state"] == "done"


def test_compare_names_both_sides(mine):
    other = data(TARN)
    other["windows"] = []
    body = {"kind": "compare", "document": data(TARN), "other": other, "days": 30}
    over, _ = wait(mine, post(mine, "/work", body).json())
    both = mine.get(f"/api/work/{over['id']}/result").json()
    assert len(both["names"]) == len(both["ledgers"]) == 2
    assert both["ledgers"][0]["cost"] != both["ledgers"][1]["cost"]
    assert both["ledgers"][0]["load_kwh"] == pytest.approx(both["ledgers"][1]["load_kwh"])


def test_compare_knows_a_profile_of_the_crew_that_only_the_other_side_names_in_the_version_it_pins(mine):
    shipped = mine.get("/api/library/dunmarrow-280").json()
    smaller = shipped | {"id": "ours", "name": "Ours", "capacity_ah": shipped["capacity_ah"] / 2}
    assert post(mine, "/library", smaller).status_code == 201
    newer = json.dumps(smaller | {"capacity_ah": shipped["capacity_ah"]})
    assert mine.put("/api/library/ours?base_revision=1", newer, content_type="application/json").status_code == 200
    other = data(SKERRY)
    for module in other["bank"]["modules"]:
        module["profile"] = "ours"
    found = []
    for pins in ({"ours": 1}, {"ours": 2}):
        body = {"kind": "compare", "document": data(SKERRY), "other": other | {"profile_revisions": pins}, "days": 3}
        over, _ = wait(mine, post(mine, "/work", body).json())
        assert over["state"] == "done", over["problem"]
        found.append(mine.get(f"/api/work/{over['id']}/result").json()["ledgers"])
    (plan, half), (same, whole) = found
    assert plan == same and half != whole
    over, _ = wait(
        mine, post(mine, "/work", body | {"other": other | {"profile_revisions": {"ours": 1}}, "document": body["other"]}).json()
    )
    assert mine.get(f"/api/work/{over['id']}/result").json()["ledgers"] == [whole, half]


def test_what_is_varied_may_name_a_profile_of_the_crew_that_the_job_does_not(mine):
    shipped = mine.get("/api/library/dunmarrow-280").json()
    assert (
        post(mine, "/library", shipped | {"id": "ours", "name": "Ours", "capacity_ah": shipped["capacity_ah"] / 2}).status_code
        == 201
    )
    job = data(SKERRY)
    job["bank"]["modules"] = job["bank"]["modules"][:1]
    vary = {"vary_field": "/bank/modules/0/profile", "vary_values": ["dunmarrow-280", "ours", "theirs"]}
    body = {"kind": "sweep", "document": job, "weathers": 2, "days": 3, **vary}
    over, _ = wait(mine, post(mine, "/work", body).json())
    assert over["state"] == "failed" and "theirs" in over["problem"]
    over, _ = wait(mine, post(mine, "/work", body | {"vary_values": vary["vary_values"][:2]}).json())
    assert over["state"] == "done", over["problem"]
    whole, half = mine.get(f"/api/work/{over['id']}/result").json()["parts"]
    assert (whole["value"], half["value"]) == ("dunmarrow-280", "ours") and whole | {"value": ""} != half | {"value": ""}


@pytest.mark.parametrize(
    "body",
    [
        {"kind": "decade", "document": {}},
        {"kind": "year"},
        {"kind": "year", "document": {}, "days": 0},
        {"kind": "gentlest", "document": {}, "wanted": 80},
        {"kind": "year", "document": {}, "haste": True},
    ],
)
def test_bad_orders_for_long_work_are_refused(mine, body):
    assert_problem(post(mine, "/work", body), 422)


@pytest.fixture
def gate():
    """A piece of work that goes on only when let, and tells when it has begun."""
    begun, go = threading.Event(), threading.Event()

    def wait_at_the_gate(run):
        begun.set()
        go.wait(20)
        run.told("half", 0.5)
        return "{}"

    yield wait_at_the_gate, begun, go
    go.set()


def over(run):
    for _ in range(400):
        if run.state not in ("waiting", "running"):
            return run
        time.sleep(0.02)
    raise AssertionError(run)


def test_running_work_stops_at_its_next_word(gate):
    task, begun, go = gate
    run = work.start(1, "year", task)
    assert begun.wait(20)
    assert run.state == "running"
    work.cancel(run)
    go.set()
    assert over(run).state == "cancelled"
    assert run.result is None


def test_waiting_work_is_cancelled_at_once_and_never_begins(gate):
    task, begun, go = gate
    first = work.start(1, "year", task)
    assert begun.wait(20)
    began = []
    second = work.start(1, "year", lambda run: began.append(run) or "{}")
    work.cancel(second)
    assert second.state == "cancelled"
    go.set()
    assert over(first).state == "done"
    third = over(work.start(1, "year", lambda run: "{}"))
    assert third.state == "done"  # the queue goes on
    assert began == []
    assert second.state == "cancelled"


def test_a_defect_is_told_and_the_worker_lives():
    def broken(run):
        raise ZeroDivisionError("nought")

    def refused(run):
        raise DocumentError([])

    assert "nought" in over(work.start(1, "year", broken)).problem
    assert over(work.start(1, "year", refused)).state == "failed"
    assert over(work.start(1, "year", lambda run: "{}")).state == "done"


def test_old_results_make_room():
    first = over(work.start(7, "year", lambda run: "{}"))
    other = over(work.start(8, "year", lambda run: '{"of": "another crew"}'))
    for _ in range(work.MOST_KEPT + 2):
        last = over(work.start(7, "year", lambda run: "{}"))
    assert work.find(first.id, 7) is None
    assert work.find(last.id, 7) is last
    assert work.find(other.id, 8).result == '{"of": "another crew"}', "a crew makes no room among what others have"
    assert work.find(other.id, 7) is None


def test_crews_take_turns_and_each_waits_for_so_much(gate):
    task, begun, go = gate
    order = []
    first = work.start(1, "year", task)
    assert begun.wait(20)
    mine = [work.start(1, "year", lambda run: order.append(1) or "{}") for _ in range(work.MOST_WAITING)]
    with pytest.raises(work.TooMuch):
        work.start(1, "year", lambda run: "{}")
    theirs = work.start(2, "year", lambda run: order.append(2) or "{}")
    assert over(theirs).state == "done" and order == [2], (
        "whoever asks for one is not behind another crew's six, nor the one at work"
    )
    assert first.state == "running" and {piece.state for piece in mine} == {"waiting"}, "of one crew one at a time"
    go.set()
    for piece in (first, *mine):
        assert over(piece).state == "done"


def test_where_as_many_crews_as_may_are_at_work_the_others_take_turns(gate):
    task, _, go = gate
    order = []
    held = [work.start(10 + n, "year", task) for n in range(work.MOST_AT_ONCE)]
    while not all(piece.state == "running" for piece in held):
        time.sleep(0.005)
    later = [work.start(crew, "year", lambda run, crew=crew: order.append(crew) or "{}") for crew in (3, 3, 3, 4)]
    later.append(work.start(10, "year", lambda run: order.append(10) or "{}"))
    assert {piece.state for piece in later} == {"waiting"}
    go.set()
    for piece in (*held, *later):
        assert over(piece).state == "done"
    assert sorted(order) == [3, 3, 3, 4, 10]
    assert order.index(4) < 4 and order[:2] != [3, 3], order


def test_results_outlive_a_restart_and_what_ran_is_said_to_have_failed(gate):
    task, begun, go = gate
    done = over(work.start(1, "year", lambda run: '{"sun": 1}'))
    running = work.start(1, "year", task)
    assert begun.wait(20)
    for _ in range(200):
        if '"running"' in work._file(running.id, "work").read_text():
            break
        time.sleep(0.01)
    held = dict(work._held)
    try:
        work._held.clear()  # as a new process finds it
        assert work.find(done.id, 1).result == '{"sun": 1}'
        again = work.find(running.id, 1)
        assert again.state == "failed" and "started anew" in again.problem
        assert work.find(done.id, 2) is None and work.find("../secret-key", 1) is None
    finally:
        work._held.update(held)
        go.set()
    assert over(running).state == "done"


@pytest.mark.parametrize("name", [TARN, LARCH])
def test_the_calendar_of_a_job(mine, theirs, name):
    job = post(mine, "/jobs", data(name)).json()["id"]
    answer = mine.get(f"/api/jobs/{job}/windows.ics")
    assert answer["Content-Type"].startswith("text/calendar")
    assert answer.content.decode().count("BEGIN:VEVENT") == len(data(name).get("windows", []))
    assert_problem(theirs.get(f"/api/jobs/{job}/windows.ics"), 404)


def test_a_measured_series_is_read_and_refused(mine, client):
    read = post(mine, "/series?step_min=15", "100\n200\n").json()
    assert read == {"step_min": 15, "values_w": [100, 200]}
    refused = post(mine, "/series", "100\nmuch\n")
    assert_problem(refused, 422)
    assert refused.json()["problems"][0]["pointer"] == "/line/2"
    assert_problem(post(client, "/series", "100"), 401)


@pytest.mark.parametrize("late", [1, 33])
def test_a_day_shown_after_the_days_before_it_is_that_day_of_the_year(mine, late):
    over, _ = wait(mine, post(mine, "/work", {"kind": "year", "document": data(LARCH), "days": 40}).json())
    day = mine.get(f"/api/work/{over['id']}/result").json()["daily"][late]
    alone = post(mine, f"/simulate?lead_days={late}", data(LARCH)).json()
    assert alone["daily"] == [day]
    assert alone["ledger"]["days"] == 1
    assert alone["series"]["minute"][0] == 0
    assert len(alone["series"]["columns"]["soc"]) == len(alone["series"]["price"]) == 1440
    assert min(alone["series"]["columns"]["soc"]) == pytest.approx(day["lowest_soc"], abs=1e-4)


@pytest.mark.parametrize("lead", [-1, 725])
def test_too_many_days_before(mine, lead):
    assert_problem(post(mine, f"/simulate?lead_days={lead}", data(TARN)), 422)
