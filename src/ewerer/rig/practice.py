"""Practice: a drawn site with hidden faults, the fault finder and meters that read the stand-ins, a score and a debrief.

A try is its scenario and what was done, nothing else: the same acts give the same state, on any machine.
"""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from ..core.devices.library import parse_job, shipped_library
from ..core.documents.job import Job
from ..core.symptoms.finder import Diagnosis, diagnose, knowledge
from ..core.trade.errors import DocumentError, Problem
from ..ports.expected import rows
from .answers import answers
from .faults import FAULTS
from .plant import AMPS, VOLTS
from .rig import Rig
from .ways import WAYS, Ways

__all__ = ["LEVELS", "Scenario", "draw", "lesson", "play", "scenario_of", "scripted"]

DEMO = Path(__file__).resolve().parents[1] / "demo"
LEVELS = {
    1: (1, ("skerry-field-station",)),
    2: (1, ("skerry-field-station", "tarn-dairy", "heron-weir-mill")),
    3: (2, ("skerry-field-station", "heron-weir-mill", "fenwick-lock-cottage")),
    4: (
        2,
        (
            "skerry-field-station",
            "heron-weir-mill",
            "fenwick-lock-cottage",
            "tarn-dairy",
            "larch-hollow-workshop",
            "ostrand-brewery",
        ),
    ),
    5: (3, ("skerry-field-station", "heron-weir-mill", "fenwick-lock-cottage")),
}
"""Of each level: how many faults are hidden, and where."""
MOST_SEED, MOST_ACTS = 2_000_000_000, 200
NOON_S, SETTLE_S = 12 * 3600, 90
TEST_MIN, WRONG_MIN, MEND_MIN, HINT_MIN = 5, 15, 10, 1
WRONG_POINTS, USELESS_POINTS, EXTRA_POINTS, HINT_POINTS = 10, 5, 2, 1
MEASURE_MIN = 2
METERS = {
    "volts": (
        "Voltmeter at the unit's bank terminals",
        "V",
        0.002,
        0.02,
        2,
        "The terminals are live: insulated probes, no ring, no watch.",
    ),
    "amps": ("Clamp on the bank's lead, in with a plus", "A", 0.015, 0.4, 1, "Round one insulated lead, away from bare metal."),
    "temp_c": ("Thermometer at the bank", "°C", 0.0, 1.0, 1, "On a case, never on a terminal."),
}
"""What the trainee's meters read: word, unit, error as a part of the reading, error in the unit, digits, caution (common practice)."""
LEAST_BITS = 0.005
MOST_TESTS, MOST_ROWS = 12, 14
DRAWS = 40


@dataclass(frozen=True, slots=True)
class Scenario:
    """What is drawn: seed and level, which site, which faults are hidden in it."""

    seed: int
    level: int
    job: str
    faults: tuple[str, ...]

    def document(self) -> dict[str, Any]:
        """Return it as a file that a trainer may hand on."""
        return {"ewerer": "practice/1", "seed": self.seed, "level": self.level, "job": self.job, "faults": list(self.faults)}


def refuse(pointer: str, message: str, expected: str, value: object = None) -> DocumentError:
    """Return a refusal of one thing."""
    return DocumentError([Problem(pointer=pointer, message=message, value=value, expected=expected)])


@lru_cache(maxsize=8)
def _job(name: str) -> Job:
    return parse_job((DEMO / f"{name}.json").read_bytes(), shipped_library()).model_copy(update={"as_found": {}})


