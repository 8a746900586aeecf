"""Lines of the log: one a request, with an id that stands in every error, and nothing that was typed."""

import json
import logging

import pytest
from django.test import Client, override_settings

from ewerer.server.crews.models import Member
from ewerer.server.settings.logs import lines as one_line_each
from tests.jobs import SKERRY, data
from tests.server.asking import post

pytestmark = pytest.mark.django_db


@pytest.fixture
def lines():
    """Return the lines written meanwhile, as they stand in the file."""
    out, form = [], one_line_each()

    class Held(logging.Handler):
        def emit(self, record):
            out.append(form.format(record))

    log, held = logging.getLogger("ewerer.requests"), Held()
    log.addHandler(held)
    yield out
    log.removeHandler(held)


def test_a_request_is_one_line_of_json_with_its_id(mine, lines):
    answer = mine.get("/api/jobs")
    (line,) = [json.loads(x) for x in lines]
    assert line["request"] == answer["X-Request-Id"]
    assert (line["method"], line["status"], line["route"]) == ("GET", 200, "/api/jobs")
    member = Member.objects.get(user__username="ann")
    assert (line["crew"], line["person"]) == (member.crew_id, member.user_id) and line["ms"] >= 0
    Client().get("/api/session")
    assert (json.loads(lines[-1])["crew"], json.loads(lines[-1])["person"]) == (None, None)


def test_nothing_typed_stands_in_the_log(mine, lines):
    post(mine, "/jobs", data(SKERRY) | {"name": "Secret Cove"})
    Client().post("/api/session", json.dumps({"username": "ann", "password": "hunter2-hunter2"}), content_type="application/json")
    assert (
        "Secret Cove" not in "".join(lines)
        and "hunter2" not in "".join(lines)
        and len([x for x in lines if json.loads(x)["what"] == "request"]) == 2
    )


def test_every_error_carries_the_id_of_its_line(mine, lines):
    for answer in (post(mine, "/jobs", "{"), mine.get("/api/jobs/00000000-0000-0000-0000-000000000000"), mine.get("/api/nowhere")):
        assert answer.json()["request"] == answer["X-Request-Id"]
        assert int(answer["Content-Length"]) == len(answer.content)
        assert any(answer["X-Request-Id"] in line for line in lines)


def test_a_failure_leaves_its_trace_under_the_id(mine, lines, monkeypatch):
    from ewerer.server.jobs import actions

    def broken(*_):
        raise RuntimeError("a defect on purpose")

    monkeypatch.setattr(actions, "narrowed", broken)
    mine.raise_request_exception = False
    answer = mine.get("/api/jobs")
    assert answer.status_code == 500
    failed = next(json.loads(x) for x in lines if '"failure"' in x)
    assert "a defect on purpose" in failed["exception"] and failed["request"] == answer["X-Request-Id"]
    assert "a defect on purpose" not in answer.content.decode()


def test_answers_are_not_stored_on_the_way(mine):
    assert mine.get("/api/jobs")["Cache-Control"] == "no-store"
    assert Client().get("/api/session")["Cache-Control"] == "no-store"


@override_settings(ALLOWED_HOSTS=["elsewhere"])
def test_a_wrong_host_is_a_line_too(lines):
    assert Client().get("/api/session").status_code == 400
    assert json.loads(lines[-1])["status"] == 400


def test_an_empty_secret_key_is_made_anew_and_kept(tmp_path, monkeypatch):
    from ewerer.server.settings import base

    monkeypatch.setattr(base, "DATA_DIR", tmp_path / "data")
    monkeypatch.delenv("EWERER_SECRET_KEY", raising=False)
    first = base.secret_key()
    assert len(first) >= base.LEAST_KEY and base.secret_key() == first
    (tmp_path / "data" / "secret-key").write_text("")
    second = base.secret_key()
    assert second != first and base.secret_key() == second
    assert oct((tmp_path / "data" / "secret-key").stat().st_mode)[-3:] == "600"
    assert [p.name for p in (tmp_path / "data").iterdir()] == ["secret-key"]


def test_figures_of_requests_are_told_only_where_they_are_asked_for(mine, monkeypatch):
    assert Client().get("/metrics").status_code == 404
    monkeypatch.setenv("EWERER_METRICS", "1")

    def figures():
        told = Client().get("/metrics")
        assert told["Content-Type"].startswith("text/plain; version=")
        rows = [r for r in told.content.decode().splitlines() if not r.startswith("#")]
        return {name: float(value) for name, _, value in (r.rpartition(" ") for r in rows)}

    line = 'ewerer_requests_total{method="GET",route="/api/jobs",status="200"}'
    before = figures()
    for _ in range(3):
        mine.get("/api/jobs?words=Secret+Cove")
    after = figures()
    assert after[line] - before.get(line, 0) == 3
    assert after["ewerer_request_seconds_count"] - before["ewerer_request_seconds_count"] == 3
    bounds = [v for k, v in after.items() if k.startswith("ewerer_request_seconds_bucket")]
    assert bounds == sorted(bounds) and bounds[-1] == after["ewerer_request_seconds_count"]
    assert "Secret" not in str(after)


def test_what_stands_in_the_trail_is_a_line_of_the_log_too(mine, lines):
    id = post(mine, "/jobs", data(SKERRY)).json()["id"]
    mine.get(f"/api/jobs/{id}/export")
    told = [json.loads(x) for x in lines]
    assert [(t["who"], t["deed"]) for t in told if t["what"] == "deed"] == [("ann", "export")]
