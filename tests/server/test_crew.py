"""People, roles, invitations, several crews, the trail, one's own account."""

import json
import unicodedata
from datetime import timedelta

import pytest
from django.contrib.sessions.models import Session
from django.core.cache import cache
from django.db import DatabaseError, transaction
from django.test import Client
from django.utils import timezone

from ewerer.server.api.session import SIGN_INS
from ewerer.server.crews.models import Deed, Feed, Invitation, Member, SignIn
from ewerer.server.jobs.models import Job, Revision, Series
from ewerer.server.ops import tidy
from ewerer.server.record.models import Event
from tests.jobs import SKERRY, changed, data
from tests.server.asking import assert_problem, items, person, post, put

pytestmark = pytest.mark.django_db
GOOD = "otter lamp fern quarry"


def send(client, method, path, body=None):
    return client.generic(method, "/api" + path, json.dumps(body or {}), content_type="application/json")


def signed_in(name, password, **more):
    client = Client(**more)
    answer = post(client, "/session", {"username": name, "password": password})
    return client, answer


def who(client):
    return client.get("/api/session").json()


def test_an_invitation_is_good_once(mine):
    made = post(mine, "/crew/invitations", {"role": "member", "note": "Kim"}).json()
    told = Client().get(f"/api/session/invitations/{made['token']}").json()
    assert told["crew"] == "Ours" and told["role"] == "member"
    new = Client()
    body = {"username": "kim", "password": GOOD}
    assert post(new, f"/session/invitations/{made['token']}", body).json()["crew"] == "Ours"
    assert who(new)["role"] == "member"
    assert_problem(post(Client(), f"/session/invitations/{made['token']}", {**body, "username": "lee"}), 404)
    assert_problem(Client().get(f"/api/session/invitations/{made['token']}"), 404)
    line = items(mine, "/crew/invitations")[0]
    assert line["used_by"] == "kim" and line["token"] == "", "what stands in the link is told once"
    assert made["token"] not in str(list(Invitation.objects.values()))


@pytest.mark.parametrize(
    "body,at",
    [
        ({"username": "kim", "password": "short"}, "/password"),
        ({"username": "kim", "password": "lamp quarry"}, "/password"),  # one sign less than twelve
        ({"username": "kim", "password": "password1"}, "/password"),
        ({"username": "kimberley-stone", "password": "kimberley-stone1"}, "/password"),
        ({"username": "kim", "password": "6234567890123"}, "/password"),
        ({"username": "ANN", "password": GOOD}, "/username"),
        ({"username": "", "password": GOOD}, "/username"),
        ({"username": "a b\n", "password": GOOD}, "/username"),
        ({"username": "x" * 151, "password": GOOD}, "/username"),
    ],
)
def test_bad_names_and_passwords_are_refused_and_the_link_stays_good(mine, body, at):
    token = post(mine, "/crew/invitations", {"role": "reader"}).json()["token"]
    told = assert_problem(post(Client(), f"/session/invitations/{token}", body), 422)
    assert told["problems"][0]["pointer"] == at, told
    assert Client().get(f"/api/session/invitations/{token}").status_code == 200


def test_an_old_or_withdrawn_invitation_leads_nowhere(mine):
    old, back = (post(mine, "/crew/invitations", {"role": "reader"}).json() for _ in range(2))
    Invitation.objects.filter(pk=old["id"]).update(until=timezone.now() - timedelta(seconds=1))
    assert send(mine, "DELETE", f"/crew/invitations/{back['id']}").status_code == 204
    for made in (old, back):
        assert_problem(post(Client(), f"/session/invitations/{made['token']}", {"username": "kim", "password": GOOD}), 404)
    assert not Member.objects.filter(user__username="kim").exists()


