"""The API: sign-in, crews, revisions, stale saves, refusals, exports."""

import gzip
import io
import json
from pathlib import Path
from urllib.parse import unquote

import pytest
from django.core.cache import cache
from django.core.management import call_command
from django.test import Client
from openpyxl import load_workbook

from ewerer.core.trade.quantities import glossary_markdown
from ewerer.core.trade.rules import rules_markdown
from ewerer.server.api import openapi_json
from ewerer.server.jobs import planned
from ewerer.server.ops import people
from tests.jobs import LARCH, SKERRY, changed, data, hand_written, inline
from tests.server.asking import assert_problem, items, person, post, put

pytestmark = pytest.mark.django_db
ROOT = Path(__file__).resolve().parents[2]


def test_sign_in_and_out():
    person("ann", "Ours")
    client = Client(enforce_csrf_checks=True)
    token = client.get("/api/session").json()["csrf"]
    assert_problem(post(client, "/session", {"username": "ann", "password": "a-long-password"}), 403)
    headers = {"HTTP_X_CSRFTOKEN": token, "content_type": "application/json"}
    wrong = client.post("/api/session", json.dumps({"username": "ann", "password": "wrong"}), **headers)
    assert_problem(wrong, 401)
    signed = client.post("/api/session", json.dumps({"username": "ann", "password": "a-long-password"}), **headers).json()
    assert signed["signed_in"] and signed["crew"] == "Ours"
    assert_problem(post(client, "/jobs", data(SKERRY)), 403)
    made = client.post("/api/jobs", json.dumps(data(SKERRY)), HTTP_X_CSRFTOKEN=signed["csrf"], content_type="application/json")
    assert made.status_code == 201
    assert client.delete("/api/session", HTTP_X_CSRFTOKEN=signed["csrf"]).status_code == 204
    assert client.get("/api/session").json()["signed_in"] is False


def test_sign_in_is_throttled():
    person("cid", "Ours")
    cache.clear()
    client = Client()
    tries = [post(client, "/session", {"username": "cid", "password": f"wrong-{i}"}).status_code for i in range(7)]
    assert tries[:4] == [401] * 4 and tries[-1] == 429
    assert post(client, "/session", {"username": "cid", "password": "a-long-password"}).status_code == 429


@pytest.mark.parametrize("path", ["/jobs", "/library", "/rules", "/quantities", "/jobs/82fe8ae3-5e3a-4e9e-ae97-498249731b32"])
def test_strangers_read_nothing(path):
    assert_problem(Client().get("/api" + path), 401)


def test_another_crews_job_is_not_there(job, theirs):
    for path in ("", "/plan", "/revisions", "/revisions/1", "/export", "/sheets/U1"):
        assert_problem(theirs.get(f"/api/jobs/{job}{path}"), 404)
    assert_problem(put(theirs, job, 1, data(SKERRY)), 404)
    assert_problem(theirs.delete(f"/api/jobs/{job}"), 404)
    assert_problem(post(theirs, f"/jobs/{job}/copy", {}), 404)
    assert items(theirs, "/jobs") == []


def test_a_page_is_told_all_it_needs_to_open_a_job_in_one_answer(mine, job):
    """Part for part what the single questions answer."""
    told = mine.get(f"/api/jobs/{job}/opening").json()
    asked = mine.get("/api/session").json()
    assert told["session"].pop("csrf") and told["session"].pop("until")[:19] == asked.pop("until")[:19]
    assert told["session"] == {key: value for key, value in asked.items() if key != "csrf"}
    assert told["stages"] == items(mine, "/stages?limit=500") and told["fields"] == items(mine, "/fields?limit=500")
    assert told["job"] == mine.get(f"/api/jobs/{job}").json() and told["plan"] == mine.get(f"/api/jobs/{job}/plan").json()
    assert told["events"] == 0
    event = {"ewerer": "event/1", "id": "e-1", "at": "2026-01-01T10:00:00.000Z", "by": "ann", "kind": "as-found"}
    post(mine, f"/jobs/{job}/events", {"events": [event | {"device": "U1", "setting": "fill-volts", "shown": "56.4"}]})
    later = mine.get(f"/api/jobs/{job}/opening").json()
    assert later["events"] == mine.get(f"/api/jobs/{job}/events").json()["last"] > 0
    assert later["plan"] == mine.get(f"/api/jobs/{job}/plan").json() != told["plan"]


