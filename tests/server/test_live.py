"""Ports and stand-ins of a job through the API: read, land in the record once, write only what may be written."""

import json
import time

import pytest
from django.test import Client

from ewerer.server.crews.models import Crew
from ewerer.server.jobs.models import Job
from ewerer.server.live import actions, children
from tests.jobs import SKERRY, data
from tests.server.asking import person, post

pytestmark = pytest.mark.django_db


@pytest.fixture
def bare(mine):
    return post(mine, "/jobs", {k: v for k, v in data(SKERRY).items() if k not in ("as_found", "sheet_marks")}).json()["id"]


@pytest.fixture
def running(mine, bare):
    answer = post(mine, f"/jobs/{bare}/rig", {"entries": "factory", "seed": 4})
    assert answer.status_code == 200, answer.content
    yield bare
    children.end_all()


def live(client, job):
    return client.get(f"/api/jobs/{job}/live").json()


def until(fits, wait_s=15.0):
    end = time.monotonic() + wait_s
    while True:
        found = fits()
        if found or time.monotonic() > end:
            return found
        time.sleep(0.15)


def port_of(client, job, device, map=True):
    return next(p for p in live(client, job)["ports"] if p["device"] == device and p["map"] is map)


def done(client, job, task):
    def look():
        told = client.get(f"/api/jobs/{job}/reads/{task['id']}").json()
        return told if told["state"] not in ("waiting", "working") else None

    return until(look)


def test_devices_are_read_compared_and_land_in_the_record_once(mine, running):
    assert until(lambda: all(p["state"] == "open" for p in live(mine, running)["ports"]))
    told = live(mine, running)
    rows = {r["name"]: r for r in told["rows"]}
    assert rows["charge_a"]["expected"] == 399 and rows["charge_a"]["right"] is True
    assert {r["value"] for r in rows["charge_a"]["shown"].values()} == {399}
    port = port_of(mine, running, "U1")
    task = post(mine, f"/jobs/{running}/ports/{port['id']}/reads", {"kind": "as-found"})
    assert task.status_code == 201, task.content
    read = done(mine, running, task.json())
    assert read["state"] == "done" and read["read"] >= 70 and read["events"] == read["read"] + 1
    assert set(read["unread"]) == {"scheme", "tail"}  # what the factory left is no figure that the display shows
    assert done(mine, running, task.json()) == read
    events = mine.get(f"/api/jobs/{running}/events?limit=1000").json()["items"]
    found = [e["event"] for e in events if e["event"]["kind"] == "as-found"]
    assert len(found) == read["read"] and all("read over the cable" in e["text"] for e in found)
    shown = live(mine, running)["rig"]["displays"]
    assert set(shown) == {"U1", "U2"}
    plan = mine.get(f"/api/jobs/{running}/plan").json()
    assert {f["setting"]: f["shown"] for f in plan["found"]["U1"]}["fill-volts"] == "56.4"


def test_writing_is_off_until_a_lead_says_so_and_only_the_next_entry_without_a_stop(mine, bare):
    post(mine, f"/jobs/{bare}/rig", {"entries": "planned"})
    try:
        member = Client()
        member.force_login(person("mia", "Ours", "member"))
        assert until(lambda: all(p["state"] == "open" for p in live(mine, bare)["ports"]))
        port = port_of(mine, bare, "U1")["id"]

        def write(step, client=member, **more):
            return post(client, f"/jobs/{bare}/ports/{port}/writes", {"step": step, "at_the_unit": True, **more})

        def switch(client, on=True):
            return client.put(f"/api/jobs/{bare}/ports/{port}/writes", json.dumps({"writes": on}), content_type="application/json")

        order = post(mine, "/order/U1", mine.get(f"/api/jobs/{bare}").json()["document"]).json()["steps"]
        assert "writing is off" in write(order[0]["key"]).json()["detail"]
        assert switch(member).status_code == 403 and switch(mine).status_code == 200
        assert post(member, f"/jobs/{bare}/ports/{port}/writes", {"step": order[0]["key"], "at_the_unit": False}).status_code == 422
        entries = [s for s in order if s["kind"] == "entry"]
        assert "order of the working list" in write(entries[3]["key"]).json()["detail"]
        waiting = next(s for s in order)
        if waiting["kind"] != "entry":
            assert "done by hand" in write(waiting["key"]).json()["detail"]

        def mark(step):
            event = {
                "ewerer": "event/1",
                "id": f"d-{step['key']}",
                "at": "2026-01-02T10:00:00.000Z",
                "by": "mia",
                "kind": "done",
                "step": f"enter:U1:{step['key']}",
            }
            return post(member, f"/jobs/{bare}/events", {"events": [event]})

        for step in order:
            if step["kind"] == "entry" and step["setting"] not in ("new-store", "level-now"):
                break
            assert mark(step).json()["refused"] == []
        task = write(step["key"])
        assert task.status_code == 201, task.content
        told = done(member, bare, task.json())
        assert told["state"] in ("done", "failed")
        if told["state"] == "done" and not told["differs"]:
            state = mine.get(f"/api/jobs/{bare}/state").json()["steps"][f"enter:U1:{step['key']}"]
            assert state["status"] == "done" and state["back"] == step["enter"]
        else:  # the device refused, or showed another value: writing is off again
            assert port_of(mine, bare, "U1")["writes"] is False
        switch(mine)
        document = mine.get(f"/api/jobs/{bare}").json()
        broken = {**document["document"], "bank": {**document["document"]["bank"], "fuse_a": 20}}
        body = json.dumps({"document": broken, "base_revision": document["revision"]})
        assert mine.put(f"/api/jobs/{bare}", body, content_type="application/json").status_code == 200
        plan = mine.get(f"/api/jobs/{bare}/plan").json()
        if any(f["severity"] == "stop" for f in plan["findings"]):
            assert "the plan has a stop" in write(step["key"]).json()["detail"]
    finally:
        children.end_all()


