"""The logbook: faults grouped and told present from past, lists read with any delimiter, what is due, export without formulas."""

import csv
import io

import pytest
from icalendar import Calendar

from ewerer.core.devices.library import shipped_library
from ewerer.core.documents.results.run import Due
from ewerer.core.pages.calendar import due_calendar
from ewerer.core.record.fold import fold
from ewerer.core.record.logbook import changes_of, due_of, faults_of, header_of, log_csv, read_log
from ewerer.core.record.record import record_of
from ewerer.core.record.run import run_of
from ewerer.core.symptoms.finder import knowledge, likely
from ewerer.core.trade.errors import DocumentError
from tests.events import at, event
from tests.jobs import LARCH, SKERRY, job_of

LIBRARY = shipped_library()


def log(*entries):
    return fold([event(f"l{i}", "log", at(i), entry={"kind": "fault", **e}) for i, e in enumerate(entries)])["log"]


@pytest.mark.parametrize(
    ("entries", "standing"),
    [
        ([{"code": "F1", "when": "2026-01-01 10:00", "cleared": "2026-01-02 10:00"}], "past"),
        ([{"code": "F1", "when": "2026-01-01 10:00", "cleared": "2026-01-01 11:00"}, {"code": "F1", "when": "2026-01-03 09:00"}], "present"),
        ([{"code": "F1", "seconds": 2.0, "cleared": "2026-01-01 11:00"}], "present"),
        ([{"code": "F1", "seconds": 900.0, "when": "2026-01-01 10:00", "cleared": "2026-01-02 11:00"}], "past"),
        ([{"code": "F1", "when": "2024-01-01 10:00"}, {"code": "F1", "when": "2024-02-01 10:00"}], "history"),
        ([{"code": "F1", "count": 7}], "history"),
        ([{"code": "F1"}], "unknown"),
    ],
)  # fmt: skip
def test_present_or_past_by_whether_it_came_back(entries, standing):
    groups = faults_of(log(*entries))
    assert [g.standing for g in groups] == [standing] and groups[0].why


def test_groups_go_by_device_and_code_and_the_present_come_first():
    groups = faults_of(log({"code": "F1", "device": "U1", "count": 3}, {"code": "F1", "device": "U2"}, {"code": "F1", "device": "U1"}, {"code": "F9", "device": "U1", "seconds": 1.0}, {"kind": "note", "text": "visit"}))  # fmt: skip
    assert [(g.device, g.code, g.count) for g in groups] == [("U1", "F9", 1), ("U2", "F1", 1), ("U1", "F1", 4)]


@pytest.mark.parametrize(
    "said",
    ["Over-temperature", "OVERTEMPERATURE", "over temp.", "Temp. alarm", "Temperature high", "high temp. 2", "too hot", "Overheated", "Over heat, output off", "thermal shutdown", "Heat-sink hot"],
)  # fmt: skip
def test_a_display_says_too_hot_in_many_ways(said):
    """Ways of saying it: common practice."""
    assert likely(said)[0] == "hot-but-cool"


def test_a_symptom_is_found_by_its_own_words():
    assert {s.id for s in knowledge().symptoms if likely(s.word)[0] != s.id} == set()


def test_likely_causes_come_from_the_symptom_whose_words_fit():
    symptom, causes = likely("Low-voltage alarm, bank half full")
    assert symptom == "low-alarm-half-full" and causes
    ids = {s.id for s in knowledge().symptoms}
    assert all(likely(s.word)[0] in ids for s in knowledge().symptoms)
    assert likely("xyzzy") == ("", [])


LISTS = [
    ("time,code,text,unit\n2026-01-01 10:00,F12,Low voltage,U1\n", {}),
    ("Date;Code;Message;Device\r\n01.02.2026 10:00;F12;Low voltage;U1\r\n", {}),
    ("when\tcode\tevent\tdevice\n2026-01-01\tF12\tLow voltage\tU1", {}),
    ("\ufeffA|B|C|D\n2026-01-01|F12|Low voltage|U1", {"A": "when", "B": "code", "C": "text", "D": "device"}),
]


@pytest.mark.parametrize(("text", "mapping"), LISTS)
def test_lists_with_any_delimiter_are_read_by_their_columns(text, mapping):
    _, guessed = header_of(text)
    entries, problems = read_log(text, mapping or guessed)
    assert problems == [] and len(entries) == 1
    assert (entries[0].code, entries[0].text, entries[0].device) == ("F12", "Low voltage", "U1")


