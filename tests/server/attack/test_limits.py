"""One cannot stop the others: what a stranger, an address or a crew has open is bounded, and slow clients take no thread."""

import contextlib
import http.client
import io
import os
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from random import Random

import pytest
from bench.server import server
from PIL import Image

from ewerer.server.crews.who import ASKING
from ewerer.server.ops import limits
from tests.jobs import SKERRY, changed
from tests.server.running import Session

LOOPBACK = "127.0.0.1"


class Crew:
    def __init__(self, pk):
        self.crew = self
        self.pk = pk


class Held:
    """A WSGI application that answers when it is let, and says how many wait in it; a session s5 is one of crew 5."""

    def __init__(self):
        self.go, self.inside, self.lock = threading.Event(), 0, threading.Condition()

    def __call__(self, environ, start_response):
        crew = environ.get("HTTP_COOKIE", "").removeprefix("sessionid=s")
        if crew.isdigit():
            environ[ASKING] = Crew(int(crew))
        if environ["PATH_INFO"].startswith("/api/held"):
            with self.lock:
                self.inside += 1
                self.lock.notify_all()
            self.go.wait(30)
        body = f"{environ['REMOTE_ADDR']} {environ['wsgi.url_scheme']}".encode()
        start_response("200 OK", [("Content-Type", "text/plain"), ("Content-Length", str(len(body)))])
        return [body]

    def wait_for(self, number):
        with self.lock:
            assert self.lock.wait_for(lambda: self.inside >= number, 20), self.inside


@contextlib.contextmanager
def served(app):
    """The application behind the server of ``ewerer serve``; yields its port."""
    made = limits.Server(app, LOOPBACK, 0)
    thread = threading.Thread(target=made.run, daemon=True)
    thread.start()
    try:
        yield int(made.effective_port)
    finally:
        made.close()


def ask(port, path="/api/x", session="", method="GET", body=None, source=LOOPBACK, **headers):
    line = http.client.HTTPConnection(LOOPBACK, port, timeout=30, source_address=(source, 0))
    line.request(method, path, body, {**({"Cookie": f"sessionid={session}"} if session else {}), **headers})
    answer = line.getresponse()
    return answer.status, answer.read()


def many(number, act):
    """Do something in threads; returns the threads and the outcomes so far."""
    out = []
    threads = [threading.Thread(target=lambda n=n: out.append(act(n)), daemon=True) for n in range(number)]
    for t in threads:
        t.start()
    return threads, out


def until(true):
    for _ in range(4000):
        if true():
            return
        time.sleep(0.005)
    raise AssertionError("never came about")


def test_strangers_and_crews_have_so_many_threads_and_others_go_on():
    app = Held()
    with served(app) as port:
        for crew in (5, 6):
            assert ask(port, session=f"s{crew}")[0] == 200  # from now on the session is known
        guests, told = many(60, lambda n: ask(port, "/api/held", f"made-up-{n}")[0])
        app.wait_for(limits.MOST_OF_STRANGERS)
        greedy, also = many(60, lambda n: ask(port, "/api/held", "s5")[0])
        app.wait_for(limits.MOST_OF_STRANGERS + limits.MOST_OF_CREW)
        for _ in range(10):
            assert ask(port, session="s6")[0] == 200, "another crew is answered meanwhile"
            assert ask(port, "/static/x")[0] == ask(port, "/", "made-up")[0] == 200, "files and pages have their own"
        assert app.inside == limits.MOST_OF_STRANGERS + limits.MOST_OF_CREW and told == also == []
        app.go.set()
        for t in (*guests, *greedy):
            t.join(20)
        assert told == also == [200] * 60, "nobody is refused"
        assert ask(port, session="s5")[0] == ask(port, session="new")[0] == 200, "what was open is counted down"


@pytest.mark.parametrize("seed", range(5))
def test_whoever_asks_comes_by_turns(seed):
    """Beside the rule restated: of those that may, the one who was served longest ago; each at most as many as it may."""
    lot, turns, served_at, clock = Random(seed), limits.Turns(), {}, 0
    most = {limits.FILES: limits.MOST_OF_FILES, limits.STRANGERS: limits.MOST_OF_STRANGERS}
    turns.crews.update({f"s{n}": n for n in range(1, 5)})
    waiting, running = [], []

    class Request:
        path = ""

    for _ in range(2000):
        act = lot.random()
        if act < 0.45:
            asker, channel = lot.choice([limits.FILES, limits.STRANGERS, 1, 2, 3, 4]), limits.Channel.__new__(limits.Channel)
            request = Request()
            request.path = "/x" if asker == limits.FILES else "/api/x"
            request.headers = {"COOKIE": f"sessionid=s{asker}" if asker > 0 else lot.choice(["", "sessionid=made-up", ";;=", "="])}
            channel.requests = [request]
            turns.append(channel)
            assert channel.asker == asker
            waiting.append(channel)
            served_at.setdefault(asker, -1)
        elif act < 0.75 and len(turns):
            channel = turns.popleft()
            first = next(c for c in waiting if c.asker == channel.asker)
            assert channel is first, "in the order in which they came"
            waiting.remove(channel)
            running.append(channel.asker)
            assert running.count(channel.asker) <= most.get(channel.asker, limits.MOST_OF_CREW)
            clock += 1
            served_at[channel.asker] = clock
        elif running:
            asker = running.pop(lot.randrange(len(running)))
            turns.running[asker] -= 1
        may = {c.asker for c in waiting if running.count(c.asker) < most.get(c.asker, limits.MOST_OF_CREW)}
        assert bool(len(turns)) == bool(may)