def scenario_of(document: Mapping[str, Any]) -> Scenario:
    """Return the scenario in a file. Raises DocumentError for one that cannot be."""
    jobs = sorted({j for _, js in LEVELS.values() for j in js})
    if document.get("ewerer") != "practice/1":
        raise refuse("/ewerer", "this is no scenario", '"practice/1"', document.get("ewerer"))
    seed, level, job, faults = (document.get(k) for k in ("seed", "level", "job", "faults"))
    if not isinstance(seed, int) or isinstance(seed, bool) or not 0 <= seed <= MOST_SEED:
        raise refuse("/seed", "no seed", f"a whole number from 0 to {MOST_SEED}", seed)
    if level not in LEVELS:
        raise refuse("/level", "no such level", "1 to 5", level)
    if job not in jobs:
        raise refuse("/job", "no such site", "one of " + ", ".join(jobs), job)
    possible = _rig(str(job), seed).possible()
    if (
        not isinstance(faults, list)
        or not 1 <= len(faults) <= 3
        or len(set(map(str, faults))) != len(faults)
        or not set(map(str, faults)) <= set(possible)
    ):
        raise refuse("/faults", "these faults cannot be there", "one to three of " + ", ".join(possible), faults)
    return Scenario(seed, int(level), str(job), tuple(map(str, faults)))


def _rig(job: str, seed: int) -> Rig:
    rig = Rig(_job(job), shipped_library(), seed=seed % 1000 + 1)
    rig.plant.t = NOON_S
    rig.plant.step(SETTLE_S)
    return rig


def draw(seed: int, level: int) -> Scenario:
    """Return a drawn scenario: one that a careful person can solve by the fault finder alone.

    >>> draw(7, 1) == draw(7, 1)
    True
    """
    if level not in LEVELS:
        raise refuse("/level", "no such level", "1 to 5", level)
    if not 0 <= seed <= MOST_SEED:
        raise refuse("/seed", "no seed", f"a whole number from 0 to {MOST_SEED}", seed)
    number, jobs = LEVELS[level]
    lot = random.Random(f"{seed} {level}")  # noqa: S311 drawn, no secret
    for _ in range(DRAWS):
        job = lot.choice(jobs)
        possible = [f for f in _rig(job, seed).possible() if f in WAYS]
        faults: list[str] = []
        for name in lot.sample(possible, len(possible)):
            if all(FAULTS[name].symptom != FAULTS[other].symptom for other in faults):
                faults.append(name)
            if len(faults) == number:
                break
        made = Scenario(seed, level, job, tuple(faults))
        if len(faults) == number and solvable(made):
            return made
    raise AssertionError("no scenario was drawn")  # pragma: no cover


def lesson() -> Scenario:
    """Return the first lesson: a link cable that is out."""
    return Scenario(1, 1, "skerry-field-station", ("cable-out",))


