"""Bad data does not spread: a profile that this version cannot read is named, and everything else works."""

import contextlib
import errno
import json

import pytest
from django.db.utils import OperationalError

from ewerer.server import writing
from ewerer.server.jobs import keeping
from ewerer.server.jobs.models import Revision
from ewerer.server.profiles import actions
from ewerer.server.profiles.models import CrewProfile, ProfileVersion
from tests.jobs import SKERRY, changed, data
from tests.server.asking import items, post

pytestmark = pytest.mark.django_db


@pytest.fixture
def own(mine):
    """Two profiles of the crew, one of them broken afterwards, as an older or newer version might have left it."""
    shipped = mine.get("/api/library/cobbleway-200").json()
    for id in ("good-one", "bad-one"):
        assert post(mine, "/library", shipped | {"id": id, "name": id.title()}).status_code == 201
    version = ProfileVersion.objects.get(profile__profile_id="bad-one")
    version.document = version.document | {"capacity_ah": "as it was once"}
    version.save()


def test_the_library_names_what_it_cannot_read_and_shows_the_rest(mine, own):
    lines = {p["id"]: p for p in items(mine, "/library?limit=500")}
    assert "capacity_ah" in lines["bad-one"]["unreadable"] and "cannot read" in lines["bad-one"]["about"]
    assert lines["good-one"]["unreadable"] == ""
    assert len(lines) > 10


def test_jobs_that_do_not_use_it_go_on(mine, own):
    made = post(mine, "/jobs", data(SKERRY))
    assert made.status_code == 201
    for path in ("", "/plan", "/run"):
        assert mine.get(f"/api/jobs/{made.json()['id']}{path}").status_code == 200
    assert post(mine, "/plan", data(SKERRY)).status_code == 200


def test_a_job_that_uses_it_is_refused_at_its_place_and_never_a_failure(mine, own):
    job = data(SKERRY)
    job["bank"]["modules"][0]["profile"] = "bad-one"
    answer = post(mine, "/plan", job)
    assert answer.status_code == 422
    assert [p["pointer"] for p in answer.json()["problems"]] == ["/bank/modules/0/profile"]
    assert mine.get("/api/library/bad-one").status_code == 404


def test_a_job_already_stored_with_it_can_be_opened_and_taken_to_another(mine, own):
    job = data(SKERRY)
    job["bank"]["modules"][0]["profile"] = "good-one"
    id = post(mine, "/jobs", job).json()["id"]
    version = ProfileVersion.objects.get(profile__profile_id="good-one")
    version.document = {"ewerer": "module/9"}
    version.save()
    assert mine.get(f"/api/jobs/{id}").status_code == 200
    assert len(items(mine, "/jobs")) == 1
    assert mine.get(f"/api/jobs/{id}/plan").status_code == 422
    job["bank"]["modules"][0]["profile"] = "dunmarrow-280"
    assert (
        mine.put(f"/api/jobs/{id}", json.dumps({"base_revision": 1, "document": job}), content_type="application/json").status_code
        == 200
    )


@pytest.mark.parametrize("odd", [{"bank": {"fuse_a": "much"}}, {"not-a-key": 1}, {"units": 7}], ids=["value", "key", "kind"])
def test_a_stored_job_that_this_version_refuses_opens_and_is_refused_at_its_place(mine, job, odd):
    """As an older or newer version might have left it: never a failure, and what works goes on."""
    revision = Revision.objects.get(job_id=job, number=1)
    held = keeping.unpacked(revision.whole)
    revision.whole = keeping.packed({**held, "document": held["document"] | odd})
    revision.save()
    told = mine.get(f"/api/jobs/{job}/opening")
    assert told.status_code == 200 and told.json()["plan"] is None
    assert told.json()["job"]["document"].items() >= odd.items()
    for path in ("/plan", "/run", "/record", "/export", "/sheets/U1"):
        answer = mine.get(f"/api/jobs/{job}{path}")
        assert answer.status_code == 422 and answer.json()["problems"], path
    assert post(mine, f"/jobs/{job}/copy", {}).status_code == 422
    assert len(items(mine, "/jobs")) == 1
    body = json.dumps({"base_revision": 1, "document": data(SKERRY)})
    assert mine.put(f"/api/jobs/{job}", body, content_type="application/json").status_code == 200
    assert mine.get(f"/api/jobs/{job}/opening").json()["plan"] is not None


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), 507, "disk is full"),
        (OSError(errno.EROFS, "Read-only file system"), 507, "cannot be written"),
        (OSError(errno.EACCES, "Permission denied"), 507, "cannot be written"),
        (OSError(errno.EIO, "Input/output error"), 507, "disk fails"),
        (OperationalError("database or disk is full"), 507, "disk is full"),
        (OperationalError("attempt to write a readonly database"), 507, "cannot be written"),
        (OperationalError("disk I/O error"), 507, "disk fails"),
        (OperationalError("database is locked"), 503, "busy"),
        (OSError(errno.EMFILE, "Too many open files"), 500, "Internal"),
        (OperationalError("no such table: jobs_job"), 500, "Internal"),
    ],
    ids=str,
)
def test_what_cannot_be_stored_is_said_and_a_defect_stays_a_defect(mine, job, monkeypatch, error, status, words):
    @contextlib.contextmanager
    def nobody():
        raise error
        yield

    mine.raise_request_exception = False
    monkeypatch.setattr(writing, "alone", nobody)
    body = json.dumps({"base_revision": 1, "document": changed(SKERRY, bank__fuse_a=288)})
    told = mine.put(f"/api/jobs/{job}", body, content_type="application/json")
    assert told.status_code == status and words in told.json()["title"]
    assert mine.get(f"/api/jobs/{job}/opening").json()["job"]["revision"] == 1


def test_a_plan_reads_only_the_profiles_that_its_job_names(mine, monkeypatch):
    shipped = mine.get("/api/library/cobbleway-200").json()
    for i in range(30):
        assert post(mine, "/library", shipped | {"id": f"own-{i}", "name": f"Own {i}"}).status_code == 201
    job = data(SKERRY)
    job["bank"]["modules"][0]["profile"] = "own-7"
    read = []
    monkeypatch.setattr(actions, "profile_of", lambda v, real=actions.profile_of: read.append(v.profile.profile_id) or real(v))
    assert post(mine, "/plan", job).status_code == 200
    assert set(read) == {"own-7"}


def test_what_is_put_away_stays_for_the_jobs_that_pin_it(mine, own):
    job = data(SKERRY) | {"profile_revisions": {"good-one": 1}}
    job["bank"]["modules"][0]["profile"] = "good-one"
    id = post(mine, "/jobs", job).json()["id"]
    assert mine.delete("/api/library/good-one").status_code == 204
    assert "good-one" not in {p["id"] for p in items(mine, "/library?limit=500")}
    assert {p["id"] for p in items(mine, "/library?put_away=true")} == {"good-one"}
    assert mine.get(f"/api/jobs/{id}/plan").status_code == 200
    assert mine.post("/api/library/good-one/take-out").status_code == 204
    assert CrewProfile.objects.get(profile_id="good-one").put_away is False