def test_with_many_who_wait_none_waits_for_more_than_one_of_each_other():
    turns = limits.Turns()
    turns.crews.update({"s1": 1, "s2": 2})

    def channel(session):
        made = limits.Channel.__new__(limits.Channel)
        made.requests = [type("R", (), {"path": "/api/x", "headers": {"COOKIE": f"sessionid={session}"}})()]
        return made

    for _ in range(500):
        turns.append(channel("s1"))
        turns.append(channel("nobody"))
    turns.append(mine := channel("s2"))
    assert mine in [turns.popleft() for _ in range(3)]


def test_slow_clients_take_no_thread():
    """More sockets than threads send half a request, or ask and never read; all others are answered meanwhile."""
    app = Held()
    with served(app) as port:
        slow = [socket.create_connection((LOOPBACK, port)) for _ in range(3 * limits.THREADS)]
        for n, held in enumerate(slow):
            if n % 3 == 0:
                held.sendall(b"POST /api/x HTTP/1.1\r\nHost: x\r\nContent-Length: 1000000\r\n\r\nhalf")
            elif n % 3 == 1:
                held.sendall(b"GET /api/x HT")
            else:
                held.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1)
                held.sendall(b"GET /api/x HTTP/1.1\r\nHost: x\r\n\r\n" * 50)
        for n in range(20):
            assert ask(port, session=f"s{n}")[0] == 200
        for held in slow:
            held.close()


def test_the_application_is_told_when_a_client_is_gone():
    """What is computed for it ends then: the budget of a request asks this."""
    began, gone = threading.Event(), threading.Event()

    def app(environ, start_response):
        began.set()
        until(environ["waitress.client_disconnected"])
        gone.set()
        start_response("200 OK", [("Content-Length", "0")])
        return [b""]

    with served(app) as port:
        line = socket.create_connection((LOOPBACK, port))
        line.sendall(b"GET /api/x HTTP/1.1\r\nHost: x\r\n\r\n")
        assert began.wait(20) and not gone.is_set()
        line.close()
        assert gone.wait(20)


def test_a_body_is_bounded_by_its_route_whole_or_in_parts(monkeypatch):
    monkeypatch.setattr(limits, "MOST_BYTES", 50_000)
    monkeypatch.setattr(limits, "MOST_BYTES_OF_FILE", 200_000)
    big = b"x" * 100_000

    def parts():
        for _ in range(100):
            yield b"x" * 1000

    with served(Held()) as port:
        for body, headers in ((big, {}), (parts(), {"Transfer-Encoding": "chunked"})):
            with contextlib.suppress(BrokenPipeError, ConnectionResetError):
                assert ask(port, "/api/plan", method="POST", body=body, **headers)[0] == 413
        assert ask(port, "/api/verify", method="POST", body=big)[0] == 200
        assert ask(port, "/api/plan", method="POST", body=b"x" * 40_000)[0] == 200
        with contextlib.suppress(BrokenPipeError, ConnectionResetError):
            assert ask(port, "/api/verify", method="POST", body=big + big + b"x")[0] == 413


def test_an_address_has_so_many_connections(monkeypatch):
    monkeypatch.setenv("EWERER_PROXY", "")
    monkeypatch.setattr(limits, "MOST_OF_ADDRESS", 5)
    with served(Held()) as port:
        held = [socket.create_connection((LOOPBACK, port)) for _ in range(5)]
        for one in held:
            one.sendall(b"GET /a HTTP/1.1\r\nHost: x\r\n\r\n")
            assert one.recv(12).startswith(b"HTTP/1.1 200")
        over = socket.create_connection((LOOPBACK, port))
        over.settimeout(20)
        assert over.recv(1) == b"", "closed at once"
        assert ask(port, source="127.0.0.2")[0] == 200, "another address is not held to that"
        held.pop().close()
        until(lambda: _opens(port))


def _ready(base):
    try:
        return urllib.request.urlopen(base + "/health/ready", timeout=20).status == 200
    except urllib.error.HTTPError as error:
        assert error.code == 503 and "waits for" in error.read().decode()


def _opens(port):
    with contextlib.suppress(OSError, http.client.HTTPException):
        return ask(port)[0] == 200