class _Try:
    """A scenario with what was done so far."""

    def __init__(self, scenario: Scenario) -> None:
        self.scenario = scenario
        self.rig = _rig(scenario.job, scenario.seed)
        self.left = list(scenario.faults)
        for name in self.left:
            self.rig.fault(name)
        self.rig.plant.step(SETTLE_S)
        self.known: dict[str, int] = {}
        self.done: list[dict[str, Any]] = []
        self.minutes = self.tests = self.wrong = self.useless = self.hints = 0
        self.named = ""
        self.refuted: set[str] = set()
        self.metered: dict[str, float] = {}
        self.over = ""
        self.hint = ""
        self._truth: dict[str, int] | None = None

    @property
    def truth(self) -> dict[str, int]:
        """What each test would give now."""
        if self._truth is None:
            self._truth = answers(self.rig)
        return self._truth

    @property
    def complaint(self) -> str:
        """The fault whose symptom is looked for now."""
        return self.left[0] if self.left else ""

    def diagnosis(self) -> Diagnosis | None:
        """Return how the causes of the present symptom stand."""
        if not self.left or self.over:
            return None
        told = diagnose(FAULTS[self.complaint].symptom, {t: o for t, o in self.known.items() if t in knowledge().tests})
        left = [s for s in told.suspects if s.id not in self.refuted]
        whole = sum(s.probability for s in left) or 1.0
        return told.model_copy(update={"suspects": [s.model_copy(update={"probability": s.probability / whole}) for s in left]})

    def best(self) -> str:
        """Return the most telling test that is not made and can be; empty where none tells anything."""
        told = self.diagnosis()
        if told is None:
            return ""
        return next((q.id for q in told.tests if q.id not in self.known and q.id in self.truth and q.bits > LEAST_BITS), "")

    def ways(self) -> list[str]:
        """Return the ways to mend what was named, in a drawn order."""
        if not self.named:
            return []
        ways = WAYS[self.named]
        out = [ways.right, ways.unsafe, ways.useless]
        random.Random(f"{self.scenario.seed} {self.named}").shuffle(out)  # noqa: S311
        return out

    def act(self, act: Mapping[str, Any]) -> None:
        """Do one thing. Raises DocumentError for what cannot be done now."""
        if self.over:
            raise refuse("/do", "this try is over", "a new one")
        self.hint = ""
        do = act.get("do")
        of = {
            "test": self._test,
            "measure": self._measure,
            "name": self._name,
            "mend": self._mend,
            "hint": self._hint,
            "end": self._end,
        }.get(str(do))
        if of is None:
            raise refuse("/do", "no such act", "test, measure, name, mend, hint or end", do)
        of(act)

    def _test(self, act: Mapping[str, Any]) -> None:
        told = self.diagnosis()
        test = str(act.get("test"))
        asked = next((q for q in told.tests if q.id == test), None) if told else None
        if asked is None:
            raise refuse(
                "/test", "no such test for this symptom", "one of " + ", ".join(q.id for q in told.tests) if told else "", test
            )
        self.minutes += TEST_MIN
        self.tests += 1
        outcome = self.truth.get(test)
        if outcome is None:
            self.done.append({"text": f"{asked.question} Not to be told here.", "good": None})
            return
        self.known[test] = outcome
        self.done.append(
            {"text": f"{asked.question} {asked.outcomes[outcome][:1].upper()}{asked.outcomes[outcome][1:]}.", "good": None}
        )

    def _measure(self, act: Mapping[str, Any]) -> None:
        meter = str(act.get("meter"))
        if meter not in METERS:
            raise refuse("/meter", "no such meter", "one of " + ", ".join(METERS), act.get("meter"))
        plant = self.rig.plant
        alive = bool(plant.together)
        true = {
            "volts": float(plant.kept[VOLTS]) if alive else 0.0,
            "amps": float(plant.kept[AMPS]) if alive else 0.0,
            "temp_c": plant.report.temp_c,
        }[meter]
        word, unit, part, whole, digits, _ = METERS[meter]
        # A meter's own error stays the same through a try; its last digit moves.
        own = random.Random(f"{self.scenario.seed} {meter}")  # noqa: S311
        moves = random.Random(f"{self.scenario.seed} {meter} {len(self.done)}")  # noqa: S311
        off = 0.8 * (true * part * own.uniform(-1, 1) + whole * own.uniform(-1, 1)) + 0.2 * whole * moves.uniform(-1, 1)
        read = round(true + off, digits) if alive or meter == "temp_c" else 0.0
        within = round(abs(read) * part + whole, digits)
        self.metered[meter] = read
        self.minutes += MEASURE_MIN
        self.done.append({"text": f"{word}: {read:.{digits}f} {unit}, ± {within:.{digits}f}.", "good": None})

    def _name(self, act: Mapping[str, Any]) -> None:
        cause = str(act.get("cause"))
        told = self.diagnosis()
        if told is None or cause not in {s.id for s in told.suspects}:
            raise refuse("/cause", "no such cause of this symptom", "one of the causes listed", cause)
        word = next(s.word for s in told.suspects if s.id == cause)
        if cause == FAULTS[self.complaint].cause:
            self.named = self.complaint
            self.done.append({"text": f"Named: {word}. Right.", "good": True})
        else:
            self.wrong += 1
            self.refuted.add(cause)
            self.minutes += WRONG_MIN
            self.done.append({"text": f"Named: {word}. It was looked at and is in order.", "good": False})

    def _mend(self, act: Mapping[str, Any]) -> None:
        ways = self.ways()
        way = act.get("way")
        if not ways:
            raise refuse("/do", "nothing has been named yet", "name the cause first")
        if not isinstance(way, int) or isinstance(way, bool) or not 0 <= way < len(ways):
            raise refuse("/way", "no such way", f"0 to {len(ways) - 1}", way)
        of: Ways = WAYS[self.named]
        self.minutes += MEND_MIN
        if ways[way] == of.unsafe:
            self.over = of.why
            self.done.append({"text": of.unsafe, "good": False})
        elif ways[way] == of.useless:
            self.useless += 1
            self.done.append({"text": f"{of.useless} Nothing changed.", "good": False})
        else:
            self.rig.fault(self.named, False)
            self.rig.plant.step(SETTLE_S)
            self.left.remove(self.named)
            self.done.append({"text": of.right, "good": True})
            self.named, self._truth = "", None
            self.known, self.refuted, self.metered = {}, set(), {}
            if not self.left:
                self.over = "done"

    def _hint(self, act: Mapping[str, Any]) -> None:
        self.hints += 1
        self.minutes += HINT_MIN
        told = self.diagnosis()
        assert told is not None
        if self.named:
            self.hint = "Choose the way that touches nothing live and changes only what was found."
        elif (best := self.best()) and told.suspects[0].probability < 0.9:
            self.hint = f"Ask next: {next(q.question for q in told.tests if q.id == best)}"
        else:
            self.hint = f"Most of it speaks for: {told.suspects[0].word}."

    def _end(self, act: Mapping[str, Any]) -> None:
        self.over = "ended"
        self.done.append({"text": "Ended by the trainee.", "good": None})

    def state(self) -> dict[str, Any]:
        """Return what a trainee sees; what is hidden only when it is over."""
        told = self.diagnosis()
        link = self.rig.plant.made.solved.link
        shown = {u.id: {n: {"value": v, "old": False} for n, v in self.rig.measured(u.id).items()} for u in self.rig.units}
        if self.metered:
            shown["your meter"] = {n: {"value": v, "old": False} for n, v in self.metered.items()}
        seen = rows(link, shown)[:MOST_ROWS]
        out: dict[str, Any] = {
            "seed": self.scenario.seed,
            "level": self.scenario.level,
            "site": _job(self.scenario.job).name,
            "hidden": len(self.scenario.faults),
            "left": len(self.left),
            "complaint": self._complaint(self.complaint) if told else None,
            "seen": [{"word": r["word"], "unit": r["unit"], "expected": r["expected"], "shown": r["shown"]} for r in seen],
            "tests": [
                {
                    "id": q.id,
                    "question": q.question,
                    "how": q.how,
                    "caution": q.caution,
                    "answer": q.outcomes[self.known[q.id]] if q.id in self.known else None,
                }
                for q in (told.tests[:MOST_TESTS] if told else [])
            ],
            "suspects": [
                {"id": s.id, "word": s.word, "probability": round(s.probability, 3)} for s in (told.suspects if told else [])
            ],
            "meters": [{"id": n, "word": m[0], "caution": m[5]} for n, m in METERS.items()] if told else [],
            "ways": self.ways() if told else [],
            "done": self.done,
            "minutes": self.minutes,
            "hint": self.hint,
            "over": bool(self.over),
            "score": None,
            "debrief": None,
        }
        if self.over:
            out |= {"score": self.score(), "debrief": self.debrief()}
        return out

    def _complaint(self, name: str) -> dict[str, str]:
        f = FAULTS[name]
        word = next(s.word for s in knowledge().symptoms if s.id == f.symptom)
        return {"symptom": word, "seen": f.display or f.wire or f.plant}

    def score(self) -> dict[str, Any]:
        """Return points and what they are made of; an unsafe act leaves none."""
        unsafe = self.over not in ("done", "ended")
        found = len(self.scenario.faults) - len(self.left)
        shortest = shortest_of(self.scenario)
        extra = max(0, self.tests - shortest["tests"])
        points = 100 * found / len(self.scenario.faults)
        points -= WRONG_POINTS * self.wrong + USELESS_POINTS * self.useless + EXTRA_POINTS * extra + HINT_POINTS * self.hints
        return {
            "points": 0 if unsafe else max(0, round(points)),
            "safe": not unsafe,
            "why": self.over if unsafe else "",
            "found": found,
            "of": len(self.scenario.faults),
            "wrong": self.wrong,
            "tests": self.tests,
            "minutes": self.minutes,
            "shortest": shortest,
            "hints": self.hints,
        }

    def debrief(self) -> list[dict[str, Any]]:
        """Return what was hidden: what it showed, what would have told it soonest, how it is mended."""
        out = []
        for name in self.scenario.faults:
            f = FAULTS[name]
            told = knowledge().tests
            symptom = next(s for s in knowledge().symptoms if s.id == f.symptom)
            causes = [c.cause for c in symptom.causes]
            sharp = sorted(
                (t for t in told if f.cause in told[t].likelihood),
                key=lambda t: (
                    -max(
                        own - max((told[t].of(c)[i] for c in causes if c != f.cause), default=0.0)
                        for i, own in enumerate(told[t].of(f.cause))
                    )
                ),
            )[:2]
            out.append(
                {
                    "word": f.word,
                    "found": name not in self.left,
                    "wire": f.wire,
                    "display": f.display,
                    "plant": f.plant,
                    "told_by": [told[t].question for t in sharp],
                    "mend": WAYS[name].right,
                }
            )
        return out


