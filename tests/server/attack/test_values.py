"""Plain input that broke a server once: figures, dates, texts and tables that no sensible person types, and some do."""

import copy
import json
import random

import pytest
from django.core.cache import cache
from django.test import Client

from ewerer.core.documents import fields as words
from tests.jobs import LARCH, SKERRY, changed, data
from tests.server.asking import person, post, put
from tests.sizes import size

pytestmark = pytest.mark.django_db

FIGURES = [
    "5000000", "-5000000", "1e308", "-1e308", "1e-308", "1e400", "NaN", "Infinity", "-Infinity", "9" * 400, "0." + "0" * 400 + "1",
    "1e9999", "-0.0", "0", "true", "null", '"12"', '""', "[]", "{}", "9007199254740993", '"1e5"', '"\\u0000"', '"\\ud800"', "12.5e-3",
]  # fmt: skip
DATES = [
    "1800-01-01",
    "2300-12-31",
    "0001-01-01",
    "9999-12-31",
    "2025-02-29",
    "2024-02-30",
    "10000-01-01",
    "-001-01-01",
    "2025-1-1",
    "",
]
TEXTS = [
    "\u0000", "\ud800", "\udfff x", "a" * 200_000, "\r", "\r\n" * 50, "\x1b[31m", "\u202e", "\ufeff", "=1+1", "\\1", "\\g<0>", "%s%n", "{0}",
    "{{7*7}}", "<svg onload=x>", "'; DROP TABLE x; --", "𝟝𝟚", "٣٫٦٥", "½", "1 200", "12,000", "../../etc", "\u2028",
]  # fmt: skip


@pytest.fixture
def client():
    made = Client(raise_request_exception=False)
    made.force_login(person("ann", "Ours"))
    return made


def send(client, method, path, text):
    body = text if isinstance(text, bytes) else text.encode("utf-8", "surrogatepass")
    return client.generic(method, "/api" + path, body, content_type="application/json")


def fine(answer, *said):
    assert answer.status_code < 500, (said, answer.status_code, answer.content[:300])
    if answer.status_code >= 400:
        assert answer["Content-Type"].startswith("application/problem+json"), said
        told = answer.json()
        assert told["title"] and len(answer.content) < 60_000, said
    return answer


def places(node, at=()):
    yield at
    if isinstance(node, dict):
        for k, v in node.items():
            yield from places(v, (*at, k))
    elif isinstance(node, list):
        for i, v in enumerate(node[:3]):
            yield from places(v, (*at, i))


def with_raw(document, at, raw):
    """Return the document as JSON text with a raw text at a place."""
    made = copy.deepcopy(document)
    node = made
    for key in at[:-1]:
        node = node[key]
    node[at[-1]] = "@@here@@"
    return json.dumps(made).replace('"@@here@@"', raw)


def full():
    """A job with something in every section."""
    return changed(
        SKERRY,
        flow={"start": "2025-03-01", "seed": 3, "load": {"step_min": 60, "start": "2025-01-01", "values_w": [300.0] * 30}},
        tariff={"currency": "EUR", "base": 0.3, "prices": []},
        windows=[{"from": "22:00", "to": "06:00", "action": "charge", "target_soc": 0.8}],
    )


@pytest.mark.parametrize("part", range(size(1, 6)))
def test_no_figure_breaks_a_plan_or_a_save(client, part):
    document = full()
    job = post(client, "/jobs", document).json()["id"]
    rng = random.Random(part)
    every = [p for p in places(document) if p]
    for n, at in enumerate(every):
        if n % 6 != part:
            continue
        for raw in rng.sample(FIGURES, 5):
            text = with_raw(document, at, raw)
            planned = fine(send(client, "POST", "/plan", text), "plan", at, raw)
            if planned.status_code == 200 and rng.random() < 0.3:
                fine(send(client, "POST", "/simulate", text), "simulate", at, raw)
                kept = json.loads(text)
                revision = client.get(f"/api/jobs/{job}").json()["revision"]
                answer = fine(put(client, job, revision, kept), "save", at, raw)
                assert answer.status_code == 200, (at, raw, answer.content[:300])
                assert client.get(f"/api/jobs/{job}").status_code == 200, (at, raw)


