"""The symptom finder: causes ranked by Bayes' rule, the next test chosen by expected information.

Symptoms, causes and tests are data (``symptoms.json``; common practice, priors and likelihoods by
judgement). A plan's own findings count as evidence: a cause whose rule has spoken weighs more.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Annotated

from pydantic import Field, model_validator

from ..documents.base import Document
from ..documents.results.base import PlanPart
from ..trade.errors import DocumentError, Problem
from ..trade.finding import Finding

DATA = Path(__file__).with_name("symptoms.json")


LEAST_BITS = 0.005
"""A test that is expected to tell less than this is not proposed."""


EVIDENCE_OF_NOTE = 0.5
"""A note counts half as much as a caution or stop: factor^0.5."""


class CauseShare(Document):
    """A cause of a symptom and how likely it is before any test."""

    cause: str
    prior: Annotated[float, Field(gt=0, le=1)]


class Symptom(Document):
    """What a person sees."""

    id: str
    word: str
    also: Annotated[list[str], Field(max_length=40, description="other words that displays say it in, without hyphens")] = []
    causes: Annotated[list[CauseShare], Field(min_length=1)]


class Cause(Document):
    """Why it may be so, what to do, where; rules of a plan that make it more likely, with the factor."""

    word: str
    fix: str
    stage: str
    evidence: dict[str, float] = {}
    caution: str = ""


class Test(Document):
    """A question, how to answer it, its outcomes, and how likely each is under each cause."""

    __test__ = False

    question: str
    how: str
    outcomes: Annotated[list[str], Field(min_length=2)]
    likelihood: dict[str, list[float]]
    otherwise: list[float]
    caution: str = ""

    @model_validator(mode="after")
    def _sums(self) -> Test:
        for row in (*self.likelihood.values(), self.otherwise):
            if len(row) != len(self.outcomes) or abs(sum(row) - 1) > 1e-6:
                raise ValueError(f"{self.question}: likelihoods must be one for each outcome and add up to 1")
        return self

    def of(self, cause: str) -> list[float]:
        """Return P(outcome | cause) for every outcome."""
        return self.likelihood.get(cause, self.otherwise)


class Knowledge(Document):
    """All symptoms, causes and tests."""

    symptoms: list[Symptom]
    causes: dict[str, Cause]
    tests: dict[str, Test]


class Suspect(PlanPart):
    """A cause with its present probability and what counts for it."""

    id: str
    word: str
    probability: float
    fix: str
    stage: str
    caution: str
    because: list[str]


class Question(PlanPart):
    """A test as asked: outcomes by number; bits is what it is expected to tell."""

    id: str
    question: str
    how: str
    outcomes: list[str]
    caution: str
    bits: float
    answer: int | None = None


class Diagnosis(PlanPart):
    """The causes as ranked now, the next most telling test, and every test that bears on them."""

    symptom: str
    word: str
    suspects: list[Suspect]
    next: Question | None
    tests: list[Question]


@lru_cache(maxsize=1)
def knowledge() -> Knowledge:
    """Return the shipped symptoms, causes and tests."""
    return Knowledge.model_validate_json(DATA.read_text())


def posterior(
    causes: Sequence[tuple[str, float]], tests: Mapping[str, Test], answers: Mapping[str, int], weights: Mapping[str, float]
) -> dict[str, float]:
    """Return P(cause | answers) by Bayes' rule; ``weights`` multiply the priors. Sums to 1.

    Raises ValueError for an answer that is not one of its test's outcomes.
    """
    log = {}
    for cause, prior in causes:
        total = math.log(prior * weights.get(cause, 1.0))
        for id, outcome in answers.items():
            row = tests[id].of(cause)
            if not 0 <= outcome < len(row):
                raise ValueError(f"{id} has outcomes 0 to {len(row) - 1}, not {outcome}")
            total += math.log(max(row[outcome], 1e-9))
        log[cause] = total
    top = max(log.values())
    raw = {c: math.exp(v - top) for c, v in log.items()}
    whole = sum(raw.values())
    return {c: v / whole for c, v in raw.items()}


def expected_bits(belief: Mapping[str, float], test: Test) -> float:
    """Return the information [bit] that a test's outcome is expected to give about the cause.

    I = sum_o sum_c P(c) P(o|c) log2(P(o|c) / P(o)).
    """
    bits = 0.0
    for i in range(len(test.outcomes)):
        whole = sum(p * test.of(c)[i] for c, p in belief.items())
        for c, p in belief.items():
            given = test.of(c)[i]
            if p > 0 and given > 0:
                bits += p * given * math.log2(given / whole)
    return max(0.0, bits)


def next_test(belief: Mapping[str, float], tests: Mapping[str, Test], asked: Sequence[str] = ()) -> tuple[str, float] | None:
    """Return the unasked test with the greatest expected information and its bits; None where none tells anything."""
    found = [(expected_bits(belief, t), id) for id, t in tests.items() if id not in asked]
    bits, best = max(found, default=(0.0, ""), key=lambda f: (f[0], -list(tests).index(f[1])))
    return (best, bits) if bits >= LEAST_BITS else None


def diagnose(symptom_id: str, answers: Mapping[str, int], findings: Sequence[Finding] = ()) -> Diagnosis:
    """Return the causes of a symptom as they stand after the answers, the plan's findings as evidence.

    Raises :class:`DocumentError` for an unknown symptom, test or outcome.
    """
    known = knowledge()
    symptom = next((s for s in known.symptoms if s.id == symptom_id), None)
    if symptom is None:
        raise DocumentError(
            [
                Problem(
                    pointer="/symptom",
                    message="no such symptom",
                    value=symptom_id,
                    expected="one of " + ", ".join(s.id for s in known.symptoms),
                )
            ]
        )
    for id, outcome in answers.items():
        test = known.tests.get(id)
        if test is None:
            raise DocumentError(
                [Problem(pointer=f"/answers/{id}", message="no such test", value=id, expected="a test of this symptom")]
            )
        if not 0 <= outcome < len(test.outcomes):
            raise DocumentError(
                [
                    Problem(
                        pointer=f"/answers/{id}",
                        message="no such outcome",
                        value=outcome,
                        expected=f"0 to {len(test.outcomes) - 1}",
                    )
                ]
            )
    spoken = {f.rule: f for f in findings if f.severity != "note"}
    noted = {f.rule: f for f in findings if f.severity == "note"}
    weights: dict[str, float] = {}
    because: dict[str, list[str]] = {}
    for share in symptom.causes:
        for rule, factor in known.causes[share.cause].evidence.items():
            finding = spoken.get(rule) or noted.get(rule)
            if finding is not None:
                weights[share.cause] = weights.get(share.cause, 1.0) * (factor if rule in spoken else factor**EVIDENCE_OF_NOTE)
                because.setdefault(share.cause, []).append(finding.title)
    causes = [(s.cause, s.prior) for s in symptom.causes]
    belief = posterior(causes, known.tests, answers, weights)
    bearing = {id: t for id, t in known.tests.items() if set(t.likelihood) & set(belief)}
    best = next_test(belief, bearing, list(answers))

    def asked(id: str) -> Question:
        t = known.tests[id]
        return Question(
            id=id,
            question=t.question,
            how=t.how,
            outcomes=t.outcomes,
            caution=t.caution,
            bits=round(expected_bits(belief, t), 4),
            answer=answers.get(id),
        )

    ranked = sorted(belief.items(), key=lambda item: -item[1])
    return Diagnosis(
        symptom=symptom.id,
        word=symptom.word,
        suspects=[
            Suspect(
                id=c,
                word=known.causes[c].word,
                probability=round(p, 4),
                fix=known.causes[c].fix,
                stage=known.causes[c].stage,
                caution=known.causes[c].caution,
                because=because.get(c, []),
            )
            for c, p in ranked
        ],
        next=asked(best[0]) if best else None,
        tests=sorted((asked(id) for id in {**bearing, **{a: known.tests[a] for a in answers}}), key=lambda q: -q.bits),
    )


PLAIN = frozenset(
    [
        "a",
        "an",
        "and",
        "at",
        "be",
        "by",
        "does",
        "from",
        "has",
        "have",
        "in",
        "is",
        "it",
        "its",
        "not",
        "of",
        "on",
        "one",
        "only",
        "the",
        "this",
        "to",
        "when",
        "with",
        "will",
    ]
)


LEAST_SHARED = 0.2
"""Part of a symptom's words that a text has to share to mean it."""


def likely(words: str, most: int = 3) -> tuple[str, list[str]]:
    """Return the symptom whose words a fault's text shares most, and its likeliest causes in words; empty where none fits."""
    known = knowledge()
    told = {w for w in re.findall(r"[a-z]{3,}", words.lower()) if w not in PLAIN}

    def shared(s: Symptom) -> float:
        own = {w for w in re.findall(r"[a-z]{3,}", s.word.lower()) if w not in PLAIN}
        stems = {w[:5] for w in own}
        return sum(w[:5] in stems for w in told) / (len(own) or 1)

    def said(s: Symptom) -> int:
        """Return how long the longest of its other words is that the text begins a word with, hyphens and spaces apart or not."""
        return max((len(a) for a in s.also if re.search(rf"\b{a.replace(' ', '[^a-z]*')}", words.lower())), default=0)

    best = max(known.symptoms, key=lambda s: (said(s), shared(s)))
    if not said(best) and shared(best) < LEAST_SHARED:
        return "", []
    causes = sorted(best.causes, key=lambda c: -c.prior)[:most]
    return best.id, [known.causes[c.cause].word for c in causes]
