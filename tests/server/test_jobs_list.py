"""The list of jobs: words, states, order, pages and several at once, beside a restatement in plain Python."""

import io
import json
import random
import zipfile

import pytest

from tests.jobs import LARCH, SKERRY, data
from tests.server.asking import items, post

pytestmark = pytest.mark.django_db


@pytest.fixture
def forty(mine):
    from ewerer.server.jobs.models import Job

    chance = random.Random(5)
    for i in range(40):
        made = post(
            mine, "/jobs", data(chance.choice([SKERRY, LARCH])) | {"name": f"{chance.choice(['Mill', 'Weir', 'Barn'])} {i}"}
        )
        job = Job.objects.get(pk=made.json()["id"])
        job.summary |= {
            "stop": chance.choice([0, 0, 2]),
            "caution": chance.choice([0, 3]),
            "waits_stage": chance.choice(["bank", "link"]),
        }
        job.save()
    return items(mine, "/jobs?limit=500")


def test_narrowed_as_said(mine, forty):
    for words in ("", "mill", "WEIR 1", "barn zzz", "%", "makes"):
        for state in ("", "stop", "caution", "clear"):
            narrowed(mine, forty, words, state)


def narrowed(mine, forty, words, state):
    asked = (
        f"/jobs?limit=500&words={words.replace(' ', '+').replace('%', '%25')}"
        + (f"&state={state}" if state else "")
        + "&stage=bank"
    )

    def wanted(j):
        s = j["summary"]
        text = f"{j['name']}\n{s['waits_for']}\n{j['saved_by']}".lower()
        stands = "stop" if s["stop"] else "caution" if s["caution"] else "clear"
        return all(w in text for w in words.lower().split()) and (not state or stands == state) and s["waits_stage"] == "bank"

    assert {j["id"] for j in items(mine, asked)} == {j["id"] for j in forty if wanted(j)}, (words, state)


def test_sorted_and_in_pages_without_gap_or_twin(mine, forty):
    assert [j["name"] for j in items(mine, "/jobs?limit=500&sort=name")] == sorted(j["name"] for j in forty)
    worst = [(j["summary"]["stop"], j["summary"]["caution"]) for j in items(mine, "/jobs?limit=500&sort=state")]
    assert worst == sorted(worst, reverse=True)
    for sort in ("saved", "name", "state"):
        pages = [j["id"] for offset in range(0, 40, 7) for j in items(mine, f"/jobs?limit=7&offset={offset}&sort={sort}")]
        assert len(pages) == len(set(pages)) == 40


def test_several_at_once_and_only_ones_own(mine, theirs, forty):
    ids = [j["id"] for j in forty[:5]]
    assert post(theirs, "/jobs/together", {"ids": ids, "act": "put-away"}).json() == {"count": 0}
    assert zipfile.ZipFile(io.BytesIO(theirs.get("/api/jobs/files?" + "&".join(f"ids={i}" for i in ids)).content)).namelist() == []
    assert post(mine, "/jobs/together", {"ids": ids, "act": "put-away"}).json() == {"count": 5}
    assert len(items(mine, "/jobs?limit=500")) == 35
    assert post(mine, "/jobs/together", {"ids": ids, "act": "take-out"}).json() == {"count": 5}
    assert post(mine, "/jobs/together", {"ids": ids[:2], "act": "copy"}).json() == {"count": 2}
    assert len(items(mine, "/jobs?limit=500")) == 42
    archive = zipfile.ZipFile(io.BytesIO(mine.get("/api/jobs/files?" + "&".join(f"ids={i}" for i in ids)).content))
    names = {json.loads(archive.read(n))["name"] for n in archive.namelist()}
    assert names == {j["name"] for j in forty[:5]}


@pytest.mark.parametrize(
    "asked", ["/jobs?state=odd", "/jobs?sort=odd", "/jobs?words=" + "x" * 300, "/jobs/files", "/jobs/files?ids=1"]
)
def test_what_is_asked_wrongly_is_refused(mine, asked):
    assert mine.get(f"/api{asked}").status_code == 422
