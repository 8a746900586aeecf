"""Clients that are slow, big or many at the door: another person is answered meanwhile."""

import asyncio
import contextlib
import http.client
import json
import re
import socket
import tempfile
import threading
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor

import pytest
from bench.server import server

from ewerer.core.trade.budget import Spent
from ewerer.server import gate, problems
from ewerer.server import planned as kept
from ewerer.server.api import openapi_json
from ewerer.server.gate import Gate
from ewerer.server.problems import GONE
from ewerer.server.proxies import FromProxy
from ewerer.server.record import actions as record_actions
from tests.jobs import SKERRY, changed
from tests.server.running import Session

SOON_S = 1.0


@pytest.fixture(scope="module")
def base():
    with tempfile.TemporaryDirectory() as folder, server(folder) as (_, address):
        yield address


def asked(base, path="/api/session"):
    began = time.perf_counter()
    with urllib.request.urlopen(base + path, timeout=20) as answer:
        answer.read()
    return time.perf_counter() - began


def stalled(base, headers="", length=900_000, at="127.0.0.1"):
    """A connection from an address of this machine that announces a body and sends a byte of it."""
    host, port = base.removeprefix("http://").split(":")
    out = socket.create_connection((host, int(port)), timeout=30, source_address=(at, 0))
    out.sendall(
        f"POST /api/session HTTP/1.1\r\nHost: {host}\r\nContent-Type: application/json\r\n{headers}Content-Length: {length}\r\n\r\n{{".encode()
    )
    return out


def slowest_while_stalled(base, act, *args, **kwargs):
    """Return the slowest of ten answers to another [s] while forty uploads are stalled, in the best of three rounds: other tests run beside."""
    rounds = []
    for _ in range(3):
        held = [stalled(base, *args, **kwargs) for _ in range(40)]
        try:
            rounds.append(max(act() for _ in range(10)))
        finally:
            for one in held:
                one.close()
        if rounds[-1] < SOON_S:
            break
    return min(rounds)


def test_stalled_uploads_hold_up_nobody(base):
    asked(base)
    assert slowest_while_stalled(base, lambda: asked(base), length=9_000) < SOON_S


def test_stalled_uploads_of_somebody_signed_in_hold_up_nobody(base):
    mine = Session(base)

    def listed():
        began = time.perf_counter()
        assert mine.call("GET", "/jobs")["total"] > 0
        return time.perf_counter() - began

    assert slowest_while_stalled(base, listed, "Cookie: sessionid=whatever\r\n") < SOON_S


def test_hundreds_of_stalled_uploads_with_made_up_sessions_keep_nobody_from_saving_or_signing_in(base):
    """From one address; what is beyond its measure is refused, and a person at another address signs in."""
    mine = Session(base)
    job = mine.call("POST", "/jobs", changed(SKERRY))
    held = [stalled(base, f"Cookie: sessionid=made-up-{n}\r\n", at="127.0.0.2") for n in range(450)]
    try:
        for n in range(3):
            document = changed(SKERRY, bank__fuse_a=260 + n)
            job = mine.call("PUT", f"/jobs/{job['id']}", {"base_revision": job["revision"], "document": document}) | {
                "id": job["id"]
            }
        assert job["revision"] == 4
        assert Session(base, "other").csrf
        answered = [one.recv(20) for one in held[-300:]]
        assert all(a.startswith(b"HTTP/1.1 503") for a in answered)
    finally:
        for one in held:
            one.close()


@pytest.mark.parametrize(("client", "forwarded", "address"), [
    ("127.0.0.1", "", "127.0.0.1"),
    ("127.0.0.1", "10.1.1.1", "10.1.1.1"),
    ("127.0.0.1", "6.6.6.6, 10.1.1.1", "10.1.1.1"),
    ("127.0.0.1", "10.1.1.1, 127.0.0.1", "10.1.1.1"),
    ("8.8.8.8", "10.1.1.1", "8.8.8.8"),
    ("127.0.0.1", "junk", "127.0.0.1"),
])  # fmt: skip
def test_the_gate_reads_an_address_as_the_application_does(rf, client, forwarded, address):
    headers = [(b"x-forwarded-for", forwarded.encode())] if forwarded else []
    assert Gate(None)._address_of({"client": (client, 1), "headers": headers}) == address
    seen = {}
    request = rf.get("/", REMOTE_ADDR=client, **({"HTTP_X_FORWARDED_FOR": forwarded} if forwarded else {}))
    FromProxy(lambda r: seen.update(r.META))(request)
    assert seen["REMOTE_ADDR"] == address


