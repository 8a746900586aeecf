"""The record through the API: events once and in order, crews apart, insert-only, photographs, sign-off, handovers, the move from job/1."""

import importlib
import io
import json
from random import Random

import pytest
from django.apps import apps
from django.db import IntegrityError, connection, transaction
from django.test import Client

from ewerer.core.record.fold import canonical, fold
from ewerer.core.record.signing import verify
from ewerer.server.jobs.models import Job
from ewerer.server.record import actions
from ewerer.server.record.models import Event, Handover, Photo
from tests.events import event
from tests.files import members, picture
from tests.jobs import SKERRY, changed, data
from tests.server.asking import assert_problem, items, person, post, put
from tests.sizes import size
from tests.streams import random_stream

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def keys(tmp_path, monkeypatch):
    monkeypatch.setattr(actions, "DATA_DIR", tmp_path)


def told(id, kind, second=0, by="ann", **more):
    return event(id, kind, f"2026-05-04T09:00:{second:02d}.000Z", by, **more)


def send(client, job, *events):
    return post(client, f"/jobs/{job}/events", {"events": list(events)})


def state(client, job):
    return client.get(f"/api/jobs/{job}/state").json()


def test_events_are_stored_once_and_told_in_order_of_arrival(mine, job):
    first, second = told("a", "done", 5, step="before:people"), told("b", "done", 1, step="before:gear")
    assert send(mine, job, first).json() | {"last": 0} == {"accepted": 1, "known": 0, "refused": [], "last": 0}
    answer = send(mine, job, first, second, second).json()
    assert (answer["accepted"], answer["known"]) == (1, 2)
    page = mine.get(f"/api/jobs/{job}/events").json()
    assert [i["event"]["id"] for i in page["items"]] == ["a", "b"] and page["last"] == page["items"][-1]["seq"]
    later = mine.get(f"/api/jobs/{job}/events?after={page['items'][0]['seq']}").json()
    assert [i["event"]["id"] for i in later["items"]] == ["b"]
    assert send(mine, job, told("a", "done", 6, step="before:gear")).json()["refused"][0]["message"] == "another event has this id"


def test_a_wrong_event_refuses_only_itself_and_nobody_speaks_for_another(mine, job):
    answer = send(
        mine, job, told("a", "done", step="before:people"), {"id": "x"}, told("c", "done", by="bob", step="before:gear"), {}
    ).json()
    assert answer["accepted"] == 1 and [r["id"] for r in answer["refused"]] == ["x", "c", ""]
    assert "bob made it, and ann sends it" in json.dumps(answer)
    assert_problem(post(mine, f"/jobs/{job}/events", {"events": [{}] * 501}), 422)