def test_a_job_opens_though_its_plan_cannot_be_made(mine, job, monkeypatch):
    planned._kept.clear()
    monkeypatch.setattr("ewerer.server.api.opening.PLAN_S", 0.0)
    told = mine.get(f"/api/jobs/{job}/opening").json()
    assert told["plan"] is None and told["job"]["document"]["name"] == data(SKERRY)["name"]


def test_every_save_is_a_revision_with_who_when_and_what(mine, job):
    next_one = changed(SKERRY, bank__fuse_a=300)
    assert put(mine, job, 1, next_one).json()["revision"] == 2
    latest, first = items(mine, f"/jobs/{job}/revisions")
    assert (latest["number"], latest["saved_by"]) == (2, "ann")
    assert latest["changes"] == [{"op": "replace", "path": "/bank/fuse_a", "value": 300}]
    assert first["number"] == 1 and mine.get(f"/api/jobs/{job}/revisions/1").json() == data(SKERRY)
    assert mine.get(f"/api/jobs/{job}").json()["document"] == next_one


def test_saving_the_same_makes_no_revision(mine, job):
    assert put(mine, job, 1, data(SKERRY)).json()["revision"] == 1


def test_stale_save_gets_both_versions_and_loses_nothing(mine, job):
    first, second = changed(SKERRY, bank__fuse_a=300), changed(SKERRY, bank__fuse_a=250)
    put(mine, job, 1, first)
    body = assert_problem(put(mine, job, 1, second), 409)
    assert body["current_revision"] == 2 and body["saved_by"] == "ann"
    assert body["theirs"]["bank"]["fuse_a"] == 300 and body["yours"]["bank"]["fuse_a"] == 250
    assert mine.get(f"/api/jobs/{job}").json()["document"] == first


BAD = {
    "not-json": "{",
    "list": "[]",
    "unknown-key": changed(SKERRY, bank__colour="red"),
    "millivolts": changed(SKERRY, bank__modules__0__resting_v=53060),
    "negative": changed(SKERRY, bank__fuse_a=-4),
    "profile": changed(SKERRY, units__0__profile="ghost"),
    "10-MB": '{"name": "' + "x" * 10_000_000 + '"}',
    "deep": "[" * 90_000,
    "latin-1": b'{"name": "\xe9"}',
}


@pytest.mark.parametrize("body", BAD.values(), ids=BAD.keys())
@pytest.mark.parametrize("path", ["/jobs", "/plan"])
def test_bad_input_is_refused_and_nothing_is_stored(mine, path, body):
    found = assert_problem(post(mine, path, body), 422)
    assert found["problems"][0]["message"]
    assert items(mine, "/jobs") == []


def test_bad_save_keeps_the_old_revision(mine, job):
    body = assert_problem(put(mine, job, 1, changed(SKERRY, bank__fuse_a=-4)), 422)
    assert body["problems"][0]["pointer"] == "/document/bank/fuse_a"
    assert mine.get(f"/api/jobs/{job}").json()["revision"] == 1
    assert_problem(mine.put(f"/api/jobs/{job}", "{}", content_type="application/json"), 422)


def test_plan_of_saved_and_unsaved_documents(mine, job):
    saved = mine.get(f"/api/jobs/{job}/plan").json()
    assert saved == post(mine, "/plan", data(SKERRY)).json()
    what_if = post(mine, "/plan", changed(SKERRY, policy__max_c_rate=0.1)).json()
    assert what_if["limits"]["charge"]["bank_a"] == 84
    assert mine.get(f"/api/jobs/{job}").json()["revision"] == 1


def test_inline_modules_need_no_profile(mine):
    job = hand_written(inline("A", resistance_mohm=10), inline("B", resistance_mohm=20))
    assert post(mine, "/plan", job).json()["bank"]["binding_module"] == "A"


def test_export_and_import_give_the_same_plan(mine, job):
    exported = mine.get(f"/api/jobs/{job}/export")
    assert 'filename="Skerry-Field-Station.json"' in exported["Content-Disposition"]
    again = post(mine, "/jobs", exported.content).json()["id"]
    assert again != job
    assert mine.get(f"/api/jobs/{again}/plan").json() == mine.get(f"/api/jobs/{job}/plan").json()


def test_copy_leaves_the_marks_of_work_done(mine, job):
    put(mine, job, 1, changed(SKERRY, sheet_marks={"U1": {"judge": {"state": "done"}}}))
    copy = post(mine, f"/jobs/{job}/copy", {}).json()
    document = mine.get(f"/api/jobs/{copy['id']}").json()["document"]
    assert document["name"] == "Skerry Field Station (copy)" and "sheet_marks" not in document