def test_bytes_of_bodies_that_are_not_answered_are_bounded_by_crew():
    """Each crew has its own measure; what was answered, refused or left counts no more."""
    most, part = 1_000_000, b"x" * 250_000

    async def play():
        told, go = {}, asyncio.Event()

        async def app(scope, receive, send):
            assert len((await receive())["body"]) == 250_000
            await go.wait()
            await send({"status": 200})

        def ask(at, name, session, parts=1, leaves=False):
            messages = [{"type": "http.request", "body": part, "more_body": n < parts - 1} for n in range(parts)]

            async def receive():
                if messages:
                    return messages.pop(0)
                if not leaves:
                    await go.wait()
                return {"type": "http.disconnect"}

            async def send(message):
                if "status" in message:
                    told[name] = message["status"]

            cookie = (b"cookie", b"sessionid=" + session)
            return asyncio.ensure_future(
                at({"type": "http", "method": "PUT", "path": "/api/x", "headers": [cookie]}, receive, send)
            )

        at = Gate(app)
        at.crews |= {b"a1": 1, b"a2": 1, b"b": 2}
        asked = [ask(at, f"a{n}", b"a%d" % (1 + n % 2)) for n in range(4)]
        await asyncio.sleep(0.05)
        asked += [ask(at, "a more", b"a1"), ask(at, "b", b"b"), ask(at, "nobody", b"made-up")]
        await asyncio.sleep(0.05)
        assert told == {"a more": 503} and at.held == {1: 1_000_000, 2: 250_000, "nowhere": 250_000, gate.STRANGERS: 250_000}
        go.set()
        await asyncio.gather(*asked)
        assert told == {"a more": 503, "b": 200, "nobody": 200} | {f"a{n}": 200 for n in range(4)}
        assert not at.held and not at.read
        await ask(at, "again", b"a1")
        assert told["again"] == 200 and not at.held and not at.read

    with pytest.MonkeyPatch.context() as patch, ThreadPoolExecutor(1) as apart:
        patch.setattr(gate, "MOST_OF_CREW", (200, most))
        apart.submit(asyncio.run, play()).result(30)


def test_a_body_that_is_too_big_is_refused_before_it_is_read(base):
    host, port = base.removeprefix("http://").split(":")
    for length, cookie in ((30_000, ""), (20_000_000, "sessionid=x")):
        line = http.client.HTTPConnection(host, int(port), timeout=10)
        line.putrequest("POST", "/api/session")
        line.putheader("Content-Length", str(length))
        if cookie:
            line.putheader("Cookie", cookie)
        line.endheaders()
        answer = line.getresponse()
        assert answer.status == 413
        assert json.loads(answer.read())["title"] == "Too big"
        line.close()


def test_a_body_in_pieces_without_a_length_is_bounded_too(base):
    host, port = base.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=10) as out:
        out.sendall(f"POST /api/session HTTP/1.1\r\nHost: {host}\r\nTransfer-Encoding: chunked\r\n\r\n".encode())
        piece = b"4000\r\n" + b"x" * 0x4000 + b"\r\n"
        out.sendall(piece * 3)
        assert b"413" in out.recv(200)


