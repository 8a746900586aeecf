"""Questions that are put together once answer as the querysets they are made of; rows are written as ``save`` writes them."""

import uuid
from datetime import UTC, datetime, timedelta

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import connection
from django.db.models import Q
from django.forms.models import model_to_dict
from django.test.utils import CaptureQueriesContext
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from ewerer.server.crews import store
from ewerer.server.crews.models import Crew, Member
from ewerer.server.crews.store import BACKEND, SessionStore
from ewerer.server.jobs import actions as jobs
from ewerer.server.jobs.models import Job, Revision, Series
from ewerer.server.people import _PLACES
from ewerer.server.profiles import actions as profiles
from ewerer.server.questions import Question, write
from ewerer.server.record import actions as record
from ewerer.server.record.models import Event

NOW = datetime(2026, 5, 1, 12, tzinfo=UTC)


def whole(row):
    """All fields of a row, of the rows that came with it too."""
    told = {f.attname: getattr(row, f.attname) for f in row._meta.concrete_fields if f.attname in row.__dict__}
    beside = {name: whole(held) for name, held in row._state.fields_cache.items()}
    return type(row), row._state.adding, row._state.db, told, beside


def alike(question, values, expected):
    """Ask twice, as what is put together first is also what is asked later."""
    with CaptureQueriesContext(connection) as seen:
        answers = [question(*values), question(*values)]
    assert len(seen) == 2 and seen[0]["sql"] == seen[1]["sql"]
    for answer in answers:
        if isinstance(answer[0] if answer else None, tuple):
            assert answer == expected
        else:
            assert [whole(a) for a in answer] == [whole(e) for e in expected]


words = st.text(max_size=12).filter(lambda t: "\0" not in t)
data = st.dictionaries(words, st.recursive(st.none() | st.integers(-(2**40), 2**40) | words, st.lists, max_leaves=4), max_size=4)