def test_a_person_works_in_several_crews_and_sees_one_at_a_time(mine, theirs, job):
    token = post(theirs, "/crew/invitations", {"role": "reader"}).json()["token"]
    assert send(mine, "PUT", "/session/preferences", {"temperature": "F"}).status_code == 200
    assert post(mine, f"/session/invitations/{token}", {}).json()["crew"] == "Theirs"
    assert who(mine)["preferences"]["temperature"] == "F", "how a person likes figures goes with them"
    assert who(mine)["role"] == "reader" and items(mine, "/jobs") == []
    assert_problem(mine.get(f"/api/jobs/{job}"), 404)
    assert_problem(post(mine, "/jobs", data(SKERRY)), 403)
    ours = next(c for c in who(mine)["crews"] if c["name"] == "Ours")
    assert send(mine, "PUT", "/session/crew", {"id": ours["id"]}).json()["role"] == "lead"
    assert len(items(mine, "/jobs")) == 1
    none = Member.objects.get(user__username="bob").crew_id
    assert_problem(send(theirs, "PUT", "/session/crew", {"id": ours["id"]}), 404)
    assert none != ours["id"] and len(who(theirs)["crews"]) == 1


def test_the_last_lead_stays(mine):
    me = items(mine, "/crew/people")[0]
    assert_problem(send(mine, "PUT", f"/crew/people/{me['id']}", {"role": "member"}), 422)
    assert_problem(send(mine, "DELETE", f"/crew/people/{me['id']}"), 422)
    person("kim", "Ours", "member")
    kim = next(p for p in items(mine, "/crew/people") if p["name"] == "kim")
    assert send(mine, "PUT", f"/crew/people/{kim['id']}", {"role": "lead"}).json()["role"] == "lead"
    assert send(mine, "PUT", f"/crew/people/{me['id']}", {"role": "reader"}).status_code == 200
    assert_problem(send(mine, "PUT", f"/crew/people/{kim['id']}", {"role": "reader"}), 403)


def test_who_is_taken_out_sees_nothing_from_then_on(mine, job):
    other = Client()
    other.force_login(person("kim", "Ours", "member"))
    assert other.get(f"/api/jobs/{job}").status_code == 200
    kim = next(p for p in items(mine, "/crew/people") if p["name"] == "kim")
    assert send(mine, "DELETE", f"/crew/people/{kim['id']}").status_code == 204
    assert_problem(other.get(f"/api/jobs/{job}"), 404)


def test_people_of_other_crews_are_out_of_reach(mine, theirs):
    bob = Member.objects.get(user__username="bob").pk
    assert_problem(send(mine, "PUT", f"/crew/people/{bob}", {"role": "reader"}), 404)
    assert_problem(send(mine, "DELETE", f"/crew/people/{bob}"), 404)
    made = post(theirs, "/crew/invitations", {"role": "lead"}).json()
    assert_problem(send(mine, "DELETE", f"/crew/invitations/{made['id']}"), 404)


def test_the_trail_says_who_did_what_and_cannot_be_changed(mine, theirs, job):
    signed_in("ann", "wrong")
    signed_in("ann", "a-long-password")
    mine.get(f"/api/jobs/{job}/export")
    send(mine, "DELETE", f"/jobs/{job}")
    post(mine, "/crew/invitations", {"role": "reader", "note": "Lee"})
    told = [(d["who"], d["what"], d["about"]) for d in items(mine, "/crew/trail")]
    assert told == [
        ("ann", "invitation", "as reader: Lee"),
        ("ann", "job archived", "Skerry Field Station"),
        ("ann", "export", "Skerry Field Station"),
        ("ann", "sign-in", ""),
        ("ann", "sign-in failed", ""),
    ]
    assert items(theirs, "/crew/trail") == []
    with pytest.raises(DatabaseError), transaction.atomic():
        Deed.objects.update(who="nobody")


def test_a_changed_password_ends_the_other_sessions(mine):
    person("kim", "Ours", "reader")
    here, _ = signed_in("kim", "a-long-password", HTTP_USER_AGENT="Tablet")
    there, _ = signed_in("kim", "a-long-password")
    assert len(items(here, "/session/sign-ins")) == 2
    assert_problem(send(here, "POST", "/session/password", {"old": "wrong", "new": GOOD}), 422)
    assert_problem(send(here, "POST", "/session/password", {"old": "a-long-password", "new": "kim"}), 422)
    assert send(here, "POST", "/session/password", {"old": "a-long-password", "new": GOOD}).status_code == 200
    assert who(here)["signed_in"] and not who(there)["signed_in"]
    assert [s["this"] for s in items(here, "/session/sign-ins")] == [True]
    assert signed_in("kim", "a-long-password")[1].status_code == 401 and signed_in("kim", GOOD)[1].status_code == 200


