"""Plans that are kept: always what planning anew gives, whatever changed between, and never more of them than meant."""

import json
import random
import threading
import time

import pytest

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.documents import InverterProfile
from ewerer.core.plan import plan
from ewerer.core.symptoms.finder import diagnose, knowledge
from ewerer.core.trade.budget import Spent
from ewerer.server import planned as kept
from ewerer.server import tasks
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed

pytestmark = pytest.mark.django_db
SHIPPED = shipped_library()


def anew(job, library):
    return plan(job, library).model_dump_json(by_alias=True)


def test_a_kept_plan_is_what_planning_anew_gives_in_any_order_of_edits():
    lot = random.Random(11)
    edits = [changed(lot.choice([SKERRY, LARCH, TARN]), bank__fuse_a=lot.choice([250, 300, 350])) for _ in range(40)]
    for edit in edits:
        job = parse_job(json.dumps(edit), SHIPPED)
        assert kept.planned(job, SHIPPED).json == anew(job, SHIPPED)


def test_another_version_of_a_profile_of_ones_own_makes_another_plan():
    """The same document, the same id and revision, another content: as two crews may have, or one that saved it again."""
    document = changed(SKERRY)
    own = SHIPPED.get(document["units"][0]["profile"], InverterProfile).model_dump(
        mode="json", by_alias=True, exclude_unset=True
    ) | {"id": "ours"}
    one, two = (Library([*SHIPPED, parse_profile(json.dumps(own | {"name": name}))]) for name in ("First", "Second"))
    document["units"] = [unit | {"profile": "ours"} for unit in document["units"]]
    job = parse_job(json.dumps(document), one)
    assert anew(job, one) != anew(job, two)
    assert kept.planned(job, one).json == anew(job, one)
    assert kept.planned(job, two).json == anew(job, two)


def test_a_plan_is_made_once_for_a_document_and_the_oldest_go(monkeypatch):
    made = []
    monkeypatch.setattr(tasks, "plan", lambda job, library: made.append(job.name) or plan(job, library))
    monkeypatch.setattr(kept, "MOST", 3)
    kept._kept.clear()
    jobs = [parse_job(json.dumps(changed(SKERRY, bank__fuse_a=200 + n)), SHIPPED) for n in range(5)]
    for job in [*jobs, *jobs[-3:]]:
        kept.planned(job, SHIPPED)
    assert len(made) == 5 and len(kept._kept) == 3
    kept.planned(jobs[0], SHIPPED)
    assert len(made) == 6


def test_what_is_typed_is_planned_once_though_it_is_saved_and_opened_too(mine, job, monkeypatch):
    made = []
    monkeypatch.setattr(tasks, "plan", lambda job, library: made.append(job.name) or plan(job, library))
    edit = json.dumps(changed(SKERRY, bank__fuse_a=277))
    told = mine.post("/api/plan", edit, content_type="application/json").json()
    body = json.dumps({"base_revision": 1, "document": json.loads(edit)})
    assert mine.put(f"/api/jobs/{job}", body, content_type="application/json").status_code == 200
    assert mine.get(f"/api/jobs/{job}/opening").json()["plan"] == told == mine.get(f"/api/jobs/{job}/plan").json()
    assert len(made) == 1


def test_two_that_ask_for_one_plan_at_a_time_share_it_and_one_that_gives_up_leaves_it_to_the_other(monkeypatch):
    made, inside = [], threading.Event()

    def slowly(job, library):
        made.append(threading.current_thread().name)
        inside.set()
        time.sleep(0.3)
        if made[-1] == "gives up":
            raise Spent
        return plan(job, library)

    monkeypatch.setattr(tasks, "plan", slowly)
    for first, times in (("stays", 1), ("gives up", 2)):
        made.clear(), inside.clear(), kept._kept.clear()
        job = parse_job(json.dumps(changed(SKERRY, bank__fuse_a=311)), SHIPPED)
        told = {}

        def ask(name, told=told, job=job):
            try:
                told[name] = kept.planned(job, SHIPPED).json
            except Spent:
                told[name] = "spent"

        threads = [threading.Thread(target=ask, args=(n,), name=n) for n in (first, "second", "third")]
        threads[0].start()
        inside.wait(5)
        for t in threads[1:]:
            t.start()
        for t in threads:
            t.join(20)
        assert told["second"] == told["third"] == anew(job, SHIPPED)
        assert len(made) == times and made[0] == first


@pytest.mark.parametrize("name", NAMES)
def test_causes_are_ranked_by_the_plan_that_is_kept_as_by_one_made_anew(mine, name, monkeypatch):
    document = changed(name, bank__fuse_a=40)
    findings = plan(parse_job(json.dumps(document), SHIPPED), SHIPPED).findings
    assert mine.post("/api/plan", json.dumps(document), content_type="application/json").status_code == 200
    monkeypatch.setattr(tasks, "plan", None)  # nothing is planned again
    moved = 0
    for symptom in knowledge().symptoms:
        body = json.dumps({"document": document})
        told = mine.post(f"/api/symptoms/{symptom.id}", body, content_type="application/json").json()
        assert told == diagnose(symptom.id, {}, findings).model_dump(mode="json", by_alias=True)
        moved += told != diagnose(symptom.id, {}).model_dump(mode="json", by_alias=True)
    assert moved, "the plan is evidence"
