"""Simulated day, long work and the calendar, by way of the API."""

import json
import time

import pytest
from django.test import Client

from tests.jobs import LARCH, SKERRY, TARN, changed, data
from tests.server.asking import assert_problem, person, post

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


def test_a_reader_cancels_what_is_their_own_and_no_members(mine):
    reader = Client()
    reader.force_login(person("kim", "Ours", "reader"))
    mine_run = post(mine, "/work", {"kind": "year", "document": data(TARN), "days": 2}).json()
    assert reader.get(f"/api/work/{mine_run['id']}").status_code == 200
    told = assert_problem(reader.delete(f"/api/work/{mine_run['id']}"), 403)
    assert "whoever began it" in told["detail"]
    own = post(reader, "/work", {"kind": "year", "document": data(TARN), "days": 2}).json()
    assert reader.delete(f"/api/work/{own['id']}").status_code == 200
    assert mine.delete(f"/api/work/{own['id']}").status_code == 200, "a member may cancel anybody's"
    assert wait(mine, mine_run)[0]["state"] == "done"


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
