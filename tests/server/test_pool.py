"""Processes beside the server: what a task makes or raises comes back, nothing goes on for nobody, no crew has all of them."""

import contextlib
import os
import signal
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest
from django.core.cache import caches

from ewerer.core import tasks
from ewerer.core.trade.budget import ClientGone, DeadlineExceeded, within
from ewerer.core.trade.errors import DocumentError
from ewerer.server.work import long, pool
from tests.server import chores


@pytest.fixture(scope="module")
def processes():
    """Three processes for requests, and those for long work."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pool, "PRELOAD", "tests.server.chores")
        pool.begin(3)
        yield
        pool.end()


def until(true, what="it"):
    for _ in range(4000):
        if true():
            return
        time.sleep(0.005)
    raise AssertionError(f"{what} never came about")


def alive(pid):
    with contextlib.suppress(ProcessLookupError, FileNotFoundError):
        os.kill(pid, 0)
        return Path(f"/proc/{pid}/stat").read_text().split()[2] != "Z"
    return False


def in_thread(act, *args, crew=None):
    """Begin something in a thread; returns the thread and where its outcome will stand."""
    out = []

    def carry_on():
        pool.CREW.set(crew)
        try:
            out.append(act(*args))
        except BaseException as error:
            out.append(error)

    thread = threading.Thread(target=carry_on, daemon=True)
    thread.start()
    return thread, out


def test_what_a_task_makes_or_raises_comes_back(processes):
    assert pool.run(chores.whoami) != os.getpid()
    assert pool.run(chores.divide, 4) == 0.25
    with pytest.raises(ZeroDivisionError):
        pool.run(chores.divide, 0)
    with pytest.raises(DocumentError) as refused:
        pool.run(chores.refuse, "too long")
    (problem,) = refused.value.problems
    assert (problem.pointer, problem.message, problem.value, problem.expected) == ("/a/b", "too long", [1, None], "less")


def test_a_task_ends_when_its_time_is_spent_where_it_looks_and_where_it_does_not(processes, tmp_path, monkeypatch):
    with pytest.raises(DeadlineExceeded):
        pool.ask(chores.watch_the_time, (), 0.1)
    monkeypatch.setattr(pool, "SLACK_S", 0.2)
    mark = tmp_path / "pid"
    with pytest.raises(DeadlineExceeded):
        pool.ask(chores.spin, (str(mark),), 0.1)
    until(lambda: not alive(int(mark.read_text())), "the end of its process")
    assert pool.run(chores.divide, 2) == 0.5


def test_a_task_ends_when_nobody_waits(processes, tmp_path):
    mark, gone = tmp_path / "pid", threading.Event()

    def asked():
        with within(60, gone.is_set):
            pool.run(chores.spin, str(mark))

    thread, out = in_thread(asked)
    until(mark.exists)
    until(lambda: mark.read_text())
    gone.set()
    thread.join(20)
    assert isinstance(out[0], ClientGone)
    until(lambda: not alive(int(mark.read_text())), "the end of its process")


def test_a_task_takes_no_more_memory_than_it_may(processes):
    assert pool.run(chores.take_memory, 50) == 50_000_000
    with pytest.raises(MemoryError):
        pool.run(chores.take_memory, pool.MOST_BYTES // 1_000_000 + 100)


def test_a_process_that_ends_is_told_and_the_others_go_on(processes):
    with pytest.raises(pool.ProcessEnded):
        pool.run(chores.end_itself)
    assert pool.run(chores.divide, 2) == 0.5


def test_processes_that_are_killed_while_idle_are_made_anew(processes):
    pids = set()
    until(lambda: pids.add(pool.run(chores.whoami)) or len(pids) >= 1)
    for pid in pids:
        os.kill(pid, signal.SIGKILL)
    until(lambda: not any(alive(p) for p in pids))
    for _ in range(100):
        with contextlib.suppress(RuntimeError, pool.ProcessEnded):
            assert pool.run(chores.divide, 2) == 0.5
            break
        time.sleep(0.05)
    else:
        raise AssertionError("never made anew")


def test_no_crew_has_all_processes(processes, tmp_path):
    """One crew asks for ten things that do not end; two of them run. Another crew's is done at once."""
    go = tmp_path / "go"
    held = [in_thread(pool.run, chores.wait_for, str(tmp_path / f"began{n}"), str(go), crew=1) for n in range(10)]
    until(lambda: len(list(tmp_path.glob("began*"))) == 2)
    for _ in range(3):
        thread, out = in_thread(pool.run, chores.divide, 2, crew=2)
        thread.join(20)
        assert out == [0.5]
    assert len(list(tmp_path.glob("began*"))) == 2
    go.touch()
    for thread, out in held:
        thread.join(20)
        assert isinstance(out[0], int)


def test_as_many_processes_as_cores_and_one_unless_told(monkeypatch):
    monkeypatch.setattr(os, "sched_getaffinity", lambda _: {0, 1}, raising=False)
    for text, count in (("", 3), ("0", 0), ("5", 5), ("999", 64), ("many", 3)):
        monkeypatch.setenv("EWERER_WORKERS", text)
        assert pool.count() == count