def _replayed(scenario: Scenario, acts: Sequence[Mapping[str, Any]]) -> _Try:
    if len(acts) > MOST_ACTS:
        raise refuse("/acts", "too many acts in one try", f"at most {MOST_ACTS}", len(acts))
    made = _Try(scenario)
    for act in acts:
        made.act(act)
    return made


def play(scenario: Mapping[str, Any], acts: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """Return the state of a try after its acts. Raises DocumentError for a scenario or an act that cannot be."""
    return _replayed(scenario_of(scenario), acts).state()


def scripted(scenario: Scenario, careful: bool, lot: random.Random | None = None) -> dict[str, Any]:
    """Return how a scripted trainee does: a careful one follows the fault finder and takes the right way, a careless one guesses."""
    made = _Try(scenario)
    lot = lot or random.Random(scenario.seed)  # noqa: S311
    acts: list[dict[str, Any]] = []

    def do(act: dict[str, Any]) -> None:
        acts.append(act)
        made.act(act)

    while not made.over and len(made.done) < MOST_ACTS:
        told = made.diagnosis()
        assert told is not None
        if made.named:
            right = made.ways().index(WAYS[made.named].right)
            do({"do": "mend", "way": right if careful else lot.randrange(3)})
        elif not careful:
            do({"do": "name", "cause": lot.choice(told.suspects).id})
        else:
            best = made.best()
            sure = told.suspects[0].probability > 0.9
            if best and not sure and len(made.known) < MOST_TESTS:
                do({"do": "test", "test": best})
            else:
                do({"do": "name", "cause": told.suspects[0].id})
    return {
        "over": made.over,
        "left": len(made.left),
        "tests": made.tests,
        "wrong": made.wrong,
        "minutes": made.minutes,
        "try": made,
        "acts": acts,
    }


@lru_cache(maxsize=256)
def _careful(scenario: Scenario) -> tuple[str, int, int, int]:
    told = scripted(scenario, careful=True)
    return told["over"], told["tests"], told["minutes"], told["wrong"]


def solvable(scenario: Scenario) -> bool:
    """Return whether a careful person finds and mends all of it, naming at most one wrong cause."""
    over, _, _, wrong = _careful(scenario)
    return over == "done" and wrong <= 1


def shortest_of(scenario: Scenario) -> dict[str, int]:
    """Return how many tests and minutes the fault finder's own way takes."""
    _, tests, minutes, _ = _careful(scenario)
    return {"tests": tests, "minutes": minutes}
