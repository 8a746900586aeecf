"""Whose request may go on: held against the rule restated, and against a crew that brings as many sessions as it likes."""

import asyncio
import random
from collections import Counter
from concurrent.futures import ThreadPoolExecutor

import pytest

from ewerer.server import gate, run
from ewerer.server.problems import CREW_OF
from ewerer.server.turns import TooMany, Turns


def carried_out(act):
    """Run a coroutine in a thread of its own: a browser of another test may keep a loop running in this one."""
    with ThreadPoolExecutor(1) as apart:
        return apart.submit(asyncio.run, act).result(60)


@pytest.mark.parametrize("seed", range(30))
def test_places_are_given_as_the_rule_says(seed):
    """Requests come, end and leave at random; after each, nobody waits who may go, and nobody went who may not."""
    lot = random.Random(seed)
    most, of_one, for_others = lot.randint(1, 6), lot.randint(1, 3), lot.randint(0, 3)

    async def play():
        turns = Turns(most, of_one, for_others, 1000)
        inside, waiting, ended = [], [], {}

        async def ask(session, crew):
            key = (session, crew, object())
            waiting.append(key)
            let_go = ended[key] = asyncio.Event()
            try:
                async with turns.turn(session, crew):
                    waiting.remove(key)
                    at_work = Counter(c for _, c, _ in inside)
                    assert sum(s == session for s, _, _ in inside) < of_one
                    assert len(inside) < most or (not at_work[crew] and len(inside) < most + for_others)
                    inside.append(key)
                    await let_go.wait()
                    inside.remove(key)
            finally:
                if key in waiting:
                    waiting.remove(key)
                if key in inside:
                    inside.remove(key)

        tasks = []
        for _ in range(200):
            deed = lot.random()
            if deed < 0.5:
                crew = lot.randint(0, 3)
                tasks.append(asyncio.create_task(ask(b"%d-%d" % (crew, lot.randint(0, 2)), crew)))
            elif deed < 0.85 and inside:
                ended[lot.choice(inside)].set()
            elif tasks:
                lot.choice(tasks).cancel()
            for _ in range(5):
                await asyncio.sleep(0)
            at_work, of_session = Counter(c for _, c, _ in inside), Counter(s for s, _, _ in inside)
            for session, crew, _ in waiting:
                free = len(inside) < most or (not at_work[crew] and len(inside) < most + for_others)
                assert of_session[session] >= of_one or not free, (inside, waiting)
        for key in list(ended):
            ended[key].set()
        await asyncio.gather(*tasks, return_exceptions=True)
        assert not inside and not waiting and not turns.sessions and not turns.askers and not turns.lines
        return sum(not t.cancelled() for t in tasks)

    assert carried_out(play()) > 20


def test_of_those_who_wait_whoever_has_least_at_work_goes_first_and_within_a_crew_the_first():
    async def play():
        turns, order, go = Turns(3, 2, 0, 100), [], asyncio.Event()

        async def ask(session, crew, name):
            async with turns.turn(session, crew):
                order.append(name)
                await go.wait()

        tasks = [asyncio.create_task(ask(b"a%d" % n, 1, f"a{n}")) for n in range(6)]
        await asyncio.sleep(0)
        tasks += [asyncio.create_task(ask(b"b", 2, "b")), asyncio.create_task(ask(b"c", 3, "c"))]
        await asyncio.sleep(0.01)
        assert order == ["a0", "a1", "a2"]
        go.set()
        await asyncio.gather(*tasks)
        return order

    assert carried_out(play()) == ["a0", "a1", "a2", "b", "c", "a3", "a4", "a5"]


def test_within_a_crew_the_session_that_has_least_at_work_goes_first():
    async def play():
        turns, order, go = Turns(2, 2, 0, 100), [], {name: asyncio.Event() for name in ("a0", "a1", "a2", "b")}

        async def ask(session, name):
            async with turns.turn(session, 1):
                order.append(name)
                await go[name].wait()

        tasks = [asyncio.create_task(ask(name[:1].encode(), name)) for name in go]
        await asyncio.sleep(0.01)
        assert order == ["a0", "a1"]
        for event in go.values():
            event.set()
        await asyncio.gather(*tasks)
        return order

    assert carried_out(play()) == ["a0", "a1", "b", "a2"]