def test_put_away_and_take_out(mine, job):
    assert mine.delete(f"/api/jobs/{job}").json()["put_away"]
    assert items(mine, "/jobs") == [] and len(items(mine, "/jobs?put_away=true")) == 1
    assert post(mine, f"/jobs/{job}/take-out", {}).json()["put_away"] is False


def test_list_says_what_each_job_waits_for(mine):
    post(mine, "/jobs", {"ewerer": "job/1", "name": "New"})
    line = items(mine, "/jobs")[0]
    assert line["summary"]["waits_for"] == "No module yet" and line["summary"]["stop"] >= 1


@pytest.mark.parametrize("format", ["csv", "xlsx", "json"])
def test_sheets(mine, job, format):
    response = mine.get(f"/api/jobs/{job}/sheets/U1?format={format}")
    assert response.status_code == 200
    if format == "xlsx":
        assert load_workbook(io.BytesIO(response.content)).active["C3"].value == "store-kind"
    else:
        assert b"store-kind" in response.content
    assert_problem(mine.get(f"/api/jobs/{job}/sheets/U1?format=doc"), 422)
    assert_problem(mine.get(f"/api/jobs/{job}/sheets/U7"), 422)


def test_library_and_rules(mine):
    profiles = items(mine, "/library")
    assert {p["kind"] for p in profiles} == {"module", "inverter", "sun-charger", "adapter", "controller"}
    assert mine.get("/api/library/orrowan-t8").json()["name"] == "Orrowan T8"
    assert_problem(mine.get("/api/library/none"), 404)
    assert {r["id"] for r in items(mine, "/rules?limit=500")} >= {"bank-share", "shutdown-above-cutoff"}
    absorb = next(q for q in items(mine, "/quantities") if q["name"] == "absorb_v")
    assert (absorb["word"], absorb["unit"], absorb["kind"]) == ("Absorption", "V", "volts")


def test_unknown_addresses(mine):
    assert_problem(mine.get("/api/nothing"), 404)
    assert_problem(mine.get("/static/none.js"), 404)
    assert_problem(mine.post("/jobs/1"), 405)


def test_headers_keep_the_page_to_itself(client):
    response = client.get("/")
    policy = response["Content-Security-Policy"]
    assert "default-src 'self'" in policy and "frame-ancestors 'none'" in policy and "unsafe" not in policy
    assert response["X-Frame-Options"] == "DENY" and response["X-Content-Type-Options"] == "nosniff"


def test_no_migration_is_missing():
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)