def test_a_flood_of_sign_ins_holds_up_nobody(base):
    stop = threading.Event()

    def knock(n):
        while not stop.is_set():
            request = urllib.request.Request(
                base + "/api/session",
                json.dumps({"username": f"nobody{n}", "password": "x" * 900}).encode(),
                {"Content-Type": "application/json"},
            )
            with contextlib.suppress(OSError):
                urllib.request.urlopen(request, timeout=20).read()

    threads = [threading.Thread(target=knock, args=(n,), daemon=True) for n in range(12)]
    for t in threads:
        t.start()
    try:
        time.sleep(0.5)
        assert sorted(asked(base) for _ in range(9))[4] < SOON_S
    finally:
        stop.set()
        for t in threads:
            t.join(20)


def test_it_says_whether_it_lives_and_is_ready(base):
    for path in ("/health", "/health/ready"):
        with urllib.request.urlopen(base + path, timeout=10) as answer:
            assert json.load(answer)["status"] == "ok"


def test_whoever_leaves_is_noticed_while_a_worker_computes():
    """The gate tells the worker, which looks now and then; one that stays is never said to be gone."""
    seen = {}

    async def app(scope, receive, send):
        assert (await receive())["body"] == b"{}"
        gone = scope[GONE]
        seen["before"] = gone.is_set()
        seen["after"] = await asyncio.to_thread(gone.wait, scope["patience_s"])

    async def ask(leaves, patience_s, method="POST", path="/api/plan"):
        told = asyncio.Queue()
        told.put_nowait({"type": "http.request", "body": b"{}", "more_body": False})
        if leaves:
            asyncio.get_running_loop().call_later(0.1, told.put_nowait, {"type": "http.disconnect"})
        scope = {"type": "http", "method": method, "path": path, "headers": [], "patience_s": patience_s}
        await Gate(app)(scope, told.get, None)
        return dict(seen)

    # In a thread of its own: a browser of another test may keep a loop running in this one.
    with ThreadPoolExecutor(1) as apart:
        assert apart.submit(asyncio.run, ask(True, 10.0)).result(30) == {"before": False, "after": True}
        assert apart.submit(asyncio.run, ask(False, 0.5)).result(30) == {"before": False, "after": False}
        for leaves in (True, False):
            asked = ask(leaves, 10.0 if leaves else 0.5, "GET", "/api/jobs/7/run.pdf")
            assert apart.submit(asyncio.run, asked).result(30) == {"before": False, "after": leaves}


@pytest.mark.django_db
def test_what_only_computes_stops_for_who_is_gone_and_a_save_goes_on(mine, job):
    gone = threading.Event()
    gone.set()
    scope = {"asgi.scope": {GONE: gone}}
    body = json.dumps(changed(SKERRY, bank__fuse_a=271))
    kept._kept.clear()
    stopped = mine.post("/api/plan", body, content_type="application/json", **scope)
    assert stopped.status_code == 499 and "went away" in stopped.json()["detail"]
    save = json.dumps({"base_revision": 1, "document": json.loads(body)})
    assert mine.put(f"/api/jobs/{job}", save, content_type="application/json", **scope).status_code == 200
    for path in ("run", "run.pdf", "record", "handover.pdf", "cable"):
        assert mine.get(f"/api/jobs/{job}/{path}", **scope).status_code == 499, path
    assert mine.get(f"/api/jobs/{job}/state", **scope).status_code == 200
    gone.clear()
    kept._kept.clear()
    assert mine.post("/api/plan", body, content_type="application/json", **scope).status_code == 200
    assert mine.get(f"/api/jobs/{job}/run", **scope).status_code == 200


@pytest.mark.django_db
def test_a_request_that_takes_too_long_is_stopped_and_says_so(mine, monkeypatch):
    monkeypatch.setattr(problems, "BUDGET_S", 0.0)
    kept._kept.clear()
    told = mine.post("/api/plan", json.dumps(changed(SKERRY, bank__fuse_a=272)), content_type="application/json")
    assert told.status_code == 503 and told.json()["title"] == "Too much for one request"
    assert "stored" not in told.json()["detail"], "a plan stores nothing, and what was typed meanwhile was saved"