def test_lines_that_cannot_be_read_are_told_and_the_others_are_not_lost():
    text = "code,count,device\nF1,3,U1\nF2,many,U1\nF3,1,no such name!\n\nF4,,\n"
    entries, problems = read_log(text, {"code": "code", "count": "count", "device": "device"})
    assert [e.code for e in entries] == ["F1", "F2", "F4"]
    assert [p.pointer for p in problems] == ["line 3", "line 4"]


@pytest.mark.parametrize(("text", "mapping"), [("", {}), ("a,b\n1,2\n", {}), ("a,b\n1,2\n", {"a": "when"})])
def test_a_list_without_code_or_text_is_refused(text, mapping):
    with pytest.raises(DocumentError):
        read_log(text, mapping)


def test_export_reads_back_and_holds_no_formula():
    lines = log(
        {"code": "F1", "text": "=1+1", "device": "U1"},
        {"kind": "limit", "text": "charge", "from": "100", "to": "120", "due": "2026-06-01", "own_limit": "140"},
    )
    rows = list(csv.DictReader(io.StringIO(log_csv(lines).decode("utf-8-sig"))))
    assert rows[0]["text"] == "'=1+1" and rows[1]["to"] == "120" and rows[1]["due"] == "2026-06-01"


def test_due_after_the_sign_off_and_until_done_and_limits_until_taken_back():
    made = job_of(SKERRY)
    raised = event(
        "r",
        "log",
        at(1),
        entry={"kind": "limit", "device": "M1", "text": "charge limit", "from": "100 A", "to": "120 A", "due": "2026-06-01"},
    )
    signed = event("s", "signed", at(2), name="Ada", text="commissioned it")
    meters = [{"name": "Blue meter", "due": "2026-05-20"}, {"name": "No date"}]
    due = due_of(made, fold([raised, signed]), meters)
    assert [(d.date, d.kind) for d in due] == [
        ("2026-05-05", "follow-up"),
        ("2026-05-11", "follow-up"),
        ("2026-05-11", "full-charge"),
        ("2026-05-20", "instrument"),
        ("2026-06-01", "limit"),
    ]
    assert sorted(d.date for d in due) == [d.date for d in due]
    assert next(d for d in due if d.kind == "limit").what == "Take back: charge limit of M1 to 100 A"
    back = event("b", "log", at(3), entry={"kind": "limit", "device": "M1", "text": "charge limit", "from": "120 A", "to": "100 A"})
    done = event("d", "done", at(4), step="follow:day")
    left = due_of(made, fold([raised, signed, back, done]))
    assert not any(d.kind == "limit" or d.step == "follow:day" for d in left)
    assert due_of(made, fold([])) == []
    by_hand = job_of(LARCH)
    ran = event("g", "log", "2026-05-20T10:00:00.000Z", entry={"kind": "note", "text": "Generator exercised for 30 min"})
    assert next(d for d in due_of(by_hand, fold([signed])) if d.kind == "exercise").date == "2026-06-03"
    assert next(d for d in due_of(by_hand, fold([signed, ran])) if d.kind == "exercise").date == "2026-06-19"


def test_due_as_calendar():
    made = Calendar.from_ical(
        due_calendar([Due(date="2026-06-01", what="Take back; it, was \n raised", kind="limit", job="j", name="Site")])
    )
    event_ = made.walk("VEVENT")[0]
    assert str(event_["summary"]) == "Site: Take back; it, was \n raised" and event_.decoded("dtstart").isoformat() == "2026-06-01"


def test_setting_changes_come_by_themselves():
    made = run_of(job_of(SKERRY), LIBRARY)
    step = next(x for s in made.steps for x in s.lines if x.id == "enter:U1:fill-volts")
    state = fold(
        [
            event("f", "as-found", at(0), device="U1", setting="fill-volts", shown="56.4"),
            event("a", "done", at(1), step=step.id),
            event("b", "read-back", at(2), step=step.id, shown=step.enter),
        ]
    )
    changes = changes_of(made, state)
    assert [(c.device, c.from_, c.to) for c in changes] == [("U1", "56.4", step.enter)]
    assert changes_of(made, fold([])) == []
    assert record_of(job_of(SKERRY), LIBRARY, made, state).changes == changes