def test_deploy_check_is_clean(monkeypatch, tmp_path):
    import os
    import subprocess
    import sys

    environment = {k: v for k, v in os.environ.items() if k != "DJANGO_ALLOW_ASYNC_UNSAFE"} | {
        "DJANGO_SETTINGS_MODULE": "ewerer.server.settings.production",
        "EWERER_DATA": str(tmp_path),
    }
    done = subprocess.run(
        [
            sys.executable,
            "-m",
            "django",
            "check",
            "--settings",
            "ewerer.server.settings.production",
            "--deploy",
            "--fail-level",
            "WARNING",
        ],
        env=environment,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr


def test_generated_documents_are_fresh():
    assert (ROOT / "docs" / "openapi.json").read_text() == openapi_json(), "run make docs"
    assert (ROOT / "docs" / "glossary.md").read_text() == glossary_markdown(), "run make docs"
    assert (ROOT / "docs" / "rules.md").read_text() == rules_markdown(), "run make docs"


def test_adding_a_person(monkeypatch):
    monkeypatch.setattr("sys.stdin", io.StringIO("a-good-long-one\n"))
    assert people.add("dee", "New crew", None) == "dee works in New crew as a lead"
    client = Client()
    assert post(client, "/session", {"username": "dee", "password": "a-good-long-one"}).json()["crew"] == "New crew"


def test_second_job_of_another_voltage(mine):
    id = post(mine, "/jobs", data(LARCH)).json()["id"]
    assert mine.get(f"/api/jobs/{id}/plan").json()["bank"]["class_v"] == 24


def test_fault_finder_takes_the_plan_as_evidence(mine):
    assert {"id": "page-zeros", "word": "The battery page shows all zeros"} in items(mine, "/symptoms")
    plain = post(mine, "/symptoms/limits-of-one", {"answers": {}}).json()
    wrong = changed(SKERRY, bank__modules__0__switches="dudd", bank__modules__1__switches="uudd", bank__modules__2__switches="ddud")
    told = post(mine, "/symptoms/limits-of-one", {"document": wrong}).json()
    assert told["suspects"][0]["id"] == "host-address"
    assert told["suspects"][0]["probability"] > plain["suspects"][0]["probability"]
    answered = post(mine, "/symptoms/limits-of-one", {"answers": {plain["next"]["id"]: 0}}).json()
    assert answered["next"]["id"] != plain["next"]["id"]
    assert_problem(post(mine, "/symptoms/rust", {}), 422)
    assert_problem(post(mine, "/symptoms/page-zeros", {"answers": {"ohms": 77}}), 422)
    assert_problem(post(mine, "/symptoms/page-zeros", {"guess": 1}), 422)


def test_cable_card_and_dbc_files(mine, job):
    page = mine.get(f"/api/jobs/{job}/cable?paper=Letter")
    assert page.content.startswith(b"%PDF") and page["Content-Type"] == "application/pdf"
    assert_problem(mine.get(f"/api/jobs/{job}/cable?paper=A0"), 422)
    put(mine, job, 1, changed(SKERRY, policy__loop="open"))
    assert "no cable to draw" in assert_problem(mine.get(f"/api/jobs/{job}/cable"), 422)["detail"]
    assert {p["name"] for p in items(mine, "/protocols")} >= {"rv-c", "sunspec-modbus", "dunmarrow-link"}
    assert b"BO_ 848 Limits" in mine.get("/api/protocols/dunmarrow-link/dbc").content
    assert_problem(mine.get("/api/protocols/rv-c/dbc"), 404)


def own_profile(**more):
    profile = json.loads((ROOT / "src/ewerer/library/cobbleway-200.json").read_text())
    return profile | {"id": "mine-200", "name": "Mine 200"} | more


def test_profiles_have_versions_and_jobs_pin_them(mine, theirs):
    made = post(mine, "/library", own_profile())
    assert made.status_code == 201 and made.json()["revision"] == 1 and made.json()["own"]
    document = {
        "ewerer": "job/1",
        "name": "Own",
        "bank": {"modules": [{"id": "A", "profile": "mine-200"}]},
        "profile_revisions": {"mine-200": 1},
    }
    assert post(mine, "/plan", document).json()["bank"]["charge_limit_a"] == 100
    saved = mine.put("/api/library/mine-200?base_revision=1", json.dumps(own_profile(charge_a=60)), content_type="application/json")
    assert saved.json()["revision"] == 2
    pinned = post(mine, "/plan", document).json()
    assert pinned["bank"]["charge_limit_a"] == 100
    assert any(f["rule"] == "profile-revision" for f in pinned["findings"])
    document["profile_revisions"] = {"mine-200": 2}
    assert post(mine, "/plan", document).json()["bank"]["charge_limit_a"] == 60
    stale = mine.put("/api/library/mine-200?base_revision=1", json.dumps(own_profile(charge_a=70)), content_type="application/json")
    assert assert_problem(stale, 409)["current_revision"] == 2
    assert [v["revision"] for v in items(mine, "/library/mine-200/versions")] == [2, 1]
    assert mine.get("/api/library/mine-200?revision=1").json()["charge_a"] == 100
    assert "mine-200" not in {p["id"] for p in items(theirs, "/library")}
    assert_problem(theirs.get("/api/library/mine-200"), 404)
    assert_problem(post(theirs, "/plan", document), 422)
    assert mine.delete("/api/library/mine-200").status_code == 204
    assert_problem(mine.get("/api/library/mine-200"), 404)


def test_bad_profiles_are_refused(mine):
    assert_problem(post(mine, "/library", own_profile(id="orrowan-t8")), 422)
    assert assert_problem(post(mine, "/library", own_profile(charge_a=-1)), 422)["problems"][0]["pointer"] == "/charge_a"
    post(mine, "/library", own_profile())
    assert_problem(post(mine, "/library", own_profile()), 422)
    other = mine.put("/api/library/mine-200?base_revision=1", json.dumps(own_profile(id="else")), content_type="application/json")
    assert_problem(other, 422)
    assert post(mine, "/library/check", own_profile(cell_min_v=9)).json()["problems"]
    assert post(mine, "/library/check", own_profile()).json() == {"problems": [], "about": "8 cells, 200 Ah, in 100 A, out 150 A"}


def test_try_as_found_and_order(mine):
    profile = mine.get("/api/library/orrowan-t8").json()
    told = post(
        mine,
        "/library/try",
        {"profile": profile, "setting": "fill-volts", "value": "55.2", "writes": [{"setting": "low-warn", "value": "41"}]},
    ).json()
    assert told["entry"]["shown"] == "55.2 V" and told["writes"][0]["taken"] is False
    assert_problem(post(mine, "/library/try", {"profile": own_profile()}), 422)
    read = post(mine, "/as-found/orrowan-t8", "fill-volts = 56.4\nghost = 1").json()
    assert read["values"] == {"fill-volts": "56.4"} and read["problems"][0]["message"] == "no such setting"
    assert_problem(post(mine, "/as-found/none", "a = 1"), 404)
    order = post(mine, "/order/U1", data(SKERRY)).json()
    assert order["proven"] and order["steps"][0]["kind"] == "action"
    assert_problem(post(mine, "/order/U9", data(SKERRY)), 422)


def test_the_trial_of_a_document(mine):
    tried = post(mine, "/trial", data(SKERRY)).json()
    assert tried["broken"] == [] and len(tried["rows"]) > 100 and tried["as_found"] is False
    asked = post(mine, "/plan", data(SKERRY)).json()["tried"]["asked"]
    assert asked == len(tried["rows"])
    wrong = data(SKERRY) | {"as_found": {"U1": {"fill-volts": "60.0"}}}
    found = post(mine, "/trial?as_found=true", wrong).json()
    assert any("60 V" in b for b in found["broken"]) and found["as_found"]


def test_sheet_pdf_and_schema(mine, job):
    assert mine.get(f"/api/jobs/{job}/sheets/U1/pdf").content.startswith(b"%PDF")
    assert_problem(mine.get(f"/api/jobs/{job}/sheets/U9/pdf"), 422)
    assert mine.get("/api/schema/profile").json()["title"] == "Profile"
    assert_problem(mine.get("/api/schema/none"), 404)


def test_a_plan_comes_compressed_to_who_reads_that_and_is_the_same(mine, job):
    plain = mine.get(f"/api/jobs/{job}/plan")
    assert "Content-Encoding" not in plain
    for told in ("gzip, deflate, br", "br;q=1.0, gzip;q=0.2", "gzip"):
        packed = mine.get(f"/api/jobs/{job}/plan", HTTP_ACCEPT_ENCODING=told)
        assert packed["Content-Encoding"] == "gzip" and "Accept-Encoding" in packed["Vary"]
        assert len(packed.content) < len(plain.content) / 4
        assert gzip.decompress(packed.content) == plain.content
    for told in ("identity", "br"):
        assert "Content-Encoding" not in mine.get(f"/api/jobs/{job}/plan", HTTP_ACCEPT_ENCODING=told)
    asked = mine.post("/api/plan", json.dumps(data()), content_type="application/json", HTTP_ACCEPT_ENCODING="gzip")
    assert asked["Content-Encoding"] == "gzip" and gzip.decompress(asked.content) == plain.content


@pytest.mark.parametrize(
    ("name", "plain", "whole"),
    [
        ("Skerry / 2", "Skerry-2.json", "Skerry-2.json"),
        ("Mühle am Bach", "M-hle-am-Bach.json", "Mühle-am-Bach.json"),
        ("Μύλος κάτω", "ewerer.json", "Μύλος-κάτω.json"),
        ('a"b\\c;d', "a-b-c-d.json", "a-b-c-d.json"),
    ],
)
def test_a_file_keeps_the_letters_of_its_name(mine, name, plain, whole):
    # RFC 6266: the plain name for old readers, the whole one as percent-encoded UTF-8 (RFC 5987).
    made = post(mine, "/jobs", data(SKERRY) | {"name": name}).json()
    told = mine.get(f"/api/jobs/{made['id']}/export")["Content-Disposition"]
    assert f'filename="{plain}"' in told
    assert unquote(told.partition("filename*=UTF-8''")[2] or plain) == whole


@pytest.mark.parametrize("name", ["   ", "\u200f\u202e", "..."])
def test_a_name_without_a_letter_or_a_digit_is_refused(mine, name):
    answer = post(mine, "/jobs", data(SKERRY) | {"name": name})
    assert answer.status_code == 422 and answer.json()["problems"][0]["pointer"] == "/name"