@pytest.mark.django_db
def test_a_save_that_takes_too_long_says_that_nothing_was_stored(mine, monkeypatch):
    id = mine.post("/api/jobs", json.dumps(changed(SKERRY)), content_type="application/json").json()["id"]

    def takes_long(*_, **__):
        raise Spent

    monkeypatch.setattr(record_actions, "save", takes_long)
    body = json.dumps({"base_revision": 1, "document": changed(SKERRY, bank__fuse_a=272)})
    told = mine.put(f"/api/jobs/{id}", body, content_type="application/json")
    assert told.status_code == 503 and "nothing was stored" in told.json()["detail"]


def test_what_computes_waits_for_its_turn_at_the_gate_and_nothing_else_waits_for_it():
    """A few at a time of one session and of all; the rest waits where it takes no worker; in the end all are answered."""
    inside, most, answered = {}, {}, []

    async def computes(scope, receive, send):
        whose = gate.Gate(computes)._session_of(scope)
        if scope["path"] != "/api/session":
            await receive()
            for key in (whose, "all"):
                inside[key] = inside.get(key, 0) + 1
                most[key] = max(most.get(key, 0), inside[key])
            await asyncio.sleep(0.02)
            for key in (whose, "all"):
                inside[key] -= 1
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    async def ask(at, path, whose, method="POST"):
        cookie = (b"cookie", f"a=b; sessionid={whose}; c=d".encode())
        told = []
        messages = [{"type": "http.request", "body": b"{}", "more_body": False}]

        async def receive():
            if messages:
                return messages.pop()
            await asyncio.sleep(5)
            return {"type": "http.disconnect"}

        async def send(message):
            told.append(message)

        await at({"type": "http", "method": method, "path": path, "headers": [cookie]}, receive, send)
        answered.append((whose, path, told[0]["status"]))

    async def all_at_once():
        at = gate.Gate(computes)
        at.turns.most, at.turns.for_others, at.turns.in_line = 4, 2, 20
        many = [ask(at, "/api/plan", "greedy") for _ in range(30)] + [ask(at, "/api/jobs/7/opening", "greedy", "GET")]
        others = [ask(at, p, f"other{n}") for n, p in enumerate(["/api/plan", "/api/order/u1", "/api/simulate"])]
        await asyncio.gather(*many, *others, ask(at, "/api/session", "greedy", "GET"))
        assert not at.turns.lines and not at.turns.sessions and not at.turns.askers

    def run():
        asyncio.run(all_at_once())

    with ThreadPoolExecutor(1) as apart:
        apart.submit(run).result(30)
    greedy = [status for whose, path, status in answered if whose == "greedy" and path != "/api/session"]
    assert greedy.count(503) == 11 and greedy.count(200) == 20
    assert most[b"greedy"] == gate.MOST_OF_ONE and most["all"] <= 6
    assert all(status == 200 for whose, _, status in answered if whose.startswith("other"))
    served = [(whose, path) for whose, path, status in answered if status == 200]
    assert served[0] == ("greedy", "/api/session"), "what does not compute waits for nothing"
    assert max(n for n, (whose, _) in enumerate(served) if whose.startswith("other")) < 12, (
        "others do not wait for all of the greedy one's"
    )


def test_every_operation_that_computes_for_whoever_asks_waits_at_the_gate():
    """Held to the list of what only computes, and to the answers that rest on a plan, from the OpenAPI document."""
    paths = json.loads(openapi_json())["paths"]
    routes = {re.sub(r"{\w+}", "x", path): path.removeprefix("/api/") for path in paths}
    computes = {re.sub(r"<\w+>", "{}", c) for c in problems.COMPUTES}
    waits = {r for r in routes if gate.COMPUTES.match(r)}
    for route, path in routes.items():
        if re.sub(r"{\w+}", "{}", path) in computes:
            assert route in waits, route
    assert waits >= {
        f"/api/jobs/x/{p}" for p in ("plan", "opening", "sheets/x/pdf", "cable", "run", "run.pdf", "record", "handovers")
    }
    assert not waits & {"/api/jobs/x", "/api/jobs", "/api/session", "/api/jobs/x/events", "/api/work", "/api/library"}
