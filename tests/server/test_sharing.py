"""Links to one job that end by themselves, and what was printed of its sheets."""

import re
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from ewerer.server.jobs.models import SharedLink
from tests.server.asking import post

pytestmark = pytest.mark.django_db


def made(mine, job, **asked):
    answer = post(mine, f"/jobs/{job}/links", {"days": 7, **asked})
    assert answer.status_code == 201, answer.content
    return answer.json()


def test_who_has_the_link_reads_the_answers_and_the_sheets_without_signing_in(mine, job):
    link = made(mine, job, note="the owner")
    answer = Client().get(link["path"])
    page = answer.content.decode()
    plan = mine.get(f"/api/jobs/{job}/plan").json()
    assert answer.status_code == 200
    assert all(s["answer"].replace("'", "&#39;") in page for s in plan["stages"] if s["answer"])
    for sheet in plan["units"]:
        rows = re.findall(r'<td class="big">(\S+)', page)
        assert {r["entry"].split()[0] for r in sheet["settings"]} <= set(rows)
    assert "<script" not in page and "http://" not in page and "https://" not in page
    assert "default-src 'none'" in answer["Content-Security-Policy"]
    assert answer["Referrer-Policy"] == "no-referrer" and answer["X-Robots-Tag"] == "noindex"


def test_a_link_shows_the_job_as_it_is_now(mine, job):
    link = made(mine, job)
    held = mine.get(f"/api/jobs/{job}").json()
    changed = {**held["document"], "name": "Renamed & <b>bold</b>"}
    body = {"document": changed, "base_revision": held["revision"]}
    assert mine.put(f"/api/jobs/{job}", body, content_type="application/json").status_code == 200
    page = Client().get(link["path"]).content.decode()
    assert "Renamed &amp; &lt;b&gt;bold&lt;/b&gt;" in page and "<b>bold" not in page


def test_a_link_that_ended_is_taken_back_or_whose_job_is_archived_leads_nowhere(mine, job):
    old, back, stays = (made(mine, job, note=n)["path"] for n in ("old", "back", "stays"))
    SharedLink.objects.filter(note="old").update(until=timezone.now() - timedelta(seconds=1))
    listed = mine.get(f"/api/jobs/{job}/links").json()["items"]
    assert [i["note"] for i in listed] == ["stays", "back"] and all(i["path"] is None for i in listed)
    assert mine.delete(f"/api/jobs/{job}/links/{listed[1]['id']}").status_code == 204
    assert [Client().get(p).status_code for p in (old, back, stays)] == [404, 404, 200]
    assert mine.delete(f"/api/jobs/{job}").status_code in (200, 204)
    assert Client().get(stays).status_code == 404
    assert Client().get("/api/shared/" + "x" * 43).status_code == 404


def test_the_database_holds_no_secret_and_a_job_at_most_twenty_links(mine, job):
    link = made(mine, job)
    token = link["path"].rsplit("/", 1)[1]
    assert not SharedLink.objects.filter(hash=token).exists() and len(SharedLink.objects.get().hash) == 64
    for _ in range(19):
        made(mine, job)
    assert post(mine, f"/jobs/{job}/links", {"days": 7}).status_code == 422
    SharedLink.objects.filter(pk=link["id"]).update(until=timezone.now() - timedelta(days=1))
    made(mine, job)
    for days in (0, 91, "soon"):
        assert post(mine, f"/jobs/{job}/links", {"days": days}).status_code == 422


def test_what_was_printed_is_remembered_by_device_the_last_time(mine, job):
    def printed(device, entries):
        return mine.put(f"/api/jobs/{job}/printed/{device}", {"entries": entries}, content_type="application/json")

    assert printed("U1", {"absorb": "55.2"}).status_code == 200
    assert printed("U1", {"absorb": "55.4"}).json()["entries"] == {"absorb": "55.4"}
    assert printed("U2", {"absorb": "55.2"}).status_code == 200
    listed = mine.get(f"/api/jobs/{job}/printed").json()["items"]
    assert [(i["device"], i["entries"]["absorb"], i["revision"]) for i in listed] == [("U1", "55.4", 1), ("U2", "55.2", 1)]
    assert printed("U" * 41, {}).status_code == 422
    assert printed("U1", {"a": "x" * 81}).status_code == 422
    assert printed("U1", {str(n): "1" for n in range(401)}).status_code == 422
