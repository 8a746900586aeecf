"""What the list shows of a plan, brought up after the save: at the end it is what the job is, whatever came between."""

import itertools
import random
import threading
import time
import uuid

import pytest
from django.db import transaction

from ewerer.core.plan import plan
from ewerer.server import due, planned, tasks
from ewerer.server.jobs import actions
from ewerer.server.jobs.actions import all_due
from ewerer.server.jobs.models import Job
from ewerer.server.record.actions import bring_up, now, sight_of
from tests.core.test_fold import event
from tests.jobs import SKERRY, TARN, changed
from tests.server.asking import items, post, put


@pytest.fixture
def later(monkeypatch):
    """Somebody brings up later what is due: this test, with what is returned; nothing rests."""
    monkeypatch.setattr(due, "_thread", threading.current_thread())
    monkeypatch.setattr(due, "REST_S", 0.0)
    due._waiting.clear()
    planned._kept.clear()

    def drain():
        while due._waiting:
            due.carry_out(bring_up)

    yield drain
    due._waiting.clear()


def anew_plan(id):
    sight = sight_of(Job.objects.select_related("crew").get(pk=id))
    return plan(sight.document, sight.library)


def anew(id):
    """What the list shows of the plan of a job, planned anew."""
    return tasks._summary(anew_plan(id))


def shown(id):
    """What the list shows of the plan of a job, and since when it is due."""
    held = Job.objects.get(pk=id)
    return {k: held.summary.get(k) for k in anew(id)}, held.summary_due


def found(number, unit, setting, text):
    """An event that says what a unit shows."""
    return event(f"e{number}", "as-found", now(), "ann", device=unit, setting=setting, shown=text)


@pytest.mark.django_db(transaction=True)
def test_a_save_does_not_wait_for_the_plan_and_the_list_has_it_soon(mine, later):
    id = post(mine, "/jobs", changed(SKERRY)).json()["id"]
    assert shown(id)[1] > 0 and not planned._kept
    assert put(mine, id, 1, changed(SKERRY, bank__fuse_a=40)).status_code == 200
    assert [w.job for w in due._waiting.values()] == [uuid.UUID(id)], "two saves, one plan"
    later()
    assert shown(id) == (anew(id), 0) and shown(id)[0]["keys"]
    assert len(planned._kept) == 1
    line = items(mine, "/jobs")[0]
    assert line["summary"]["waits_for"] == anew(id)["waits_for"]


@pytest.mark.django_db(transaction=True)
def test_a_plan_that_is_known_is_shown_with_the_save(mine, later):
    id = post(mine, "/jobs", changed(SKERRY)).json()["id"]
    later()
    edit = changed(SKERRY, bank__fuse_a=55)
    post(mine, "/plan", edit)
    assert put(mine, id, 1, edit).status_code == 200
    assert shown(id) == (anew(id), 0) and not due._waiting


@pytest.mark.django_db(transaction=True)
def test_a_server_that_was_killed_between_knows_what_is_due(mine, later):
    ids = [post(mine, "/jobs", changed(name)).json()["id"] for name in (SKERRY, TARN)]
    due._waiting.clear()  # as a crash leaves it
    for job, crew in all_due():
        due.note(job, crew)
    assert {str(w) for w in due._waiting} == set(ids)
    later()
    assert all(shown(id) == (anew(id), 0) for id in ids) and all_due() == []


