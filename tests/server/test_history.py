"""The history of a job: what is kept is small, and every revision comes back to the letter."""

import copy
import json
import random

import jsonpatch
import pytest
from django.test import Client
from hypothesis import given, strategies as st

from ewerer.core.documents.compare import differences
from ewerer.core.record.imports import as_now
from ewerer.server.jobs import keeping
from ewerer.server.jobs.models import Job, Revision, Series
from tests.jobs import LARCH, SKERRY, changed, data, job_of
from tests.server.asking import assert_problem, items, person, post, put
from tests.sizes import size

pytestmark = pytest.mark.django_db
YEAR = [round(300 + 200 * ((7 * i) % 96) / 96, 1) for i in range(35_040)]


def bytes_of(job):
    held = Revision.objects.filter(job=job)
    return {r.number: len(r.whole) for r in held}


def loaded(name, values):
    return changed(name, flow__load={"step_min": 15, "start": "2025-01-01", "values_w": values})


def edited(document, rng):
    """Return a document with one thing changed, taken out, added or moved."""
    made = copy.deepcopy(document)
    act = rng.randrange(7)
    modules = made["bank"]["modules"]
    if act == 0:
        made["notes"] = f"note {rng.random()}"
    elif act == 1:
        modules.append({**modules[-1], "id": f"N{rng.randrange(10**6)}"})
    elif act == 2 and len(modules) > 1:
        modules.pop(rng.randrange(len(modules)))
    elif act == 3:
        rng.shuffle(modules)
    elif act == 4:
        made["loads"] = {**made.get("loads", {}), "continuous_w": rng.randrange(500, 2500)}
    elif act == 5:
        length = rng.choice([3, 101, 400])
        made.setdefault("flow", {})["load"] = {
            "step_min": 60, "start": "2025-01-01", "values_w": [rng.randrange(900) for _ in range(length)]
        }  # fmt: skip
    else:
        made.get("flow", {}).pop("load", None)
    return made


@pytest.mark.parametrize("seed", range(size(1, 4)))
def test_every_revision_comes_back_to_the_letter(mine, seed):
    rng = random.Random(seed)
    document = data(SKERRY)
    job = post(mine, "/jobs", document).json()["id"]
    saved = [mine.get(f"/api/jobs/{job}").json()["document"]]
    while len(saved) < 45:
        answer = put(mine, job, len(saved), edited(saved[-1], rng))
        assert answer.status_code == 200, answer.content
        if answer.json()["revision"] > len(saved):
            saved.append(mine.get(f"/api/jobs/{job}").json()["document"])
    for number, was in enumerate(saved, 1):
        assert mine.get(f"/api/jobs/{job}/revisions/{number}").json() == was


def test_a_save_of_one_field_is_kept_in_two_kilobytes(mine, job):
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    for n in range(1, 41):
        document["loads"]["continuous_w"] = 2000 + n
        assert put(mine, job, n, document).json()["revision"] == n + 1
    sizes = bytes_of(job)
    assert sum(sizes[n] for n in range(2, 42)) / 40 <= 2000


def test_a_year_of_load_is_kept_once(mine):
    other = post(mine, "/jobs", loaded(SKERRY, YEAR)).json()["id"]
    job = post(mine, "/jobs", loaded(LARCH, YEAR)).json()["id"]
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    assert document["flow"]["load"]["values_w"] == YEAR and Series.objects.count() == 1
    document["notes"] = "one field"
    assert put(mine, job, 1, document).status_code == 200
    assert bytes_of(job)[2] < 2000 and Series.objects.count() == 1
    assert mine.get(f"/api/jobs/{job}/revisions/2").json()["flow"]["load"]["values_w"] == YEAR
    document["flow"]["load"]["values_w"] = [*YEAR[:-1], 5]
    assert put(mine, job, 2, document).status_code == 200 and Series.objects.count() == 2
    line = items(mine, f"/jobs/{job}/revisions")[0]
    assert line["changes"] == [{"op": "replace", "path": "/flow/load/values_w", "value": "another series"}]
    assert mine.get(f"/api/jobs/{other}").json()["document"]["flow"]["load"]["values_w"] == YEAR


