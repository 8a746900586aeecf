"""The symptom finder: Bayes, expected information against brute force, evidence of a plan."""

import math
from itertools import product

import pytest
from hypothesis import given, strategies as st

from ewerer.core.symptoms.finder import Test as Inquiry, diagnose, expected_bits, knowledge, next_test, posterior
from ewerer.core.trade.errors import DocumentError
from ewerer.core.trade.rules import load_all
from ewerer.core.trade.stages import STAGES
from tests.jobs import SKERRY, changed, plan_of


def weights(n):
    return st.lists(st.integers(1, 20), min_size=n, max_size=n).map(lambda xs: [x / sum(xs) for x in xs])


@st.composite
def cases(draw):
    causes = [f"c{i}" for i in range(draw(st.integers(2, 4)))]
    belief = dict(zip(causes, draw(weights(len(causes))), strict=True))
    tests = {}
    for k in range(draw(st.integers(1, 4))):
        n = draw(st.integers(2, 3))
        rows = {c: draw(weights(n)) for c in causes if draw(st.booleans())}
        tests[f"t{k}"] = Inquiry(
            question="?", how="", outcomes=[str(i) for i in range(n)], likelihood=rows, otherwise=draw(weights(n))
        )
    return belief, tests


def entropy(ps):
    return -sum(p * math.log2(p) for p in ps if p > 0)


def brute_bits(belief, test):
    """Entropy now less the expected entropy afterwards, by enumerating outcomes and updating."""
    left = 0.0
    for o in range(len(test.outcomes)):
        joint = {c: p * test.of(c)[o] for c, p in belief.items()}
        whole = sum(joint.values())
        if whole > 0:
            left += whole * entropy([v / whole for v in joint.values()])
    return entropy(belief.values()) - left


@given(cases())
def test_expected_information_equals_brute_force(case):
    belief, tests = case
    for t in tests.values():
        assert expected_bits(belief, t) == pytest.approx(max(0, brute_bits(belief, t)), abs=1e-9)


@given(cases())
def test_the_proposed_test_has_the_greatest_expected_information(case):
    belief, tests = case
    best = next_test(belief, tests)
    bits = {id: brute_bits(belief, t) for id, t in tests.items()}
    if best is None:
        assert max(bits.values()) < 0.005 + 1e-9
    else:
        assert bits[best[0]] == pytest.approx(max(bits.values()), abs=1e-9)


@given(cases(), st.data())
def test_answers_update_by_the_joint_distribution(case, data):
    belief, tests = case
    answers = {id: data.draw(st.integers(0, len(t.outcomes) - 1)) for id, t in tests.items()}
    joint = {c: p * math.prod(tests[id].of(c)[o] for id, o in answers.items()) for c, p in belief.items()}
    whole = sum(joint.values())
    assert posterior(list(belief.items()), tests, answers, {}) == pytest.approx({c: v / whole for c, v in joint.items()}, abs=1e-9)


def test_the_data_hang_together():
    known = knowledge()
    assert len(known.symptoms) >= 22
    for symptom in known.symptoms:
        assert sum(c.prior for c in symptom.causes) == pytest.approx(1), symptom.id
        assert [c.prior for c in symptom.causes]
        for c in symptom.causes:
            assert c.cause in known.causes
    for id, cause in known.causes.items():
        assert cause.stage in STAGES, id
        for rule in cause.evidence:
            assert rule in load_all() or rule.startswith("windows-"), (id, rule)
    for id, t in known.tests.items():
        assert set(t.likelihood) <= set(known.causes), id


def test_every_symptom_has_a_first_question_and_can_be_settled():
    known = knowledge()
    for symptom in known.symptoms:
        first = diagnose(symptom.id, {})
        assert first.next is not None, symptom.id
        assert first.suspects[0].probability >= first.suspects[-1].probability
        assert sum(s.probability for s in first.suspects) == pytest.approx(1, abs=0.001)


def test_answers_change_the_ranking_and_the_next_question():
    first = diagnose("one-of-several", {})
    assert first.next.id == "switches-how"
    then = diagnose("one-of-several", {"switches-how": 2})
    assert then.suspects[0].id in ("link-cable-port", "no-power-cycle") and then.next.id != "switches-how"
    last = diagnose("one-of-several", {"switches-how": 2, "power-cycled": 1})
    assert last.suspects[0].id == "no-power-cycle" and last.suspects[0].probability > 0.6


def test_the_plan_is_evidence():
    made = plan_of(
        changed(SKERRY, bank__modules__0__switches="dudd", bank__modules__1__switches="uudd", bank__modules__2__switches="ddud")
    )
    plain, told = diagnose("limits-of-one", {}), diagnose("limits-of-one", {}, made.findings)
    before = {s.id: s.probability for s in plain.suspects}
    assert told.suspects[0].id == "host-address" and told.suspects[0].probability > 0.8 > before["host-address"]
    assert told.suspects[0].because == ["No module is the host"]


@pytest.mark.parametrize(
    ("symptom", "answers", "words"),
    [("rust", {}, "no such symptom"), ("page-zeros", {"horoscope": 0}, "no such test"), ("page-zeros", {"ohms": 9}, "0 to 3")],
)
def test_unknown_words_are_refused(symptom, answers, words):
    with pytest.raises(DocumentError, match=words):
        diagnose(symptom, answers)


def test_handbook_order_most_likely_first_where_it_is_given():
    for symptom, first in (("page-zeros", "cable-not-in"), ("one-of-several", "host-address"), ("soc-drifts", "no-full-charge")):
        assert diagnose(symptom, {}).suspects[0].id == first


def test_all_answers_of_a_small_symptom_end_in_a_single_leader():
    ids = [q.id for q in diagnose("hot-but-cool", {}).tests]
    outcomes = [range(len(knowledge().tests[i].outcomes)) for i in ids]
    for combination in product(*outcomes):
        told = diagnose("hot-but-cool", dict(zip(ids, combination, strict=True)))
        assert told.suspects[0].probability > 0.34
