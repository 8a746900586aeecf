"""What grows with input is bounded, and each bound is told before work begins."""

import json
import re
import time

import pytest
from hypothesis import given, strategies as st

from ewerer import cli
from ewerer.core.devices.library import parse_profile
from ewerer.core.documents.conditions import MAX_PARTS, ConditionError, parse_condition
from ewerer.core.documents.parse import MAX_DIGITS, MAX_NESTING, has_long_number, nesting, parse_json
from ewerer.core.stages.sheet.found import parse_found
from ewerer.core.trade.errors import DocumentError
from tests import cases
from tests.jobs import DEMO, SKERRY, data

UNIT = json.loads((cases.CASES / "lib-plainv" / "plainv.json").read_text())


def refusal(act) -> tuple[str, float]:
    """Return what was said, and how much processor time that took [s]: the clock would count the tests beside."""
    begun = time.thread_time()
    with pytest.raises(DocumentError) as refused:
        act()
    return str(refused.value), time.thread_time() - begun


def test_the_key_check_takes_two_megabytes_in_its_stride():
    text = "{" + ",".join(f'"key{i}": {i}' for i in range(100_000)) + "}"
    assert len(text) > 1_700_000
    begun = time.thread_time()
    assert len(parse_json(text)) == 100_000
    assert time.thread_time() - begun < 1.0  # the benchmark holds it to 0.3 s on an idle machine


def test_a_key_that_stands_twice_is_named_wherever_it_is():
    keys = [f'"k{i}": 1' for i in range(50_000)] + ['"k7": 2']
    text, took = refusal(lambda: parse_json("{" + ",".join(keys) + "}"))
    assert "'k7' stands twice" in text and took < 1.0


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("[" * (MAX_NESTING + 1) + "]" * (MAX_NESTING + 1), f"at most {MAX_NESTING} levels"),
        ("[" * 900_000, f"at most {MAX_NESTING} levels"),
        ('{"a": ' + "9" * 400 + "}", f"at most {MAX_DIGITS}"),
        ('{"a": 0.' + "1" * 200_000 + "}", f"at most {MAX_DIGITS}"),
        ('{"a": Infinity}', "finite"),
    ],
)
def test_json_is_bounded(text, word):
    told, took = refusal(lambda: parse_json(text))
    assert word in told and took < 0.3


def test_brackets_in_a_text_do_not_count_as_nesting():
    assert parse_json(json.dumps({"a": "[" * 500 + '\\"' + "{" * 500}))["a"].startswith("[[")


def levels(text: str) -> int:
    """Count levels letter by letter."""
    depth = deepest = 0
    inside = escaped = False
    for letter in text:
        if escaped:
            escaped = False
        elif inside:
            escaped, inside = letter == "\\", letter != '"'
        elif letter == '"':
            inside = True
        else:
            depth += (letter in "[{") - (letter in "]}")
            deepest = max(deepest, depth)
    return deepest


@given(st.recursive(st.text('a[]{}"\\\n') | st.integers(), lambda kids: st.lists(kids) | st.dictionaries(st.text('a[{"\\'), kids)))
def test_nesting_is_counted_as_letter_by_letter(made):
    text = json.dumps(made)
    assert nesting(text.encode()) == levels(text)


@given(st.text('[]{}"x,é\U0001f50b', max_size=60))
def test_nesting_of_anything_without_escapes_is_counted_as_letter_by_letter(text):
    assert nesting(text.encode()) == levels(text)


@given(st.lists(st.text("0123456789.eE+-", max_size=45) | st.sampled_from(["é", ",", "x", '"']), max_size=12).map("".join))
def test_a_long_number_is_seen_as_a_pattern_sees_it(text):
    assert has_long_number(text.encode()) == bool(re.search(r"[0-9.eE+-]{41}", text))


