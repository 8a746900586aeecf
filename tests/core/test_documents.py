"""Documents: strict, with units; readable refusals; schema; round trips."""

import json

import pytest
from hypothesis import given

from ewerer.core.devices.library import SHIPPED, parse_job, parse_profile, shipped_library
from ewerer.core.documents.job import Job
from ewerer.core.documents.parse import parse_document
from ewerer.core.trade.errors import DocumentError
from tests.jobs import DEMO, NAMES, SKERRY, TARN, changed, data, hand_written, inline, random_jobs, validator


def refused(job) -> list[str]:
    with pytest.raises(DocumentError) as error:
        parse_job(json.dumps(job) if not isinstance(job, (str, bytes)) else job, shipped_library())
    return [str(p) for p in error.value.problems]


@pytest.mark.parametrize(
    ("paths", "pointer", "words"),
    [
        ({"bank__fusee_a": 300}, "/bank/fusee_a", "unknown key"),
        ({"bank__modules__0__resting_v": 53060}, "/bank/modules/0/resting_v", "looks like millivolts: 53.06 V"),
        ({"bank__modules__1": inline("X", resistance_mohm=0.015)}, "/bank/modules/1/resistance_mohm", "looks like ohms: 15 mohm"),
        ({"policy__reserve_soc": 20}, "/policy/reserve_soc", "looks like percent: 0.2"),
        ({"bank__fuse_a": -400}, "/bank/fuse_a", "too low; write the size of the current"),
        ({"bank__fuse_a": "400"}, "/bank/fuse_a", "not a number"),
        ({"site__ac__hz": 55}, "/site/ac/hz", "expected one of 50, 60"),
        ({"site__time_zone": "Atlantis/Deep"}, "/site/time_zone", "not a known time zone"),
        ({"bank__modules__1__id": "M1"}, "/bank/modules", "id 'M1' stands twice"),
        ({"units__0__profile": "no-such"}, "/units/0/profile", "no such profile in the library"),
        ({"windows__0__days": "some"}, "/windows/0/days", "days are all, a range such as mon-fri"),
        ({"windows__0__from": "25:00"}, "/windows/0/from", "a time of day as HH:MM"),
        ({"policy__own_figures": {"colour": 3}}, "/policy/own_figures", "colour is not a quantity"),
        ({"policy__own_figures": {"absorb_v": 1e308}}, "/policy/own_figures/absorb_v", "a figure from -1000000 to 1000000"),
        ({"policy__own_figures": {"absorb_v": [1]}}, "/policy/own_figures/absorb_v", "a figure from -1000000 to 1000000"),
        ({"policy__own_figures": {"buzzer": "loud"}}, "/policy/own_figures", "buzzer is true or false"),
        ({"ewerer": "job/9"}, "/ewerer", 'expected "job/2"'),
        ({"loads__daily_wh": -1}, "/loads/daily_wh", "from 0 to 50000000 Wh"),
        ({"bank__modules__0": {"id": "Z"}}, "/bank/modules/0", "also needs series_cells, capacity_ah, charge_a, discharge_a"),
    ],
)
def test_refusals_say_where_what_and_what_would_be_right(paths, pointer, words):
    said = refused(changed(SKERRY, **paths))
    assert any(s.startswith(pointer + ":") and words in s for s in said), said


def test_every_problem_is_listed():
    assert len(refused(changed(SKERRY, bank__fuse_a=-1, policy__reserve_soc=50, site__ac__hz=51))) == 3


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not JSON"),
        ("{", "not JSON at line 1"),
        ("[]", "not a JSON object"),
        ('{"ewerer": "job/1", "ewerer": "job/1"}', "stands twice"),
        ('{"ewerer": "job/1", "name": NaN}', "NaN is not a number"),
        (b"\xff\xfe\x00", "not JSON"),
        ("[" * 50_000, "nested too deeply"),
        (b" " * 10_000_000, "too big: 10000000 bytes"),
    ],
)
def test_what_is_not_a_document(text, words):
    assert words in refused(text)[0]


@given(random_jobs())
def test_schema_round_trip_is_the_identity(job):
    validator("job").validate(job)
    assert parse_document(Job, job).to_data() == job


@pytest.mark.parametrize("path", sorted(DEMO.glob("*.json")), ids=lambda p: p.stem)
def test_demo_jobs_are_well_formed(path):
    validator("job").validate(json.loads(path.read_text()))
    assert parse_job(path.read_bytes(), shipped_library()).to_data() == json.loads(path.read_text())


@pytest.mark.parametrize("path", sorted(SHIPPED.glob("*.json")), ids=lambda p: p.stem)
def test_shipped_profiles_are_well_formed(path):
    raw = json.loads(path.read_text())
    validator("profile").validate(raw)
    profile = parse_profile(path.read_bytes())
    assert profile.id == path.stem
    assert json.loads(profile.model_dump_json(by_alias=True, exclude_unset=True)) == raw


def broken(change) -> str:
    profile = json.loads((SHIPPED / "orrowan-t8.json").read_text())
    change(profile)
    with pytest.raises(DocumentError) as error:
        parse_profile(json.dumps(profile))
    return str(error.value)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: p["settings"][0].update(works_only_if="nothing"), "expected `setting = value`"),
        (lambda p: p["settings"][1].update(works_only_if="ghost = 1"), "names unknown settings ['ghost']"),
        (lambda p: p["interlocks"][0].update(rule="a > b"), "upper - lower >= number"),
        (lambda p: p["interlocks"][0].update(rule="a - b >= 1"), "names an unknown setting"),
        (lambda p: p["settings"][7].pop("min"), "needs min, max and step"),
        (lambda p: p["settings"][0].update(quantity="magic"), "magic is not a known quantity"),
        (lambda p: p["settings"].append(p["settings"][0]), "stands twice"),
        (lambda p: p.update(ewerer="toaster/1"), "not a device profile"),
        (lambda p: p["settings"][2]["encoding"]["choices"].update(user="Linked"), "show the same on the display"),
        (lambda p: p["protocols"][0].update(port="usb"), "names an unknown port"),
    ],
)
def test_broken_profiles_are_refused(change, words):
    assert words in broken(change)


def test_seventeen_modules_of_fifteen_and_sixteen_cells():
    from tests.jobs import plan_of

    job = hand_written(*[inline(f"M{i}", series_cells=15 if i % 3 else 16) for i in range(17)])
    made = plan_of(job)
    found = next(f for f in made.findings if f.rule == "cell-count-equal")
    assert found.severity == "stop" and "11 of 15 cells, 6 of 16 cells" in found.message
    assert made.bank is None and made.ladder == {} and made.units == []


def test_empty_bank_is_a_stop():
    from tests.jobs import plan_of, rules

    assert {"bank-empty", "units-empty"} <= rules(plan_of({"ewerer": "job/1", "name": "New"}), "stop")


def test_data_is_not_changed_by_planning():
    from ewerer.core.plan import plan
    from tests.jobs import job_of

    for name in NAMES:
        job = job_of(name)
        plan(job)
        assert job.to_data() == data(name)
    assert data(TARN)["name"] == "Tarn Dairy"


def test_a_thousand_problems_are_told_at_once():
    job = data()
    job["bank"]["modules"][0] |= {f"odd_{i}": i for i in range(1000)}
    told = refused(json.dumps(job))
    assert len(told) == 1000
    assert all("unknown key" in words for words in told)