def test_sessions_are_seen_and_ended_elsewhere(mine):
    person("kim", "Ours", "reader")
    here, _ = signed_in("kim", "a-long-password", HTTP_USER_AGENT="Tablet")
    there, _ = signed_in("kim", "a-long-password", HTTP_USER_AGENT="Laptop")
    assert {(s["agent"], s["this"]) for s in items(here, "/session/sign-ins")} == {("Tablet", True), ("Laptop", False)}
    assert send(here, "DELETE", "/session/sign-ins").status_code == 200
    assert who(here)["signed_in"] and not who(there)["signed_in"]
    send(here, "DELETE", "/session")
    assert not SignIn.objects.exists()


def test_the_end_of_a_session_is_told_and_put_off():
    person("kim", "Ours", "reader")
    here, _ = signed_in("kim", "a-long-password")
    soon = timezone.now() + timedelta(minutes=4)
    Session.objects.update(expire_date=soon)
    assert who(here)["until"][:19] == soon.isoformat()[:19]
    assert post(here, "/session/stay", {}).json()["until"] > (timezone.now() + timedelta(days=13)).isoformat()
    assert who(here)["until"] > (timezone.now() + timedelta(days=13)).isoformat()
    Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1))
    assert not who(here)["signed_in"]


def test_a_stranger_locks_nobody_out():
    """Five failures lock a name at that address for five minutes, nowhere else."""
    person("kim", "Ours", "member")
    for n in range(6):
        for _ in range(6):
            answer = signed_in("kim", "guess", REMOTE_ADDR=f"10.9.{n}.1")[1]
        assert answer.status_code == 429
    assert signed_in("kim", "a-long-password", REMOTE_ADDR="10.9.0.1")[1].status_code == 429
    assert signed_in("kim", "a-long-password", REMOTE_ADDR="10.0.0.7")[1].status_code == 200
    assert signed_in("lee", "guess", REMOTE_ADDR="10.9.0.1")[1].status_code == 401, "others are not slowed down"


def test_an_address_that_guesses_is_slowed_down_for_every_name(monkeypatch):
    cache.clear()
    monkeypatch.setattr(SIGN_INS, "num_requests", 8)
    person("kim", "Ours", "member")
    answers = [signed_in(f"name{n}", "guess", REMOTE_ADDR="10.9.9.9")[1].status_code for n in range(10)]
    assert answers == [401] * 8 + [429, 429]
    assert signed_in("kim", "a-long-password", REMOTE_ADDR="10.9.9.9")[1].status_code == 429
    assert signed_in("kim", "a-long-password", REMOTE_ADDR="10.9.9.8")[1].status_code == 200
    told = assert_problem(signed_in("kim", "x", REMOTE_ADDR="10.9.9.9")[1], 429)
    assert "try again in" in told["detail"]


def test_the_old_password_is_tried_ten_times_a_minute_at_most():
    cache.clear()
    person("kim", "Ours", "member")
    here, _ = signed_in("kim", "a-long-password")
    codes = [send(here, "POST", "/session/password", {"old": "wrong", "new": GOOD}).status_code for _ in range(12)]
    assert codes == [422] * 10 + [429, 429]


@pytest.mark.parametrize(
    "name,word",
    [
        ("аnn", "scripts"),  # a Cyrillic first letter
        ("kimᎪ", "scripts"),  # a Cherokee letter beside Latin ones
        ("ａｎｎ", "taken"),  # wide letters are the same name
        ("ΑΝΝ", "looks like"),  # Greek capitals
        ("rooк", "scripts"),
        ("r00k", "looks like"),
    ],
)
def test_no_name_looks_like_a_crew_mates(mine, name, word):
    person("rook", "Ours", "member")
    token = post(mine, "/crew/invitations", {"role": "reader"}).json()["token"]
    told = assert_problem(post(Client(), f"/session/invitations/{token}", {"username": name, "password": GOOD}), 422)
    assert told["problems"][0]["pointer"] == "/username" and word in told["detail"], told