@pytest.mark.parametrize("seed", range(size(2, 12)))
def test_any_order_of_sending_in_any_parts_gives_one_state(mine, job, seed):
    stream = [e | {"by": "ann"} for e in random_stream(seed)]
    by_id = {}
    for e in stream:
        by_id.setdefault(e["id"], e)
    whole = list(by_id.values())
    dice = Random(seed)
    sent = whole + dice.sample(whole, len(whole) // 2)
    dice.shuffle(sent)
    while sent:
        n = dice.randint(1, 9)
        send(mine, job, *sent[:n])
        sent = sent[n:]
    accepted = {i["event"]["id"] for i in mine.get(f"/api/jobs/{job}/events").json()["items"]}
    assert canonical(state(mine, job)) == canonical(fold([e for e in whole if e["id"] in accepted]))
    assert accepted >= {e["id"] for e in whole if e["kind"] != "signed"}


def test_another_crew_sees_nothing(theirs, mine, job):
    send(mine, job, told("a", "done", step="before:people"))
    for path in ("events", "state", "run", "record", "run.pdf", "handover.pdf", "log.csv", "handovers", "photos/p1", "handovers/1"):
        assert_problem(theirs.get(f"/api/jobs/{job}/{path}"), 404)
    assert_problem(post(theirs, f"/jobs/{job}/events", {"events": []}), 404)
    assert_problem(theirs.put(f"/api/jobs/{job}/photos/p1", picture(), content_type="image/jpeg"), 404)
    assert_problem(post(theirs, f"/jobs/{job}/handovers", {}), 404)
    assert_problem(Client().get(f"/api/jobs/{job}/events"), 401)


def test_the_database_itself_refuses_to_change_or_delete_what_was_recorded(mine, job):
    send(mine, job, told("a", "done", step="before:people"))
    mine.put(f"/api/jobs/{job}/photos/p1", picture(), content_type="image/jpeg")
    for act in (
        lambda: Event.objects.all().update(key="b"),
        lambda: Event.objects.all().delete(),
        lambda: Photo.objects.all().update(key="b"),
        lambda: connection.cursor().execute("DELETE FROM record_photo"),
        lambda: connection.cursor().execute("UPDATE record_event SET data = '{}'"),
    ):
        with pytest.raises(IntegrityError, match="only added to"), transaction.atomic():
            act()
    assert Event.objects.count() == 1


def test_run_and_record_of_a_job(mine, job):
    run = mine.get(f"/api/jobs/{job}/run").json()
    assert run["ewerer"] == "run/1" and run["steps"][0]["id"] == "before:people"
    send(mine, job, told("a", "reading", 1, step="join:rest:M1", name="volts", value=53.11, shown="53.11", unit="V"))
    record = mine.get(f"/api/jobs/{job}/record").json()
    assert record["proposals"][0]["pointer"] == "/bank/modules/0/resting_v" and record["may_close"]
    assert mine.get(f"/api/jobs/{job}/run.pdf").content.startswith(b"%PDF")
    assert mine.get(f"/api/jobs/{job}/handover.pdf?paper=Letter").content.startswith(b"%PDF")


def test_found_values_in_events_change_the_plan_and_the_list_of_jobs(mine, job):
    before = mine.get(f"/api/jobs/{job}/plan").json()
    assert before["found"] == {}
    send(mine, job, told("a", "as-found", device="U1", setting="fill-volts", shown="60.0"))
    after = mine.get(f"/api/jobs/{job}/plan").json()
    assert any(f["setting"] == "fill-volts" and f["dangerous"] for f in after["found"]["U1"])
    assert items(mine, "/jobs")[0]["summary"]["stop"] > 0
    send(mine, job, told("b", "done", 2, step="before:people"))
    assert items(mine, "/jobs")[0]["summary"]["run"]["done"] == 1


def test_marks_of_a_file_of_the_first_release_become_events(mine):
    old = changed(
        SKERRY,
        as_found={"U1": {"fill-volts": "56.4"}},
        sheet_marks={"U1": {"fill-volts": {"state": "done", "read_back": "55.2", "note": "stiff"}, "tail": {"state": "skipped"}}},
    ) | {"ewerer": "job/1"}
    id = post(mine, "/jobs", old).json()["id"]
    document = mine.get(f"/api/jobs/{id}").json()["document"]
    assert document["ewerer"] == "job/2" and not {"as_found", "sheet_marks"} & set(document)
    told_ = state(mine, id)
    assert told_["found"] == {"U1": {"fill-volts": "56.4"}}
    assert told_["steps"]["enter:U1:fill-volts"]["back"] == "55.2" and told_["steps"]["enter:U1:tail"]["status"] == "skipped"
    plan = mine.get(f"/api/jobs/{id}/plan").json()
    assert plan["readbacks"]["U1"][0]["ok"] and plan["found"]["U1"]
    # Saved as a script of the first release would save it, marks and all: only what is new is told, nothing twice.
    count = Event.objects.count()
    assert put(mine, id, 1, old).status_code == 200 and Event.objects.count() == count
    old["as_found"]["U1"]["rest"] = "On"
    assert put(mine, id, 1, old).status_code == 200 and Event.objects.count() == count + 1
    exported = mine.get(f"/api/jobs/{id}/export").json()
    assert (
        exported["as_found"]["U1"]["fill-volts"] == "56.4"
        and {k: v for k, v in exported.items() if k not in ("as_found", "sheet_marks")} == document
    )


def test_stored_documents_of_the_first_release_are_moved_once_by_the_migration(mine, job):
    from ewerer.server.jobs.keeping import packed
    from ewerer.server.jobs.models import Revision

    held = Job.objects.get(pk=job)
    old = data(SKERRY) | {"ewerer": "job/1", "as_found": {"U1": {"rest": "On"}}, "sheet_marks": {"U1": {"tail": {"state": "done"}}}}
    Revision.objects.filter(job=held).update(whole=packed({"document": old, "series": {}}))
    migration = importlib.import_module("ewerer.server.record.migrations.0002_only_added")
    migration.marks(apps, None)
    assert state(mine, job)["found"] == {"U1": {"rest": "On"}} and state(mine, job)["steps"]["enter:U1:tail"]["status"] == "done"
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    assert document["ewerer"] == "job/2" and "as_found" not in document
    assert put(mine, job, 1, document).json()["revision"] == 1, "the same document is no new revision"


def test_photographs_are_kept_once_and_are_bounded(mine, job):
    sent = picture((640, 480))
    first = mine.put(f"/api/jobs/{job}/photos/p-1", sent, content_type="image/jpeg").json()
    again = mine.put(f"/api/jobs/{job}/photos/p-1", picture((10, 10)), content_type="image/jpeg").json()
    assert first == again and first["width"] == 640
    shown = mine.get(f"/api/jobs/{job}/photos/p-1")
    assert shown["Content-Type"] == "image/jpeg" and shown.content[:2] == b"\xff\xd8"
    big = io.BytesIO()
    from PIL import Image

    Image.effect_noise((2600, 2600), 90).save(big, "PNG")
    assert 3_000_000 < len(big.getvalue()) < 12_000_000, "larger than any document may be"
    assert mine.put(f"/api/jobs/{job}/photos/p-2", big.getvalue(), content_type="image/png").json()["width"] == 2000
    assert_problem(mine.put(f"/api/jobs/{job}/photos/p-3", b"x" * 12_000_001, content_type="image/jpeg"), 422)
    assert_problem(mine.put(f"/api/jobs/{job}/photos/p-3", b"no picture", content_type="image/jpeg"), 422)
    assert_problem(mine.put(f"/api/jobs/{job}/photos/bad name", sent, content_type="image/jpeg"), 422)
    assert_problem(mine.get(f"/api/jobs/{job}/photos/p-3"), 404)


def test_sign_off_waits_until_a_change_is_put_back_then_seals_a_file_that_verifies(mine, job, tmp_path):
    assert_problem(post(mine, f"/jobs/{job}/handovers", {"paper": "A4"}), 422)
    send(mine, job, told("t", "temporary", 1, step="proof:transfer", shown="60"))
    refused = send(mine, job, told("s", "signed", 2, name="Ada Reed", text="commissioned it")).json()["refused"]
    assert "put back" in refused[0]["message"] and state(mine, job)["signed"] == []
    send(mine, job, told("r", "restored", 3, step="proof:transfer", shown="20", verdict="pass"))
    mine.put(f"/api/jobs/{job}/photos/p-1", picture(), content_type="image/jpeg")
    send(mine, job, told("p", "photo", 4, photo="p-1"), told("s2", "signed", 5, name="Ada Reed", text="commissioned it"))
    made = post(mine, f"/jobs/{job}/handovers", {"paper": "Letter"}).json()
    assert made["number"] == 1 and made["revision"] == 1
    file = mine.get(f"/api/jobs/{job}/handovers/1").content
    assert verify(file, made["fingerprint"]).verdict == "unaltered" and "photos/p-1.jpg" in members(file)
    assert items(mine, f"/jobs/{job}/handovers")[0]["fingerprint"] == made["fingerprint"]
    checked = mine.post("/api/verify", file, content_type="application/zip").json()
    assert checked["verdict"] == "unaltered"
    assert mine.post("/api/verify?key=abcd", file, content_type="application/zip").json()["verdict"] == "other-key"
    broken = file[:-30] + b"\0" + file[-29:]
    assert mine.post("/api/verify", broken, content_type="application/zip").json()["verdict"] in ("altered", "unreadable")
    assert items(mine, "/jobs")[0]["summary"]["run"]["stands"] == "signed"
    send(mine, job, told("v", "visit", 9, text="Second visit"))
    assert items(mine, "/jobs")[0]["summary"]["run"]["stands"] == "on site"
    # What comes later makes another file; the first stays as it was.
    post(mine, f"/jobs/{job}/handovers", {})
    assert Handover.objects.count() == 2 and mine.get(f"/api/jobs/{job}/handovers/1").content == file
    assert (tmp_path / "keys").exists()


def test_instruments_and_what_is_due(mine, theirs, job):
    meter = {"name": "Blue meter", "kind": "volts", "pct": 0.5, "digits": 2, "step": 0.01, "due": "2026-06-01"}
    assert mine.put("/api/instruments", json.dumps(meter), content_type="application/json").status_code == 200
    assert mine.get("/api/instruments").json() == [meter] and theirs.get("/api/instruments").json() == []
    assert_problem(mine.put("/api/instruments", json.dumps({"name": "x", "pct": 300}), content_type="application/json"), 422)
    send(
        mine,
        job,
        told("l", "log", entry={"kind": "limit", "device": "M1", "text": "charge", "from": "1", "to": "2", "due": "2026-05-30"}),
    )
    due = mine.get("/api/due").json()
    assert [d["date"] for d in due["items"]] == ["2026-05-30", "2026-06-01"] and due["items"][0]["name"] == "Skerry Field Station"
    feed = Client().get(post(mine, "/due/feed", {}).json()["path"])
    assert feed.status_code == 200 and b"Take back" in feed.content
    assert_problem(Client().get("/api/feeds/forged/due.ics"), 404)
    assert theirs.get("/api/due").json()["items"] == []
    assert mine.delete("/api/instruments/Blue meter").status_code == 200 and mine.get("/api/instruments").json() == []
    assert_problem(mine.delete("/api/instruments/none"), 404)


def test_an_event_list_is_read_and_reading_it_twice_adds_nothing(mine, job):
    text = "time;code;text;device\n2026-01-01 10:00;F12;Low voltage;U1\n2026-01-02 10:00;F13;Fan;U2\n"
    read = post(mine, f"/jobs/{job}/log", {"text": text}).json()
    assert len(read["entries"]) == 2 and read["mapping"]["code"] == "code"
    lines = [told(e["id"], "log", i, entry=e["entry"]) for i, e in enumerate(read["entries"])]
    send(mine, job, *lines)
    again = post(mine, f"/jobs/{job}/log", {"text": text, "mapping": read["mapping"]}).json()
    assert [e["id"] for e in again["entries"]] == [e["id"] for e in read["entries"]]
    assert b"F13" in mine.get(f"/api/jobs/{job}/log.csv").content
    assert mine.get(f"/api/jobs/{job}/record").json()["faults"][0]["code"] == "F12"
    assert_problem(post(mine, f"/jobs/{job}/log", {"text": " \n"}), 422)
    for mapping in (None, {}, {"a": "when"}):
        unknown = post(mine, f"/jobs/{job}/log", {"text": "a,b\n1,2", "mapping": mapping}).json()
        assert unknown["columns"] == ["a", "b"] and unknown["entries"] == [] and unknown["problems"][0]["pointer"] == "/mapping"


def test_two_people_of_a_crew_on_one_run(mine, job):
    other = Client()
    other.force_login(person("amy", "Ours"))
    send(mine, job, told("a", "done", 1, step="before:people"))
    send(other, job, told("b", "done", 2, by="amy", step="before:gear"))
    for client in (mine, other):
        held = state(client, job)
        assert held["people"] == ["ann", "amy"] and set(held["steps"]) == {"before:people", "before:gear"}
