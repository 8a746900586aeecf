"""Logs of a job: parts in any order, again, cut off and gone on with; read, judged, drawn; nobody else's; a quota; a backup."""

import io
import json
import time
import zipfile

import numpy as np
import pytest

from ewerer.cli import main
from ewerer.core.record.signing import verify
from ewerer.server.live import children
from ewerer.server.logs import actions
from ewerer.server.logs.models import Log, LogPart
from tests.jobs import SKERRY, data
from tests.logs.logmaker import frame_of, made, noisy
from tests.server.asking import assert_problem, person, post

pytestmark = pytest.mark.django_db


@pytest.fixture
def mine(client):
    client.force_login(person("ann", "North"))
    return client


@pytest.fixture
def job(mine):
    return post(mine, "/jobs", data(SKERRY)).json()["id"]


@pytest.fixture(scope="module")
def raw():
    t, columns, _ = made(3, days=1)
    return frame_of(t[::5], {k: x[::5] for k, x in noisy(columns, 3).items()}).write_csv().encode()


@pytest.fixture(autouse=True)
def small(monkeypatch, tmp_path):
    monkeypatch.setattr(actions, "PART_BYTES", 100_000)
    monkeypatch.setattr(actions, "FOLDER", tmp_path / "logs")


def part(client, job, log, number, body):
    return client.put(f"/api/jobs/{job}/logs/{log}/parts/{number}", body, content_type="application/octet-stream")