def test_no_date_breaks_anything(client):
    for date in DATES:
        for at in (("flow", "start"), ("flow", "load", "start"), ("windows", 0, "from_date"), ("windows", 0, "to_date")):
            document = full()
            text = with_raw(document, at, json.dumps(date))
            for path in ("/plan", "/simulate?days=2"):
                fine(send(client, "POST", path, text), path, at, date)


def test_no_text_breaks_anything(client):
    job = post(client, "/jobs", data(LARCH)).json()["id"]
    for text in TEXTS:
        raw = json.dumps(text)
        for at in (
            ("name",),
            ("notes",),
            ("site", "time_zone"),
            ("units", 0, "id"),
            ("bank", "modules", 0, "id"),
            ("units", 0, "firmware"),
        ):
            fine(send(client, "POST", "/plan", with_raw(data(LARCH), at, raw)), at, text[:20])
            fine(send(client, "POST", "/jobs", with_raw(data(LARCH), at, raw)), at, text[:20])
        for path in (
            f"/jobs?words={text[:150]}",
            f"/jobs/{job}/sheets/{text[:60]}",
            f"/library/{text[:60]}",
            f"/protocols/{text[:60]}/dbc",
        ):
            quoted = path.replace("%", "%25").replace("#", "%23").encode("utf-8", "surrogatepass")
            fine(
                client.get("/api" + quoted.decode("latin-1").replace("\r", "%0D").replace("\n", "%0A").replace("\0", "%00")),
                path[:60],
            )
    fine(client.get("/api/jobs"))
    fine(client.get(f"/api/jobs/{job}/run"))


@pytest.mark.parametrize(
    "path",
    [
        "/series?step_min=60",
        "/as-found/orrowan-t8",
        "/library/table",
        "/library/take",
        "/library/differences",
        "/library/try-plan",
        "/library/check",
        "/library/lacks",
    ],
)
def test_no_pasted_text_breaks_its_reader(client, path):
    rng = random.Random(7)
    cells = [*FIGURES[:16], *TEXTS, *DATES, "W", "time", "Bulk", "44.0~58.4V", "5A/div", "48-58.4 V (0.1 V)", "01"]
    for n in range(size(10, 60)):
        sep, end = rng.choice([",", ";", "\t", "|"]), rng.choice(["\n", "\r\n", "\r"])
        rows = [sep.join(rng.choice(cells) for _ in range(rng.randrange(1, 6))) for _ in range(rng.randrange(1, 30))]
        fine(send(client, "POST", path, end.join(rows)[:300_000]), path, n)
    for whole in (
        "12\n1e308\n5\n",
        "1\n-1e308\n",
        "1\n2000001\n",
        "",
        "\r",
        "\n" * 5000,
        "a" * 200_000,
        ",".join(["1"] * 50_000),
        "\x00\x01",
        "[" * 5000,
        '"' * 999,
        "PK\x03\x04" + "x" * 500,
    ):
        fine(send(client, "POST", path, whole), path, whole[:10])
    fine(send(client, "POST", path, bytes(range(256)) * 40), path)


def profile(client):
    return client.get("/api/library/orrowan-t8").json()


def value_at(document, at):
    for key in at:
        document = document[key]
    return document