@pytest.mark.parametrize("piece", ['"', '"\\', "\\", '"a":', "[1,", "1" * 40 + ",", "-" * 41 + " ", '["\\u0022",'])
def test_two_megabytes_of_anything_are_answered_at_once(piece):
    _, took = refusal(lambda: parse_json(piece * (1_990_000 // len(piece))))
    assert took < 1.0


def setting(**more):
    return {"id": "x", "menu": ["M"], "label": "X", "min": 0, "max": 10, "step": 1} | more


def with_setting(**more):
    return lambda: parse_profile(json.dumps(UNIT | {"settings": [*UNIT["settings"], setting(**more)]}))


@pytest.mark.parametrize(
    ("act", "word"),
    [
        (with_setting(works_only_if="not " * 400 + "absorb = 1"), "nested more than 20"),
        (with_setting(works_only_if="(" * 300 + "absorb = 1" + ")" * 300), "nested more than 20"),
        (with_setting(works_only_if=" or ".join(["absorb = 1"] * (MAX_PARTS + 1))), "at most 2000 characters"),
        (with_setting(works_only_if=" or ".join(["a=1"] * (MAX_PARTS + 1))), f"at most {MAX_PARTS}"),
        (with_setting(max=1e308), "to 1000000"),
        (with_setting(step=1e-300), "from 1e-06"),
        (with_setting(step=1e-6, max=100), "steps from min to max"),
        (with_setting(step=0.001, encoding={"kind": "plain", "scale": 1000}), "the step is too fine"),
        (with_setting(side_effects=[{"sets": {"absorb": "1"}}] * 9), "too many"),
        (with_setting(encoding={"kind": "choice", "choices": {str(i): str(i) for i in range(101)}}), "too many"),
        (lambda: parse_profile(json.dumps(UNIT | {"settings": [setting(id=f"s{i}") for i in range(201)]})), "too many"),
        (lambda: parse_profile(json.dumps(UNIT | {"interlocks": [{"rule": "absorb - float >= 0"}] * 61})), "too many"),
    ],
)
def test_profiles_are_bounded(act, word):
    told, took = refusal(act)
    assert word in told and took < 0.3, told


def test_a_condition_as_large_as_allowed_is_read():
    assert len(parse_condition(" or ".join(f"a{i}=1" for i in range(MAX_PARTS))).names()) == MAX_PARTS
    with pytest.raises(ConditionError):
        parse_condition("not " * 21 + "a = 1")
    assert parse_condition("not " * 20 + "a = 1").holds({"a": "1"})


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("fill-volts = 56\n" * 2001, "at most 2000 lines"),
        ('setting,value\nfill-volts,"' + "9" * 200_000 + '"', "at most 1000 characters"),
        ("fill-volts" + " " * 5000 + "56", "at most 1000 characters"),
        ("{" + "[" * 80, "at most"),
    ],
)
def test_lists_of_found_settings_are_bounded(text, word):
    from ewerer.core.devices.library import shipped_library
    from ewerer.core.documents.profiles import InverterProfile

    unit = shipped_library().get("orrowan-t8", InverterProfile)
    told, took = refusal(lambda: parse_found(unit, text))
    assert word in told and took < 0.3


def test_a_long_value_among_found_settings_is_a_problem_of_its_line():
    from ewerer.core.devices.library import shipped_library
    from ewerer.core.documents.profiles import InverterProfile

    unit = shipped_library().get("orrowan-t8", InverterProfile)
    values, problems = parse_found(unit, "fill-volts = " + "9" * 300)
    assert not values and problems[0].pointer == "line 1"


@pytest.mark.parametrize("name", [n for n in cases.names() if n.startswith("crash-") or n == "own-1e308"])
def test_what_crashed_is_refused_or_planned(name, capsys):
    folder = cases.LIBRARIES.get(name)
    library = ["--library", str(cases.CASES / folder)] if folder else []
    code = cli.main(["plan", str(cases.CASES / f"{name}.json"), *library])
    told = capsys.readouterr()
    assert code in (0, 2, 3)
    if code == 2:
        assert told.err.startswith("ewerer: ") and "Traceback" not in told.err and "/" in told.err


def test_a_found_list_of_absurd_size_is_refused_by_the_command(tmp_path, capsys):
    found = tmp_path / "a.csv"
    found.write_text('setting,value\nfill-volts,"' + "9" * 200_000 + '"\n')
    code = cli.main(["order", str(DEMO / f"{SKERRY}.json"), "--unit", "U1", "--as-found", str(found)])
    assert code == 2 and "line 2" in capsys.readouterr().err


def test_own_figures_are_bounded():
    job = data(SKERRY)
    job["policy"]["own_figures"] = {"absorb_v": 1e308}
    from tests.jobs import job_of

    told, _ = refusal(lambda: job_of(job))
    assert "/policy/own_figures/absorb_v" in told and "1000000" in told
