"""Processes that compute: the same answers as here, ended where they take too long or nobody waits, crews by turns."""

import contextlib
import json
import os
import random
import threading
import time
from pathlib import Path

import pypdfium2
import pytest

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.documents import DocumentError, InverterProfile
from ewerer.core.record.fold import fold
from ewerer.core.record.run import statuses_of
from ewerer.core.trade.budget import Left, Spent, within
from ewerer.server import planned, tasks, workers
from tests.core.test_handover import stream
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, data
from tests.server import chores

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def two():
    made = workers.Workers(2)
    yield made
    pids = made.processes()
    made.end()
    assert not any(alive(p) for p in pids)


@pytest.fixture
def one():
    made = workers.Workers(1)
    yield made
    made.end()


@contextlib.contextmanager
def busy(made, tmp_path, times=1):
    """All that is asked for meanwhile waits: somebody has the process."""
    go, threads = tmp_path / "go", []
    for _ in range(times):
        threads.append(threading.Thread(target=made.run, args=(chores.wait_for, str(go))))
        threads[-1].start()
        until(lambda: sum(made._running.values()) == len(threads))
    yield threads
    go.touch()
    for t in threads:
        t.join(60)


def until(holds):
    ends = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < ends
        time.sleep(0.002)


def alive(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def asked(name, library=None, **changes):
    library = library or shipped_library()
    return planned.asked(parse_job(json.dumps(changed(name, **changes)), library), library)


def test_a_process_answers_to_the_letter_what_is_computed_here(two):
    lot = random.Random(5)
    own = (
        shipped_library()
        .get(data(SKERRY)["units"][0]["profile"], InverterProfile)
        .model_dump(mode="json", by_alias=True, exclude_unset=True)
    )
    library = Library([*shipped_library(), parse_profile(json.dumps(own | {"id": "ours", "name": "Ours"}))], {"ours": 7})
    units = [unit | {"profile": "ours"} for unit in data(SKERRY)["units"]]
    cases = [asked(name) for name in NAMES] + [asked(SKERRY, library, units=units)]
    cases += [asked(lot.choice(NAMES), bank__fuse_a=lot.randrange(40, 900)) for _ in range(12)]
    for of in cases:
        assert two.run(tasks.plan_of, of.document, of.own) == tasks.plan_of(of.document, of.own)
    of = cases[0]
    unit = json.loads(of.document)["units"][0]["id"]
    assert two.run(tasks.order_of, of.document, of.own, unit) == tasks.order_of(of.document, of.own, unit)
    for days, found, lead in ((1, False, 0), (2, True, 40)):
        given = (of.document, of.own, days, found, lead)
        assert two.run(tasks.simulation_of, *given) == tasks.simulation_of(*given)
    for page in (
        two.run(tasks.sheet_pdf, of.document, of.own, unit, "A4"),
        two.run(tasks.cable_pdf, of.document, of.own, paper="Letter"),
    ):
        assert page.startswith(b"%PDF-") and len(page) > 5000


def test_refusals_and_defects_come_back_as_such_and_the_process_goes_on(two):
    pids = set(two.processes())
    with pytest.raises(DocumentError) as refused:
        two.run(chores.refuse, "too much")
    assert [(p.pointer, p.message, p.value, p.expected) for p in refused.value.problems] == [
        ("/a/b", "too much", [1, None], "less")
    ]
    with pytest.raises(workers.Failed, match="ZeroDivisionError"):
        two.run(chores.divide, 0)
    with pytest.raises(DocumentError, match="no such unit"):
        two.run(tasks.order_of, *(lambda of: (of.document, of.own))(asked(SKERRY)), "none")
    assert two.run(chores.divide, by=4) == 0.25
    assert set(two.processes()) == pids


@pytest.mark.parametrize(("chore", "kept"), [(chores.look_on, True), (chores.spin, False)])
def test_what_takes_too_long_is_ended_whether_it_looks_at_the_time_or_not(one, tmp_path, chore, kept):
    before = one.processes()
    began = time.perf_counter()
    with within(0.3), pytest.raises(Spent):
        one.run(chore, str(tmp_path / "mark"))
    assert time.perf_counter() - began < 60
    assert (one.processes() == before) == kept
    assert one.run(chores.whoami) == one.processes()[0]
    assert alive(before[0]) == kept


@pytest.mark.parametrize(("chore", "kept"), [(chores.look_on, True), (chores.spin, False)])
def test_what_nobody_waits_for_is_ended(one, tmp_path, chore, kept):
    before, mark = one.processes(), tmp_path / "mark"
    began = time.perf_counter()
    with within(60.0, mark.exists), pytest.raises(Left):
        one.run(chore, str(mark))
    assert time.perf_counter() - began < 40
    assert (one.processes() == before) == kept
    assert one.run(chores.whoami) == one.processes()[0]


def test_what_only_waits_is_ended_by_the_clock_and_those_behind_it_wait_for_the_next_process(one, monkeypatch):
    monkeypatch.setattr(workers, "WALL_S", 3.0)
    before, answers = one.processes(), []

    def behind():
        answers.append(one.run(chores.whoami))

    others = [threading.Thread(target=behind) for _ in range(2)]
    threading.Timer(0.1, lambda: [t.start() for t in others]).start()
    with pytest.raises(Spent):
        one.run(chores.rest, 60)
    for t in others:
        t.join(10)
    assert answers == one.processes() * 2 and one.processes() != before, "in a process, not here"


def words(pdf):
    """What a paper says, page by page: its bytes are not the same from one process to another."""
    return [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(pdf)]


def test_runs_records_and_papers_apart_say_what_they_say_here(two):
    of, events = asked(SKERRY), stream()
    shown, state = (of.document, of.own), fold(events)
    for task, *given in (
        (tasks.run_of_job,),
        (tasks.record_of_job, state),
        (tasks.why_open, state),
        (tasks.sheet_file, "U1", "json"),
        (tasks.sheet_file, "U1", "csv"),
    ):
        assert two.run(task, *shown, *given) == task(*shown, *given), task.__name__
    assert two.run(tasks.sheet_file, *shown, "U1", "xlsx").startswith(b"PK")
    for task, *given in ((tasks.run_pdf, statuses_of(state), "A4"), (tasks.handover_pdf, events, "Harbour crew", {}, "Letter")):
        assert words(two.run(task, *shown, *given)) == words(task(*shown, *given)), task.__name__
    given = (events, bytes(32), "Harbour crew", 3, {}, "A4")
    (there, about), (here, same) = two.run(tasks.handover_contents, *shown, *given), tasks.handover_contents(*shown, *given)
    assert words(there.pop("handover.pdf")) == words(here.pop("handover.pdf")) and (there, about) == (here, same)
    failed = [e for e in events if e["kind"] != "override"]
    with pytest.raises(DocumentError, match="failed"):
        two.run(tasks.handover_contents, *shown, failed, bytes(32), "", 1, {}, "A4")


class Enough(Exception):
    pass


def test_what_takes_long_has_a_process_of_its_own_that_steps_back_and_tells_how_far_it_is(one, tmp_path):
    heard, go = [], tmp_path / "enough"

    def told(word, share):
        heard.append((word, share))
        if len({*heard}) == 12 and not go.exists():
            assert one.run(chores.whoami) == one.processes()[0], "nobody waits for it"
            go.touch()

    apart = one.at_length(chores.count, str(go), told=told)
    assert apart not in {os.getpid(), *one.processes()} and not alive(apart)
    assert [share for _, share in heard] == sorted(share for _, share in heard)
    usual = os.getpriority(os.PRIO_PROCESS, one.processes()[0])
    assert {word for word, _ in heard} <= {"beginning", str(usual + workers.NICER_AT_LENGTH)}
    assert not one._at_length


def test_who_hears_how_far_it_is_can_end_it_though_it_tells_nothing_any_more(one):
    heard, pids = [], []

    def told(word, share):
        pids[:] = [w.process.pid for w in one._at_length]
        heard.append(word)
        if heard.count("resting") == 3:
            raise Enough

    began = time.perf_counter()
    with pytest.raises(Enough):
        one.at_length(chores.tell_once_and_rest, told=told)
    assert time.perf_counter() - began < 60 and len(pids) == 1 and not alive(pids[0])
    assert not one._at_length


def test_what_takes_long_is_refused_fails_and_is_begun_again_in_words(one, tmp_path, caplog):
    def hear(*_):
        pass

    with pytest.raises(DocumentError, match="too long"):
        one.at_length(chores.count_and_refuse, told=hear)
    with pytest.raises(workers.Failed, match="ZeroDivisionError"):
        one.at_length(chores.count_and_divide, 0, told=hear)
    assert one.at_length(chores.count_and_divide, 4, told=hear) == 0.25
    assert one.at_length(chores.count_and_end_once, str(tmp_path / "mark"), told=hear) == "in the second"
    assert "count_and_end_once ended: exit code -9" in caplog.text
    with pytest.raises(workers.Failed, match="exit code -9"):
        one.at_length(chores.count_and_end_always, told=hear)


def test_what_takes_long_ends_with_the_server_and_is_not_begun_again():
    made, ended = workers.Workers(1), []
    begun = threading.Event()

    def ask():
        try:
            made.at_length(chores.tell_once_and_rest, told=lambda word, _: word == "resting" and begun.set())
        except workers.Over:
            ended.append("over")

    asking = threading.Thread(target=ask)
    asking.start()
    assert begun.wait(60)
    made.end()
    asking.join(60)
    assert ended == ["over"] and not made._at_length
    with pytest.raises(workers.Over):
        made.run(chores.whoami)
    with pytest.raises(workers.Over):
        made.at_length(chores.tell_once_and_rest, told=lambda *_: None)


def test_who_waits_or_is_at_work_when_the_server_ends_is_told_and_nothing_is_computed_here(tmp_path):
    made, told = workers.Workers(1), []

    def ask():
        try:
            told.append(made.run(chores.wait_for, str(tmp_path / "never")))
        except workers.Over:
            told.append("over")

    asking = [threading.Thread(target=ask) for _ in range(3)]
    for t in asking:
        t.start()
    until(lambda: made._running.total() == 1 and len(made._waiting) == 2)
    made.end()
    for t in asking:
        t.join(60)
    assert told == ["over"] * 3


def test_where_no_process_can_be_started_long_work_is_done_here(one, monkeypatch):
    def refuse():
        raise OSError("too many processes")

    monkeypatch.setattr(workers, "_Worker", refuse)
    heard = []
    assert one.at_length(chores.count_and_divide, 2, told=lambda *a: heard.append(a)) == 0.5
    assert heard == [("dividing", 0.5)]


@pytest.mark.parametrize(
    "of",
    [
        {"kind": "year", "days": 40, "as_found": True},
        {"kind": "advice"},
        {"kind": "gentlest", "days": 30},
        {"kind": "compare", "days": 20},
        {"kind": "sweep", "weathers": 3, "days": 10, "vary": ("modules", ("2", "3"))},
    ],
    ids=lambda of: of["kind"],
)
def test_long_work_apart_is_to_the_letter_what_it_is_here(two, of):
    job, other = asked(TARN), asked(LARCH)
    order = tasks.Long(job=(job.document, job.own), other=(other.document, other.own) if of["kind"] == "compare" else None, **of)
    here, there = [], []
    made = tasks.long_work(order, lambda *told: here.append(told))
    assert two.at_length(tasks.long_work, order, told=lambda *told: there.append(told)) == made
    assert set(here) <= set(there) <= {*here, ("beginning", 0.0)}


def test_who_leaves_while_waiting_gives_the_turn_to_the_next(one, tmp_path):
    with busy(one, tmp_path) as held:
        with within(5.0, lambda: True), pytest.raises(Left):
            one.run(chores.whoami)
        assert held[0].is_alive()
    assert one.run(chores.whoami) == one.processes()[0]


def test_a_task_whose_process_is_killed_is_carried_out_in_another(one, tmp_path, caplog):
    before = one.processes()
    assert one.run(chores.end_once, str(tmp_path / "mark")) == "in the second"
    assert one.processes() != before and len(one.processes()) == 1
    assert "end_once ended: exit code -9" in caplog.text
    with pytest.raises(workers.Failed, match="exit code -9"):
        one.run(chores.end_always)
    assert one.run(chores.whoami) == one.processes()[0]


def test_crews_take_turns_however_much_one_asks_for(one, tmp_path):
    told = tmp_path / "told"

    def ask(crew, n):
        workers.ASKER.set(crew)
        one.run(chores.tell, str(told), f"{crew}{n}")

    threads = [threading.Thread(target=ask, args=("a", n)) for n in range(8)]
    threads.append(threading.Thread(target=ask, args=("b", 0)))
    with busy(one, tmp_path):
        for t in threads:
            t.start()
            until(lambda: len(one._waiting) == sum(x.is_alive() for x in threads))
    for t in threads:
        t.join(60)
    order = told.read_text().split()
    assert len(order) == 9
    assert order.index("b0") <= 1, order
    assert [n for n in order if n[0] == "a"] == sorted(n for n in order if n[0] == "a"), "within a crew: first come, first served"


def test_a_crew_that_keeps_busy_as_many_as_it_may_leaves_one_to_the_others(tmp_path):
    made = workers.Workers(2, 1)
    answers = []

    def ask(crew):
        workers.ASKER.set(crew)
        answers.append((crew, made.run(chores.whoami)))

    try:
        with busy(made, tmp_path, 2):
            mine, theirs = (threading.Thread(target=ask, args=(crew,)) for crew in (None, "other"))
            mine.start()
            until(lambda: made._waiting)
            theirs.start()
            theirs.join(60)
            assert [crew for crew, _ in answers] == ["other"] and len(made._waiting) == 1, "the third of one crew waits"
        mine.join(60)
        assert [crew for crew, _ in answers] == ["other", None]
        assert len(made.processes()) == 3
    finally:
        made.end()


def test_more_than_may_wait_are_turned_away(one, tmp_path, monkeypatch):
    monkeypatch.setattr(workers, "MOST_WAITING", 2)
    answers = []

    def ask():
        try:
            answers.append(one.run(chores.whoami) > 0)
        except workers.Busy:
            answers.append("busy")

    with busy(one, tmp_path):
        threads = [threading.Thread(target=ask) for _ in range(5)]
        for n, t in enumerate(threads, 1):
            t.start()
            until(lambda n=n: len(one._waiting) + len(answers) == n)
    for t in threads:
        t.join(60)
    assert sorted(map(str, answers)) == ["True"] * 2 + ["busy"] * 3


def test_where_no_process_can_be_started_any_more_it_is_computed_here(one, monkeypatch, tmp_path):
    def refuse():
        raise OSError("too many processes")

    monkeypatch.setattr(workers, "_Worker", refuse)
    with within(0.2), pytest.raises(Spent):
        one.run(chores.spin, str(tmp_path / "mark"))
    assert one.processes() == []
    assert one.run(chores.whoami) == os.getpid()
    assert one.run(chores.divide, by=2) == 0.5


def test_how_many_processes_is_said_by_the_cores_or_by_whoever_runs_the_server(monkeypatch):
    monkeypatch.delenv("EWERER_WORKERS", raising=False)
    assert 1 <= workers.count() <= 8
    for told, meant in (("0", 0), (" 3 ", 3), ("900", 64), ("-2", None), ("many", None)):
        monkeypatch.setenv("EWERER_WORKERS", told)
        assert workers.count() == (meant if meant is not None else min(len(os.sched_getaffinity(0)), 8))