def test_a_read_back_says_what_differs(mine, bare):
    post(mine, f"/jobs/{bare}/rig", {"entries": "planned"})
    try:
        assert until(lambda: all(p["state"] == "open" for p in live(mine, bare)["ports"]))
        acts = [{"do": "key", "device": "U2", "keys": ["enter"]}, {"do": "fault", "name": "factory-left"}]
        for act in acts:
            assert post(mine, f"/jobs/{bare}/rig/acts", act).status_code == 200
        port = port_of(mine, bare, "U2")["id"]
        told = done(mine, bare, post(mine, f"/jobs/{bare}/ports/{port}/reads", {"kind": "read-back"}).json())
        assert told["state"] == "done" and told["differs"]["fill-volts"] == ["55.2", "56.4"]
        assert post(mine, f"/jobs/{bare}/rig/acts", {"do": "fault", "name": "thunder"}).status_code == 422
    finally:
        children.end_all()


def test_what_is_not_listed_is_not_reached_and_nothing_of_another_crew(mine, theirs, bare):
    def add(client, settings, device="bank"):
        return post(client, f"/jobs/{bare}/ports", {"device": device, "settings": settings})

    assert "not among the addresses" in add(mine, {"kind": "modbus-tcp", "host": "10.2.3.4", "port": 502}).json()["detail"]
    assert (
        "no register map" in add(mine, {"kind": "modbus-tcp", "host": "127.0.0.1", "port": 502, "map": True}, "S1").json()["detail"]
    )
    assert add(mine, {"kind": "telepathy"}).status_code == 422
    made = add(mine, {"kind": "modbus-tcp", "host": "127.0.0.1", "port": 9, "map": True}, "U1")
    assert made.status_code == 201
    assert theirs.get(f"/api/jobs/{bare}/live").status_code == 404
    assert until(lambda: live(mine, bare)["ports"][0]["state"] == "lost")
    assert "nobody answers" in live(mine, bare)["ports"][0]["error"]
    assert mine.delete(f"/api/jobs/{bare}/ports/{made.json()['id']}").status_code == 204
    assert live(mine, bare)["ports"] == []
    job = Job.objects.get(pk=bare)
    user = person("zoe", "Ours")
    for n in range(actions.MOST_PORTS):
        actions.add_port(job, "bank", {"kind": "modbus-tcp", "host": "127.0.0.1", "port": 1000 + n}, user)
    assert add(mine, {"kind": "modbus-tcp", "host": "127.0.0.1", "port": 9}).status_code == 422
    assert Crew.objects.count() == 2


def test_a_job_without_a_plan_has_no_stand_ins_and_says_so(mine):
    job = post(
        mine, "/jobs", {**{k: v for k, v in data(SKERRY).items() if k not in ("as_found", "sheet_marks")}, "units": []}
    ).json()["id"]
    answer = post(mine, f"/jobs/{job}/rig", {})
    assert answer.status_code == 422 and "cannot be started" in answer.json()["detail"]
    assert post(mine, f"/jobs/{job}/rig/acts", {"do": "speed"}).status_code == 422
    assert live(mine, job) == {"ports": [], "rows": [], "evidence": {}, "rig": None}