# Long work


@pytest.fixture
def site(processes, tmp_path, monkeypatch, settings):
    """A folder for long work that waits for a file; yields how to begin a piece and how to let all go on."""
    monkeypatch.setattr(long, "DATA_DIR", tmp_path)
    settings.CACHES = {**settings.CACHES, "work": {**settings.CACHES["work"], "LOCATION": tmp_path / "work"}}
    monkeypatch.setattr(tasks, "long_work", chores.long_work)
    go, count = tmp_path / "go", iter(range(1000))

    def begin(crew=1, kind="year", by=1):
        mark = tmp_path / f"mark{next(count)}"
        return long.start(crew, by, tasks.Long(kind, (str(mark), str(go)))), mark

    yield begin, go
    go.touch()
    until(lambda: not long._open, "the end of all work")


def state(piece, crew=1):
    found = long.find(piece.id, crew)
    return found and found.state


def test_long_work_tells_its_progress_and_keeps_its_result(site):
    begin, go = site
    piece, mark = begin()
    until(mark.exists)
    assert (now := long.find(piece.id, 1)).state == "running" and (now.word, now.share) == ("half", 0.5)
    assert long.find(piece.id, 2) is None and long.find("../secret-key", 1) is None and now.result is None
    go.touch()
    until(lambda: state(piece) == "done")
    assert long.find(piece.id, 1).result == '{"of": "it"}'


def test_cancelled_work_ends_its_process_and_what_waits_never_begins(site):
    begin, _ = site
    first, mark = begin()
    until(mark.exists)
    until(lambda: mark.read_text())
    second, never = begin()
    long.cancel(long.find(second.id, 1))
    long.cancel(long.find(first.id, 1))
    until(lambda: state(first) == state(second) == "cancelled")
    until(lambda: not alive(int(mark.read_text())), "the end of its process")
    assert not never.exists()


def test_a_defect_and_a_refusal_are_told(site):
    begin, go = site
    broken, refused = begin(1, "compare")[0], begin(2, "sweep")[0]
    go.touch()
    until(lambda: state(broken) == state(refused, 2) == "failed")
    assert "nought" in long.find(broken.id, 1).problem and "too long" in long.find(refused.id, 2).problem


def test_a_piece_that_ends_while_it_is_asked_about_is_done(monkeypatch):
    piece = long.Work("a" * 32, 1, 1, "year", state="running")
    piece.become("running")

    def ends_meanwhile(pid):
        piece.become("done")
        return False

    monkeypatch.setattr(long, "_elsewhere", ends_meanwhile)
    assert long.find(piece.id, 1).state == "done"
    piece.become("running")
    monkeypatch.setattr(long, "_elsewhere", lambda pid: False)
    assert long.find(piece.id, 1).problem == long.ANEW


def test_a_crew_has_one_at_work_and_few_open_and_keeps_nobody_from_theirs(site):
    begin, go = site
    mine = [begin() for _ in range(long.MOST_OPEN)]
    with pytest.raises(long.TooMuch):
        begin()
    theirs, mark = begin(crew=2)
    until(mark.exists)
    until(lambda: any(m.exists() for _, m in mine))
    assert sum(m.exists() for _, m in mine) == 1, "of one crew one at a time"
    go.touch()
    until(lambda: all(state(p) == "done" for p, _ in mine) and state(theirs, 2) == "done")


def test_a_result_is_kept_for_a_day_and_nothing_else_stays(site, tmp_path):
    begin, go = site
    go.touch()
    piece, _ = begin()
    until(lambda: state(piece) == "done" and not long._open)
    assert sorted(p.suffix for p in (tmp_path / "work").iterdir()) == [".djcache", ".djcache"], "the piece and its result"
    assert caches["work"].default_timeout == 86_400
    caches["work"].clear()
    assert long.find(piece.id, 1) is None


def test_what_ran_when_the_server_stopped_is_said_to_have_failed(site, monkeypatch):
    begin, _ = site
    piece, mark = begin()
    until(mark.exists)
    with monkeypatch.context() as patch:
        patch.setattr(long, "_open", {})
        again = long.find(piece.id, 1)
        assert again.state == "failed" and "started anew" in again.problem
        caches["work"].set(piece.id, replace(piece, state="running", pid=1))
        assert long.find(piece.id, 1).state == "running", "another server on this folder carries it out"


# The last of this file: it ends the processes


def test_a_stop_ends_what_is_computed_and_says_so(processes, tmp_path):
    mark = tmp_path / "pid"
    thread, out = in_thread(pool.run, chores.spin, str(mark))
    until(mark.exists)
    until(lambda: mark.read_text())
    pool.end()
    thread.join(20)
    assert isinstance(out[0], pool.ShuttingDown), out
    until(lambda: not alive(int(mark.read_text())))
    assert pool.run(chores.whoami) == os.getpid(), "without processes it is computed where it is asked for"