def test_five_thousand_revisions_are_listed_in_pages(mine, job):
    user = Job.objects.get(pk=job).saved_by
    whole = Revision.objects.get(job=job, number=1).whole
    Revision.objects.bulk_create(Revision(job_id=job, number=n, whole=whole, saved_by=user) for n in range(2, 5001))
    Job.objects.filter(pk=job).update(revision=5000)
    page = mine.get(f"/api/jobs/{job}/revisions?limit=50&offset=2400")
    assert page.json()["total"] == 5000 and page.json()["items"][0]["number"] == 2600 and len(page.content) < 30_000
    assert mine.get(f"/api/jobs/{job}/revisions/4999").status_code == 200


LEAVES = st.none() | st.booleans() | st.integers(-2, 2) | st.sampled_from([0.0, 1.0, -1.0, 0.5, "", "1", "~/"])
VALUES = st.recursive(
    LEAVES, lambda v: st.lists(v, max_size=4) | st.dictionaries(st.sampled_from("ab~/c"), v, max_size=4), max_leaves=12
)
ENVELOPES = st.fixed_dictionaries({"document": st.dictionaries(st.sampled_from("abcd/~"), VALUES), "series": st.just({})})


@given(ENVELOPES, ENVELOPES, st.sets(st.sampled_from("abcd/~")))
def test_what_changed_leads_from_any_document_to_any_other(before, after, alike):
    """Applied by another library's rules; only long values are cut, and none is here."""
    after = {**after, "document": after["document"] | {k: v for k, v in before["document"].items() if k in alike}}
    made = jsonpatch.apply_patch(before["document"], keeping.changes_between(before, after))
    assert made == after["document"]


@pytest.mark.parametrize(
    "damage",
    [
        b"cut",
        keeping.packed({"document": {}}),
        keeping.packed({"document": [], "series": {}}),
        keeping.packed({"document": {}, "series": {"/flow/load": "gone"}}),
        keeping.packed({"op": 1}),
        keeping.packed("text"),
    ],
)
def test_what_is_damaged_is_said_and_the_rest_works(mine, job, damage):
    fine = post(mine, "/jobs", data(LARCH)).json()["id"]
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    put(mine, job, 1, {**document, "notes": "second"})
    Revision.objects.filter(job=job, number=2).update(whole=damage)
    told = assert_problem(mine.get(f"/api/jobs/{job}"), 422)
    assert "revision 2 cannot be put together" in told["detail"], told and "older revision" in told["problems"][0]["expected"]
    assert mine.get(f"/api/jobs/{fine}").status_code == 200 and len(items(mine, "/jobs")) == 2
    assert mine.get(f"/api/jobs/{job}/revisions/1").json() == document
    assert post(mine, f"/jobs/{job}/revisions/1/restore", {"base_revision": 2}).json()["revision"] == 3
    assert mine.get(f"/api/jobs/{job}").json()["document"] == document


def test_a_revision_is_taken_back_as_a_new_one(mine, job):
    first = mine.get(f"/api/jobs/{job}").json()["document"]
    put(mine, job, 1, {**first, "notes": "second"})
    assert_problem(post(mine, f"/jobs/{job}/revisions/1/restore", {"base_revision": 1}), 409)
    assert post(mine, f"/jobs/{job}/revisions/1/restore", {"base_revision": 2}).json()["revision"] == 3
    assert mine.get(f"/api/jobs/{job}").json()["document"] == first
    assert mine.get(f"/api/jobs/{job}/revisions/2").json()["notes"] == "second"
    assert_problem(post(mine, f"/jobs/{job}/revisions/9/restore", {"base_revision": 3}), 404)


def leaves(node, at=""):
    if isinstance(node, dict) and node:
        for k, v in node.items():
            yield from leaves(v, f"{at}/{k}")
    elif isinstance(node, list) and node:
        for i, v in enumerate(node):
            yield from leaves(v, f"{at}/{i}")
    else:
        yield at, json.dumps(node)