@pytest.mark.parametrize("name", ["Ørsted", "josé", "Юлия", "ルミ", "kim.2", "o'hara"[0] + "hara"])
def test_names_of_any_one_script_are_taken_in_their_one_form(mine, name):
    token = post(mine, "/crew/invitations", {"role": "reader"}).json()["token"]
    decomposed = unicodedata.normalize("NFD", name)
    answer = post(Client(), f"/session/invitations/{token}", {"username": decomposed, "password": GOOD})
    assert answer.status_code == 200, answer.content
    assert answer.json()["user"] == unicodedata.normalize("NFKC", name)


def test_the_calendar_has_an_address_of_ones_own_told_once(mine, theirs):
    kim = Client()
    kim.force_login(person("kim", "Ours", "reader"))
    assert kim.get("/api/due").json()["feed"] is False
    first = post(kim, "/due/feed", {}).json()["path"]
    assert Client().get(first).content.startswith(b"BEGIN:VCALENDAR") and kim.get("/api/due").json()["feed"] is True
    second = post(kim, "/due/feed", {}).json()["path"]
    assert_problem(Client().get(first), 404)
    assert Client().get(second).status_code == 200 and "path" not in kim.get("/api/due").json()
    mine_too = post(mine, "/due/feed", {}).json()["path"]
    member = next(p for p in items(mine, "/crew/people") if p["name"] == "kim")
    send(mine, "DELETE", f"/crew/people/{member['id']}")
    assert_problem(Client().get(second), 404)
    assert send(mine, "DELETE", "/due/feed").status_code == 204
    assert_problem(Client().get(mine_too), 404)
    assert second.split("/")[3] not in str(list(Feed.objects.values()))


def gone_for_good(mine, job):
    send(mine, "DELETE", f"/jobs/{job}")
    assert post(mine, f"/jobs/{job}/delete-for-good", {}).status_code == 200
    Job.objects.filter(pk=job).update(delete_after=timezone.now() - timedelta(seconds=2))


def test_a_job_goes_for_good_only_after_its_time_of_grace(mine):
    year = [float(i % 70) for i in range(500)]
    job = post(mine, "/jobs", changed(SKERRY, flow__load={"step_min": 60, "start": "2025-01-01", "values_w": year})).json()["id"]
    event = {
        "ewerer": "event/1",
        "id": "n-1",
        "at": "2026-01-02T10:00:00.000Z",
        "by": "ann",
        "kind": "note",
        "step": "s",
        "text": "wet",
    }
    assert post(mine, f"/jobs/{job}/events", {"events": [event]}).json()["refused"] == []
    assert_problem(post(mine, f"/jobs/{job}/delete-for-good", {}), 422)
    send(mine, "DELETE", f"/jobs/{job}")
    line = post(mine, f"/jobs/{job}/delete-for-good", {}).json()
    assert line["delete_after"] > (timezone.now() + timedelta(days=29)).isoformat()
    assert tidy.tidy()["jobs"] == 0
    with pytest.raises(DatabaseError), transaction.atomic():
        Event.objects.all().delete()
    assert post(mine, f"/jobs/{job}/take-out", {}).json()["delete_after"] is None
    gone_for_good(mine, job)
    assert tidy.tidy()["jobs"] == 1
    assert not Job.objects.exists() and not Event.objects.exists() and not Revision.objects.exists() and not Series.objects.exists()
    assert items(mine, "/crew/trail")[0]["what"] == "deleted for good"


def test_old_revisions_go_where_a_lead_says_so_and_the_rest_reads_as_before(mine, job):
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    for n in range(1, 31):
        put(mine, job, n, {**document, "notes": f"note {n}"})
    assert send(mine, "PUT", "/crew/keeping", {"keep_revisions": 7}).json()["keep_revisions"] == 7
    kept = {n: mine.get(f"/api/jobs/{job}/revisions/{n}").json() for n in range(25, 32)}
    assert tidy.tidy()["revisions"] == 24
    assert [r["number"] for r in items(mine, f"/jobs/{job}/revisions")] == list(range(31, 24, -1))
    assert {n: mine.get(f"/api/jobs/{job}/revisions/{n}").json() for n in kept} == kept
    assert tidy.tidy()["revisions"] == 0
    assert put(mine, job, 31, {**document, "notes": "more"}).json()["revision"] == 32
    assert mine.get(f"/api/jobs/{job}/revisions/28").json() == kept[28]