def test_no_profile_breaks_what_tries_it(client):
    base = profile(client)
    rng = random.Random(11)
    every = [at for at in places(base) if at and isinstance(at[-1], str)]
    numbers = [at for at in every if isinstance(value_at(base, at), int | float)]
    texts = [at for at in every if isinstance(value_at(base, at), str)]
    assert len(numbers) > 20 and len(texts) > 20
    cases = [(at, raw) for at in rng.sample(numbers, size(4, 24)) for raw in rng.sample([*FIGURES, "1e-300", "1e308"], 4)]
    cases += [
        (at, json.dumps(t)) for at in rng.sample(texts, size(4, 20)) for t in rng.sample([x for x in TEXTS if len(x) < 999], 4)
    ]
    for n, (at, raw) in enumerate(cases):
        text = with_raw({**base, "id": f"own-{n}"}, at, raw)
        fine(send(client, "POST", "/library/check", text), at, raw)
        fine(send(client, "POST", "/library/lacks", text), at, raw)
        if n % 6 == 0:
            fine(send(client, "POST", "/library/try-plan", text), at, raw)
        fine(send(client, "POST", "/library/differences", f'{{"before": {text}, "after": {{}}}}'), at, raw)
        asked = {"setting": base["settings"][0]["id"], "value": rng.choice([1e308, -1, 55.2, "x", 0]), "writes": []}
        fine(send(client, "POST", "/library/try", json.dumps(asked)[:-1] + f', "profile": {text}}}'), at, raw)


def test_a_profile_that_is_taken_can_be_used(client):
    """What is accepted is read back, planned with, and its sheet is made."""
    base = profile(client)
    rng = random.Random(13)
    numbers = [at for at in places(base) if at and at[-1] in ("min", "max", "step", "factory", "scale")]
    taken = 0
    for n in range(25):
        text = with_raw(
            {**base, "id": f"own-{n}", "revision": 1}, rng.choice(numbers), rng.choice(["1e308", "1e-300", "5000000", "0", "-1"])
        )
        made = fine(send(client, "POST", "/library", text))
        if made.status_code != 201:
            continue
        taken += 1
        document = changed(SKERRY)
        for unit in document["units"]:
            unit["profile"] = f"own-{n}"
        fine(post(client, "/plan", document), n)
    fine(client.get("/api/library"))
    assert client.get("/api/library").status_code == 200


def test_every_field_with_words_is_reached():
    """The places above come from a job with something in every section: most fields of the document are among them."""
    known = words.fields()
    seen = {
        p.pointer for at in places(full()) if at and (p := words.field_at("/" + "/".join(map(str, at)))) is not None
    }  # fmt: skip
    assert len(seen) > len(known) * 0.25


def test_no_text_breaks_the_door(client):
    cache.clear()
    token = post(client, "/crew/invitations", {"role": "reader"}).json()["token"]
    stranger = Client(raise_request_exception=False)
    for text in TEXTS:
        for path, body in (
            ("/session", {"username": text, "password": "guess"}),
            ("/session", {"username": "ann", "password": text}),
            (f"/session/invitations/{token}", {"username": text, "password": "otter lamp fern quarry"}),
            (f"/session/invitations/{token}", {"username": "lee", "password": text[:7]}),
        ):
            fine(send(stranger, "POST", path, json.dumps(body)), path, text[:20])
            cache.clear()
            if not stranger.get("/api/session").json()["signed_in"]:
                continue
            assert body["username"].isprintable(), "a name that can be shown"
            stranger = Client(raise_request_exception=False)
            token = post(client, "/crew/invitations", {"role": "reader"}).json()["token"]
        fine(send(client, "POST", "/crew/invitations", json.dumps({"role": "member", "note": text})), text[:20])
        fine(send(client, "POST", "/session/password", json.dumps({"old": text, "new": text})), text[:20])
        cache.clear()
    for path in ("/crew/trail", "/crew/invitations", "/crew/people", "/session/sign-ins"):
        fine(client.get("/api" + path))
        assert client.get("/api" + path).status_code == 200
    for raw in ("-1", "1e308", "true", "null", '"7"', "1.5", "9" * 40):
        fine(send(client, "PUT", "/crew/keeping", f'{{"keep_revisions": {raw}}}'), raw)
        fine(send(client, "PUT", "/session/crew", f'{{"id": {raw}}}'), raw)
        for path in (f"/jobs?limit={raw}", f"/crew/people/{raw}", "/crew/trail?offset=" + raw):
            fine(client.get("/api" + path.replace('"', "%22")), path)
    assert client.get("/api/session").json()["signed_in"]