@pytest.mark.parametrize(
    ("proxy", "source", "told", "seen"),
    [
        ("127.0.0.1", "127.0.0.1", "203.0.113.9", b"203.0.113.9 https"),
        ("127.0.0.1", "127.0.0.1", "6.6.6.6, 203.0.113.9", b"203.0.113.9 https"),
        ("127.0.0.1", "127.0.0.2", "203.0.113.9", b"127.0.0.2 http"),
        ("127.0.0.2", "127.0.0.1", "203.0.113.9", b"127.0.0.1 http"),
        ("", "127.0.0.1", "203.0.113.9", b"127.0.0.1 http"),
    ],
)
def test_a_proxys_word_counts_only_from_the_one_that_is_trusted(monkeypatch, proxy, source, told, seen):
    monkeypatch.setenv("EWERER_PROXY", proxy)
    with served(Held()) as port:
        words = {"X-Forwarded-For": told, "X-Forwarded-Proto": "https"}
        assert ask(port, source=source, **words) == (200, seen)


def test_what_is_no_address_of_a_proxy_is_refused_at_the_start(tmp_path):
    env = {**os.environ, "EWERER_PROXY": "here"}
    words = [sys.executable, "-m", "ewerer.entry", "demo", "--port", "18997", "--data", str(tmp_path)]
    done = subprocess.run(words, env=env, capture_output=True, text=True, timeout=120)
    assert done.returncode == 2 and "EWERER_PROXY" in done.stderr and "right would be the address" in done.stderr


# All of it at one time, against the whole application


@pytest.mark.long
def test_readers_that_do_not_read_made_up_cookies_and_stalled_uploads_together(tmp_path):
    """200 + 500 + 60 lines at one time; somebody's list, save, plan and page are answered while all of them are there."""
    with server(tmp_path) as (_, base):
        me, greedy, port = Session(base, "other"), Session(base), int(base.rpartition(":")[2])
        job = me.call("POST", "/jobs", changed(SKERRY))["id"]
        theirs = greedy.call("POST", "/jobs", changed(SKERRY))["id"]
        cookie = "; ".join(f"{c.name}={c.value}" for h in greedy.opener.handlers if hasattr(h, "cookiejar") for c in h.cookiejar)
        held = [socket.create_connection((LOOPBACK, port)) for _ in range(760)]
        for n, one in enumerate(held):
            if n < 200:
                one.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1)
                one.sendall(f"GET /api/jobs/{theirs}/plan HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {cookie}\r\n\r\n".encode())
            elif n < 700:
                one.sendall(f"GET /api/jobs HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: sessionid=made-up-{n}\r\n\r\n".encode())
            else:
                head = f"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900000\r\nCookie: sessionid=up{n}\r\n\r\n"
                one.sendall(head.encode() + b"x" * 1000)
        slowest = 0.0
        for n in range(10):
            began = time.perf_counter()
            assert me.call("GET", "/jobs?limit=20")["items"]
            body = {"base_revision": n + 1, "document": changed(SKERRY, bank__fuse_a=200 + n)}
            assert me.call("PUT", f"/jobs/{job}", body)["revision"] == n + 2
            assert urllib.request.urlopen(base + "/", timeout=20).status == 200
            slowest = max(slowest, time.perf_counter() - began)
        print(f"list, save and page together: {slowest:.2f} s at most")
        until(lambda: _ready(base))  # it says so while requests wait long
        assert all(one.fileno() >= 0 for one in held)
        for one in held:
            one.close()


BIG = """
import resource, sys
from ewerer.core.trade.errors import DocumentError
from ewerer.core.record.photos import kept
from PIL import Image
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
try:
    print(kept(open(sys.argv[1], "rb").read()).width)
except DocumentError as error:
    print(error.problems[0].message)
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1000)
"""


@pytest.mark.parametrize(
    ("form", "outcome"),
    [("JPEG", "2000"), ("PNG", "8000 by 8000 pixels"), pytest.param("WEBP", "8000 by 8000 pixels", marks=pytest.mark.long)],
)
def test_a_huge_picture_is_kept_or_refused_in_little_memory(tmp_path, form, outcome):
    file = tmp_path / "huge"
    Image.new("L" if form != "WEBP" else "RGB", (8000, 8000), 90).save(file, form)
    assert file.stat().st_size < 12_000_000
    done = subprocess.run([sys.executable, "-c", BIG, str(file)], capture_output=True, text=True, timeout=120, check=True)
    told, megabytes = done.stdout.split("\n")[:2]
    assert told == outcome and int(megabytes) < 150


def test_a_small_picture_is_what_it_was():
    from ewerer.core.record.photos import kept

    out = io.BytesIO()
    Image.linear_gradient("L").resize((640, 480)).save(out, "JPEG")
    assert (kept(out.getvalue()).width, kept(out.getvalue()).height) == (640, 480)