def test_so_many_of_a_session_and_no_more():
    async def play():
        turns, go = Turns(2, 1, 0, 3), asyncio.Event()

        async def ask(session):
            try:
                async with turns.turn(session, session):
                    await go.wait()
                    return "in"
            except TooMany:
                return "too many"

        asked = [asyncio.create_task(ask(s)) for s in (b"one", b"one", b"one", b"one", b"two")]
        await asyncio.sleep(0.01)
        go.set()
        return await asyncio.gather(*asked)

    assert carried_out(play()) == ["in", "in", "in", "too many", "in"]


def request_of(session, path="/api/plan", crew=None):
    return {
        "type": "http",
        "method": "GET",
        "path": path if crew is None else "/api/session",
        "headers": [(b"cookie", c) for c in session],
        "told": crew,
    }


def test_a_crew_with_many_sessions_leaves_places_to_another_crew():
    """The gate knows the crew of a session from what the application said of it before."""

    async def play():
        inside, go = [], asyncio.Event()

        async def app(scope, receive, send):
            if scope["told"] is not None:
                scope[CREW_OF] = scope["told"]
                return
            inside.append(at._session_of(scope))
            await go.wait()

        async def receive():
            await go.wait()
            return {"type": "http.request", "body": b"", "more_body": False}

        at = gate.Gate(app)
        for n in range(40):
            await at(request_of([b"sessionid=greedy%d" % n], crew=7), receive, None)
        await at(request_of([b"sessionid=other"], crew=8), receive, None)
        asked = []
        for n in range(40):
            asked += [at._in_turn(request_of([b"sessionid=greedy%d" % n]), receive, None) for _ in range(4)]
        running = [asyncio.ensure_future(a) for a in asked]
        await asyncio.sleep(0.05)
        assert len(inside) == gate.MOST_COMPUTING
        other = asyncio.ensure_future(at._in_turn(request_of([b"sessionid=other"]), receive, None))
        await asyncio.sleep(0.05)
        assert inside[gate.MOST_COMPUTING :] == [b"other"], "it waits for none of the hundred and sixty"
        go.set()
        await asyncio.gather(*running, other)
        return len(inside)

    assert carried_out(play()) == 161


def test_what_does_not_compute_takes_turns_too_and_whether_it_lives_is_said_at_once():
    async def play():
        inside, refused, go = [], [], asyncio.Event()

        async def app(scope, receive, send):
            inside.append((at._session_of(scope), scope["path"]))
            await go.wait()

        async def send(message):
            refused.append(message.get("status"))

        at = gate.Gate(app)
        asked = [(b"greedy", "/api/jobs")] * (gate.MOST_ANSWERED_IN_LINE + 3) + [(b"other", "/"), (b"greedy", "/health/ready")]
        running = [asyncio.ensure_future(at(request_of([b"sessionid=" + whose], path), None, send)) for whose, path in asked]
        await asyncio.sleep(0.2)
        assert inside == [(b"greedy", "/api/jobs")] * gate.MOST_ANSWERED_OF_ONE + [(b"other", "/"), (b"greedy", "/health/ready")]
        assert refused.count(503) == 3
        go.set()
        await asyncio.gather(*running)
        return len(inside)

    assert carried_out(play()) == gate.MOST_ANSWERED_IN_LINE + 2


def test_there_is_a_thread_for_each_request_that_the_gate_lets_in():
    computing, others = gate.MOST_COMPUTING + gate.FOR_OTHERS, gate.MOST_ANSWERED + gate.ANSWERED_FOR_OTHERS
    assert computing + others + gate.MOST_HASHING < run.THREADS  # and one that asks whether it lives


@pytest.mark.parametrize(
    ("cookies", "session"),
    [
        ([b"sessionid=abc"], b"abc"),
        ([b"a=b; sessionid=abc; c=d"], b"abc"),
        ([b"sessionid=made-up; sessionid=abc"], b"abc"),
        ([b"xsessionid=made-up", b"sessionid=abc"], b"10.0.0.9"),
        ([b'sessionid="abc"'], b"abc"),
        ([], b"10.0.0.9"),
        ([b"sessionid="], b"10.0.0.9"),
    ],
)
def test_the_session_is_the_one_that_the_application_reads(rf, cookies, session):
    """Held to the framework: a made-up one before or beside it would be a session of its own with each request."""
    scope = request_of(cookies) | {"client": ("10.0.0.9", 5)}
    assert gate.Gate(None)._session_of(scope) == session
    joined = b",".join(cookies).decode()
    assert rf.get("/", headers={"cookie": joined}).COOKIES.get("sessionid", "") == (
        session.decode() if session != b"10.0.0.9" else ""
    )