def sent(client, job, raw, name="week.csv", order=lambda n: range(n)):
    begun = post(client, f"/jobs/{job}/logs", {"name": name, "size": len(raw)}).json()
    size = begun["part_bytes"]
    number = -(-len(raw) // size)
    for n in order(number):
        assert part(client, job, begun["id"], n, raw[n * size : (n + 1) * size]).status_code == 204
    return begun["id"]


def test_a_log_comes_in_parts_in_any_order_and_is_judged_as_the_command_judges_it(mine, job, raw, tmp_path):
    id = sent(mine, job, raw, order=lambda n: [*reversed(range(n)), 1])
    told = post(mine, f"/jobs/{job}/logs/{id}/read", {}).json()
    assert (told["state"], told["rows"], told["again"]) == ("read", 17_280, True)
    report = mine.get(f"/api/jobs/{job}/logs/{id}").json()
    (tmp_path / "week.csv").write_bytes(raw)
    (tmp_path / "job.json").write_text(json.dumps(data(SKERRY)))
    main(["log", str(tmp_path / "week.csv"), "--job", str(tmp_path / "job.json"), "-o", str(tmp_path / "out.json")])
    assert report == json.loads((tmp_path / "out.json").read_text())
    assert report["ewerer"] == "log/1" and report["figures"]["absorb_v"]
    listed = mine.get(f"/api/jobs/{job}/logs").json()
    assert [x["name"] for x in listed["items"]] == ["week.csv"] and listed["quantities"]["volts"] == "Bank volts, V"


def test_an_upload_that_was_cut_off_goes_on_where_it_stopped(mine, job, raw):
    begun = post(mine, f"/jobs/{job}/logs", {"name": "week.csv", "size": len(raw)}).json()
    part(mine, job, begun["id"], 0, raw[:100_000])
    part(mine, job, begun["id"], 2, raw[200_000:300_000])
    again = post(mine, f"/jobs/{job}/logs", {"name": "week.csv", "size": len(raw)}).json()
    assert (again["id"], again["parts"]) == (begun["id"], 1)
    assert_problem(post(mine, f"/jobs/{job}/logs/{begun['id']}/read", {}), 422)
    for wrong in ((0, b"short"), (99, raw[:100_000]), (1, raw[:100_001])):
        assert_problem(part(mine, job, begun["id"], *wrong), 422)
    assert Log.objects.count() == 1


def test_a_mapping_is_remembered_for_the_next_file_of_that_header(mine, job):
    lines = "".join(f"2025-06-02 {i // 60:02d}:{i % 60:02d}:00,{52 + i % 7 / 10},{-i % 9}\n" for i in range(300))
    raw = ("when,x1,x2\n" + lines).encode()
    id = sent(mine, job, raw)
    assert "no column" in assert_problem(post(mine, f"/jobs/{job}/logs/{id}/read", {}), 422)["detail"] + str(
        post(mine, f"/jobs/{job}/logs/{id}/read", {}).json()
    )
    told = post(mine, f"/jobs/{job}/logs/{id}/read", {"mapping": {"x1": "volts", "x2": "amps"}}).json()
    assert told["mapping"] == {"when": "time", "x1": "volts", "x2": "amps"}
    wrong = post(mine, f"/jobs/{job}/logs/{id}/read", {"mapping": {"x1": "bolts"}})
    assert "volts" in str(assert_problem(wrong, 422)["problems"])
    named = raw.replace(b"x1", b"volts")
    other = sent(mine, job, named, "named.csv")
    assert post(mine, f"/jobs/{job}/logs/{other}/read", {}).json()["mapping"] == {"when": "time", "volts": "volts", "x2": None}
    post(mine, f"/jobs/{job}/logs/{other}/read", {"mapping": {"x2": "shunt_a"}})
    third = sent(mine, job, named + b"2025-06-02 06:00:00,52,1\n", "third.csv")
    assert post(mine, f"/jobs/{job}/logs/{third}/read", {}).json()["mapping"]["x2"] == "shunt_a"


def test_lines_are_thinned_far_out_and_whole_near_by(mine, job, raw):
    id = sent(mine, job, raw)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    far = mine.get(f"/api/jobs/{job}/logs/{id}/series?columns=volts,amps&most=300").json()
    assert not far["raw"] and len(far["lines"]["volts"]) == 300
    near = mine.get(f"/api/jobs/{job}/logs/{id}/series?columns=volts&from_s=3600&to_s=4200&most=300").json()
    assert near["raw"] and len(near["lines"]["volts"]) == 121
    assert {tuple(p) for p in far["lines"]["volts"]} >= {tuple(p) for p in near["lines"]["volts"] if p in far["lines"]["volts"]}
    assert_problem(mine.get(f"/api/jobs/{job}/logs/{id}/series?columns=nothing"), 422)


def test_logs_are_the_crews_own_and_readers_only_read(mine, job, raw, client):
    id = sent(mine, job, raw)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    client.force_login(person("ben", "South"))
    for path in (f"/api/jobs/{job}/logs", f"/api/jobs/{job}/logs/{id}", f"/api/jobs/{job}/logs/{id}/series"):
        assert client.get(path).status_code == 404
    assert part(client, job, id, 0, raw[:100_000]).status_code == 404
    client.force_login(person("cat", "North", "reader"))
    assert client.get(f"/api/jobs/{job}/logs/{id}").status_code == 200
    assert client.delete(f"/api/jobs/{job}/logs/{id}").status_code == 403
    assert post(client, f"/jobs/{job}/logs", {"name": "x.csv", "size": 10}).status_code == 403


def test_a_crew_has_a_quota_and_what_is_deleted_is_gone(mine, job, raw, monkeypatch):
    monkeypatch.setattr(actions, "MOST_OF_CREW", len(raw) + 50_000)
    id = sent(mine, job, raw)
    assert_problem(post(mine, f"/jobs/{job}/logs", {"name": "second.csv", "size": 60_000}), 422)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    mine.get(f"/api/jobs/{job}/logs/{id}/series")
    assert list(actions.FOLDER.glob("*.parquet"))
    assert mine.delete(f"/api/jobs/{job}/logs/{id}").status_code == 204
    assert not LogPart.objects.exists() and not list(actions.FOLDER.glob("*.parquet"))
    assert post(mine, f"/jobs/{job}/logs", {"name": "second.csv", "size": 60_000}).status_code == 201
    assert_problem(post(mine, f"/jobs/{job}/logs", {"name": "huge.csv", "size": 2**39}), 422)


def test_columns_come_back_from_the_database_where_their_file_is_gone(mine, job, raw):
    """A copy of the database holds the logs: the files beside it are only made of it."""
    id = sent(mine, job, raw)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    before = mine.get(f"/api/jobs/{job}/logs/{id}/series?columns=volts&most=50").json()
    for path in actions.FOLDER.glob("*"):
        path.unlink()
    assert mine.get(f"/api/jobs/{job}/logs/{id}/series?columns=volts&most=50").json() == before


def test_thinning_keeps_peaks():
    from ewerer.core.logs.keeping import thinned

    x = np.arange(100_000.0)
    y = np.sin(x / 5000)
    y[43_210] = 5.0
    rows = thinned(x, y, 500)
    assert len(rows) == 500 and rows[0] == 0 and rows[-1] == 99_999 and 43_210 in rows and np.all(np.diff(rows) > 0)


def test_what_never_came_whole_goes_in_the_end_and_files_of_logs_that_are_gone(mine, job, raw):
    from datetime import timedelta

    id = sent(mine, job, raw)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    mine.get(f"/api/jobs/{job}/logs/{id}/series")
    begun = post(mine, f"/jobs/{job}/logs", {"name": "half.csv", "size": 500_000}).json()["id"]
    (actions.FOLDER / "0123.parquet").write_bytes(b"of a log that is gone")
    assert actions.sweep() == 1
    half = Log.objects.get(pk=begun)
    Log.objects.filter(pk=begun).update(made_at=half.made_at - timedelta(days=actions.BEGUN_DAYS + 1))
    assert actions.sweep() == 1
    assert [str(log.pk) for log in Log.objects.all()] == [id] and len(list(actions.FOLDER.glob("*.parquet"))) == 1


def test_a_log_that_takes_too_much_memory_is_refused_in_words(mine, job, raw, monkeypatch):
    id = sent(mine, job, raw)

    def ended(*asked):
        raise actions.pool.ProcessEnded("log_kept: killed")

    monkeypatch.setattr(actions.pool, "run_for", ended)
    assert "memory" in assert_problem(post(mine, f"/jobs/{job}/logs/{id}/read", {}), 422)["problems"][0]["message"]
    assert "memory" in mine.get(f"/api/jobs/{job}/logs").json()["items"][0]["problem"]


def test_a_log_is_replayed_as_a_port_of_the_bank_one_at_a_time(mine, job, raw):
    id = sent(mine, job, raw)
    post(mine, f"/jobs/{job}/logs/{id}/read", {})
    settings = {"kind": "replay", "log": id, "speed": 60, "from_s": 40_000}
    made = post(mine, f"/jobs/{job}/ports", {"device": "bank", "settings": settings}).json()
    assert made["at"] == "replay of week.csv at 60 times"
    again = post(mine, f"/jobs/{job}/ports", {"device": "bank", "settings": settings | {"speed": 10}}).json()
    try:
        for _ in range(600):
            (port,) = mine.get(f"/api/jobs/{job}/live").json()["ports"]
            if port["values"]:
                break
            time.sleep(0.05)
        assert port["id"] == again["id"] and port["state"] == "open"
        assert port["replay"]["name"] == "week.csv" and port["replay"]["at_s"] >= 40_000
        assert 40 < port["values"]["volts"]["value"] < 60 and port["values"]["volts"]["old"] is False
        shown = {r["name"]: r for r in mine.get(f"/api/jobs/{job}/live").json()["rows"]}
        assert shown["volts"]["shown"]["bank"]["value"] > 40
    finally:
        children.end_all()
    body = assert_problem(post(mine, f"/jobs/{job}/ports", {"device": "bank", "settings": {"kind": "replay"}}), 422)
    assert "no such log" in json.dumps(body)
    stranger = post(mine, "/jobs", data(SKERRY) | {"name": "Other"}).json()["id"]
    assert post(mine, f"/jobs/{stranger}/ports", {"device": "bank", "settings": settings}).status_code == 422
    for wrong in ({"speed": 0}, {"speed": 5000}, {"from_s": -1}, {"log": "x"}):
        assert post(mine, f"/jobs/{job}/ports", {"device": "bank", "settings": settings | wrong}).status_code == 422


def test_a_handover_holds_the_report_of_each_log_sealed(mine, job, raw):
    for name in ("June, first week.csv", "июнь.csv"):
        post(mine, f"/jobs/{job}/logs/{sent(mine, job, raw, name)}/read", {})
    signed = {"ewerer": "event/1", "id": "s", "at": "2026-01-02T10:00:00.000Z", "by": "ann", "kind": "signed", "name": "Ada Reed", "text": "done"}  # fmt: skip
    assert post(mine, f"/jobs/{job}/events", {"events": [signed]}).json()["accepted"] == 1
    made = post(mine, f"/jobs/{job}/handovers", {"paper": "A4"}).json()
    file = mine.get(f"/api/jobs/{job}/handovers/1").content
    assert verify(file, made["fingerprint"]).verdict == "unaltered"
    with zipfile.ZipFile(io.BytesIO(file)) as held:
        kept = {n: json.loads(held.read(n)) for n in held.namelist() if n.startswith("logs/")}
    assert sorted(kept) == ["logs/01-log.json", "logs/02-June-first-week.json"]
    assert all(k["ewerer"] == "log/1" and k["rows"] == 17_280 for k in kept.values())