@pytest.mark.django_db  # in one transaction, for events are never deleted; what would follow a commit follows at once
def test_whatever_comes_between_the_list_ends_with_what_the_job_is(mine, later, monkeypatch):
    """Random saves, known and unknown plans, events, plans that end late: compared with planning anew when all is quiet."""
    monkeypatch.setattr(transaction, "on_commit", lambda act: act())
    lot = random.Random(3)
    id = post(mine, "/jobs", changed(SKERRY)).json()["id"]
    revision, number, started = 1, 0, None
    unit = anew_plan(id).units[0]
    settings = [r.setting for r in unit.settings]

    def tell():
        nonlocal number
        number += 1
        told = found(number, unit.id, lot.choice(settings), str(lot.randrange(50)))
        assert post(mine, f"/jobs/{id}/events", {"events": [told]}).json()["accepted"] == 1

    real = actions._summary_of

    def disturbed(parts):
        known = real(parts)
        if lot.random() < 0.3:  # somebody on site tells something after this save has read what was told
            tell()
        return known

    monkeypatch.setattr(actions, "_summary_of", disturbed)
    for _ in range(120):
        act = lot.choice(["save", "save", "known", "event", "due", "begin", "end"])
        if act in ("save", "known"):
            edit = changed(SKERRY, bank__fuse_a=lot.choice([40, 90, 250, 400]))
            if act == "known":
                post(mine, "/plan", edit)
            answer = put(mine, id, revision, edit)
            assert answer.status_code == 200
            revision = answer.json()["revision"]
            if lot.random() < 0.5:
                planned._kept.clear()
        elif act == "event":
            tell()
        elif act == "due" and due._waiting:
            due.carry_out(bring_up)
        elif act == "begin" and due._waiting and started is None:  # taken out to be brought up; it ends later
            started = due._waiting.popitem(last=False)[1]
        elif act == "end" and started is not None:
            bring_up(started.job, started.at, started.of)
            started = None
        if lot.random() < 0.15:
            if started is not None:
                bring_up(started.job, started.at, started.of)
                started = None
            later()
            assert shown(id) == (anew(id), 0)
    if started is not None:
        bring_up(started.job, started.at, started.of)
    later()
    assert shown(id) == (anew(id), 0)
    assert revision > 10


@pytest.mark.django_db(transaction=True)
def test_what_cannot_be_brought_up_holds_up_nobody_and_stays_due(mine, later, caplog, monkeypatch):
    ids = [post(mine, "/jobs", changed(name)).json()["id"] for name in (SKERRY, TARN)]
    real, bad = tasks.plan, ids[0]

    def fails(job, library):
        if job.name == changed(SKERRY)["name"]:
            raise RuntimeError("a defect")
        return real(job, library)

    monkeypatch.setattr(tasks, "plan", fails)
    later()
    assert f"the list's line of job {bad} cannot be brought up" in caplog.text
    assert [str(job) for job, _ in all_due()] == [bad]
    assert shown(ids[1])[1] == 0


def test_who_asks_for_the_list_waits_for_a_few_and_not_long(monkeypatch):
    monkeypatch.setattr(due, "REST_S", 600.0)
    due._waiting.clear()
    one, done, go = uuid.uuid4(), [], threading.Event()
    due.note(one, 1)
    worker = threading.Thread(target=due.carry_out, args=(lambda *a: (go.wait(60), done.append(a)),), daemon=True)
    worker.start()
    began = time.perf_counter()
    due.settled(2, 60.0)
    assert not done and time.perf_counter() - began < 30, "another crew's job is nothing to wait for"
    threading.Timer(0.2, go.set).start()
    due.settled(1, 60.0)
    assert [a[0] for a in done] == [one] and time.perf_counter() - began < 50, "a job does not rest while somebody waits"
    worker.join(5)
    for _ in range(due.FEW + 1):
        due.note(uuid.uuid4(), 1)
    began = time.perf_counter()
    due.settled(1, 60.0)
    assert time.perf_counter() - began < 30, "what would take long is not waited for"
    due._waiting.clear()
    due.note(one, 1)
    due.settled(1, 0.2)
    assert one in due._waiting
    due._waiting.clear()


def test_a_job_that_is_noted_again_counts_as_it_was_noted_last():
    due._waiting.clear()
    one, other = uuid.uuid4(), uuid.uuid4()
    due.note(one, 1, 5, "old"), due.note(other, 1, 6, "other"), due.note(one, 1, 7, "new")
    assert [(w.job, w.at, w.of) for w in due._waiting.values()] == [(one, 7, "new"), (other, 6, "other")]
    due.note(one, 1)
    assert (due._waiting[one].at, due._waiting[one].of) == (0, None)
    due._waiting.clear()


@pytest.mark.parametrize(("took", "asking", "least", "most"), [(0.3, 0, 0.3, 60.0), (60.0, 1, 0.0, 30.0)])
def test_plans_that_nobody_waits_for_take_half_of_a_processor(monkeypatch, took, asking, least, most):
    began = []

    def carry_out(_):
        began.append(time.monotonic())
        if len(began) == 3:
            raise SystemExit
        return took

    monkeypatch.setattr(due, "carry_out", carry_out)
    monkeypatch.setattr(due, "_asking", asking)
    with pytest.raises(SystemExit):
        due._carry_on(lambda *_: None)
    for before, after in itertools.pairwise(began):
        assert least <= after - before < most