@pytest.mark.parametrize("seed", range(40))
def test_a_comparison_names_every_leaf_that_differs_and_no_other(seed):
    """Against a plain list of leaves, where no row was moved: each leaf that differs lies at or below a named place."""
    rng = random.Random(seed)
    before = as_now(data(SKERRY))
    after = before
    for _ in range(rng.randrange(1, 5)):
        made = edited(after, rng)
        if [m["id"] for m in made["bank"]["modules"]][: len(before["bank"]["modules"])] == [
            m["id"] for m in before["bank"]["modules"]
        ]:
            after = made
    named = [d.pointer for d in differences(before, after)]
    ones, others = dict(leaves(before)), dict(leaves(after))
    differing = {at for at in ones.keys() | others.keys() if ones.get(at) != others.get(at)}
    for at in differing:
        assert any(at == p or at.startswith(p + "/") or p.startswith(at + "/") for p in named), at
    for p in named:
        assert any(at == p or at.startswith(p + "/") or p.startswith(at + "/") for at in differing), p


def test_a_comparison_is_in_words(mine, job):
    document = mine.get(f"/api/jobs/{job}").json()["document"]
    after = copy.deepcopy(document)
    after["policy"] = {**after.get("policy", {}), "reserve_soc": 0.35, "charge_order": "mains-first"}
    after["bank"]["modules"] = list(reversed(after["bank"]["modules"]))
    after["bank"]["modules"][0]["resting_v"] = 53.01
    put(mine, job, 1, after)
    rows = {d["label"]: d for d in items(mine, f"/jobs/{job}/revisions/1/against/2")}
    share = next(d for label, d in rows.items() if "eserve" in label)
    assert share["after"] == "35" and share["unit"] == "%" and share["pointer"] == "/policy/reserve_soc"
    assert next(d for label, d in rows.items() if label.endswith("Charge from"))["after"] == "AC first"
    last = document["bank"]["modules"][-1]["id"]
    resting = next(d for label, d in rows.items() if last in label)
    assert resting["after"] == "53.01" and resting["unit"] == "V" and len(rows) == 3, "moved rows are the same rows"


def test_the_history_is_the_crews_own(mine, theirs, job):
    for path in ("/revisions", "/revisions/1", "/revisions/1/against/1"):
        assert_problem(theirs.get(f"/api/jobs/{job}{path}"), 404)
    assert_problem(post(theirs, f"/jobs/{job}/revisions/1/restore", {"base_revision": 1}), 404)
    other = Client()
    other.force_login(person("cid", "Third"))
    assert_problem(other.get(f"/api/jobs/{job}/revisions"), 404)


def test_a_year_of_load_is_kept_on_its_own_as_a_job_is_saved(mine, job):
    values = [float(n % 900) for n in range(35_040)]
    flow = {"step_min": 15, "start": "2025-01-01", "values_w": values}
    assert put(mine, job, 1, changed(SKERRY, flow__load=flow)).status_code == 200
    latest = Revision.objects.get(job=job, number=2)
    assert latest.envelope["series"] and latest.envelope["document"]["flow"]["load"]["values_w"] is None
    assert latest.document["flow"]["load"]["values_w"] == values


def test_a_save_follows_what_the_database_holds_whoever_wrote_it(mine, job):
    """A copy that was put back, another server: the same number holds another document than this process wrote last."""
    assert put(mine, job, 1, changed(SKERRY, bank__fuse_a=111)).status_code == 200
    latest = Revision.objects.get(job=job, number=2)
    other = keeping.parted(as_now(job_of(changed(SKERRY, bank__fuse_a=222, notes="from the copy")).to_data()))[0]
    Revision.objects.filter(pk=latest.pk).update(whole=keeping.packed(other))
    assert put(mine, job, 2, changed(SKERRY, bank__fuse_a=333)).status_code == 200
    third = Revision.objects.get(job=job, number=3)
    assert third.document["bank"]["fuse_a"] == 333 and third.document.get("notes") == changed(SKERRY).get("notes")
    paths = {c["path"] for c in items(mine, f"/jobs/{job}/revisions")[0]["changes"]}
    assert paths == {"/bank/fuse_a", "/notes"}
    assert put(mine, job, 3, changed(SKERRY, bank__fuse_a=333)).json()["revision"] == 3, "nothing new, no revision"