class TestQuestions(TestCase):
    """Random people, crews, jobs and events; every question of the server beside its queryset."""

    @settings(max_examples=60, deadline=None)
    @given(st.data())
    def test_every_question_answers_as_its_queryset(self, drawn):
        people = [User.objects.create(username=f"p{n}", is_active=drawn.draw(st.booleans())) for n in range(2)]
        crews = [Crew.objects.create(name=f"c{n}") for n in range(3)]
        for person in people:
            for crew in drawn.draw(st.lists(st.sampled_from(crews), unique=True)):
                Member.objects.create(user=person, crew=crew, role="member", preferences=drawn.draw(data))
        made = []
        for n in range(3):
            job = Job(crew=drawn.draw(st.sampled_from(crews)), name=f"j{n}", saved_by=people[0], summary=drawn.draw(data))
            job.revision = drawn.draw(st.integers(0, 3))
            job.save()
            made.append(job)
            for number in range(1, 4):
                Revision.objects.create(job=job, number=number, patch=drawn.draw(st.binary(max_size=8)), saved_by=people[1])
            for k in range(drawn.draw(st.integers(0, 3))):
                Event.objects.create(job=job, key=f"e{k}", data=drawn.draw(data), added_by=people[0])
        for k in range(drawn.draw(st.integers(0, 3))):
            kind = drawn.draw(st.sampled_from(["inverter", "module", "adapter"]))
            profiles.CrewProfile.objects.create(crew=drawn.draw(st.sampled_from(crews)), profile_id=f"x{k}", kind=kind, name="x")
        Session.objects.create(session_key="a" * 32, session_data="x", expire_date=NOW)

        for person in people:
            alike(_PLACES, [person.pk], list(Member.objects.select_related("crew").filter(user=person)))
            held = User.objects.filter(pk=person.pk)
            alike(store._PERSON, [person.pk], list(held))
        for crew in crews:
            own = profiles.CrewProfile.objects.filter(crew=crew)
            assert profiles._has_any(crew, None) == own.exists()
            used = drawn.draw(st.sets(st.sampled_from([f"x{k}" for k in range(20)])))
            assert profiles._has_any(crew, used) == own.filter(Q(profile_id__in=used) | Q(kind="adapter")).exists()
            for job in made:
                newest = Revision.objects.select_related("job").filter(job=job, job__crew=crew, number=job.revision)
                alike(jobs._NEWEST, [job.pk, crew.pk], list(newest))
                told = [(e.pk, e.data) for e in Event.objects.filter(job=job, job__crew=crew).order_by("id")]
                alike(record._TOLD, [job.pk, crew.pk], told)
                alike(record._LAST, [job.pk], [(e.pk,) for e in Event.objects.filter(job=job).order_by("-id")[:1]])
        for key in ("a" * 32, "b" * 32, "' OR 1=1 --", ""):
            for moment in (NOW - timedelta(microseconds=1), NOW, NOW + timedelta(microseconds=1)):
                alike(store._OF_KEY, [key, moment], list(Session.objects.filter(session_key=key, expire_date__gt=moment)))

    @settings(max_examples=60, deadline=None)
    @given(words, data, st.binary(max_size=30), st.none() | st.datetimes(datetime(2000, 1, 1), datetime(2200, 1, 1)))
    def test_a_row_is_written_as_save_writes_it(self, name, summary, blob, moment):
        person, crew = User.objects.create(username="ann"), Crew.objects.create(name="c")
        later = moment and moment.replace(tzinfo=UTC)
        for act in (write, Job.save):
            job = Job(id=uuid.uuid4(), crew=crew, name=name, saved_by=person, summary=summary, delete_after=later)
            act(job)
            kept = Revision(job=job, number=1, whole=blob or None, patch=blob, saved_by=person)
            (write if act is write else Revision.save)(kept)
            assert whole(Job.objects.get(pk=job.pk))[3] == whole(job)[3]
            assert model_to_dict(Revision.objects.get(pk=kept.pk)) == model_to_dict(kept)
            again = Job.objects.get(pk=job.pk)
            again.name, again.summary, again.put_away, again.summary_due = f"{name}!", {"of": summary}, True, 2**60
            act(again)
            assert whole(Job.objects.get(pk=job.pk))[3] == whole(again)[3]
        one, other = (model_to_dict(j, exclude=["id", "saved_at", "created_at"]) for j in Job.objects.filter(crew=crew))
        assert one == other


@pytest.mark.django_db
def test_a_row_with_a_key_of_its_own_keeps_it():
    row = Series(key="k", body=b"1")
    write(row)
    row.body = b"2"
    write(row)
    assert [(r.pk, bytes(r.body)) for r in Series.objects.all()] == [("k", b"2")]


@pytest.mark.django_db
def test_a_row_that_is_gone_is_not_written():
    person, crew = User.objects.create(username="ann"), Crew.objects.create(name="c")
    job = Job(crew=crew, name="x", saved_by=person)
    write(job)
    Job.objects.filter(pk=job.pk).delete()
    with pytest.raises(Job.DoesNotExist):
        write(job)
    assert not Job.objects.exists()


@pytest.mark.django_db
def test_a_question_whose_value_goes_nowhere_is_refused():
    with pytest.raises(AssertionError):
        Question(lambda crew, name: Crew.objects.filter(pk=crew), int, str)(1, "x")


@pytest.mark.django_db
def test_a_session_of_an_earlier_version_goes_on(client):
    person = User.objects.create_user("ann", password="x")
    Member.objects.create(user=person, crew=Crew.objects.create(name="c"), role="member")
    client.force_login(person)
    key = client.cookies["sessionid"].value
    held = SessionStore(key)
    held.load()
    from django.contrib.sessions.backends.db import SessionStore as Before

    before = Before(key)
    before["_auth_user_backend"] = "django.contrib.auth.backends.ModelBackend"
    before.save()
    assert Before(key)["_auth_user_backend"] != BACKEND
    assert client.get("/api/session").json()["user"] == "ann"
    person.is_active = False
    person.save()
    assert client.get("/api/session").json()["signed_in"] is False
