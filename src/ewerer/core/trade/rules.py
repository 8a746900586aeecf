"""The rule registry and findings.

Every rule of the trade is registered once with an id, a one-line statement, its formula, its
source and a status: S (published standard, named), T (common trade practice, no source) or M
(written from memory). A rule that checks something is one decorated function that yields
findings; rules that only compute register their formula with :func:`formula_rule`.

Statement and formula name the constants they rest on, in braces: ``{FUSE_FACTOR}`` of :mod:`.margins` or :mod:`.copper`,
``{cell.rest_v}`` of the chemistry, ``:%`` as percent. The figures are put in when somebody reads them, so that the text cannot
say another number than the code goes by.
"""

from __future__ import annotations

import importlib
import pkgutil
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from string import Formatter
from typing import Any, Literal, TypeVar

from . import copper, margins
from .budget import check_deadline
from .chemistries import CHEMISTRIES, LFP, Chemistry
from .finding import Finding
from .stages import STAGES
from .steps import figure

__all__ = ["Rule", "Severity", "Status", "check", "formula_rule", "load_all", "rules_markdown", "run_checks"]

Status = Literal["S", "T", "M", "S, M"]


Severity = Literal["stop", "caution", "note"]


STATUS_WORDS = {
    "S": "published standard",
    "T": "common practice, no source",
    "M": "written from memory",
    "S, M": "published standard, figures from memory",
}


class _Figures(Formatter):
    """Puts constants into a text: ``:%`` as percent, everything else as people write figures."""

    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, int | float) and format_spec in ("", "%"):
            return f"{figure(value * 100, 2)} %" if format_spec else figure(value, 6)
        return str(super().format_field(value, format_spec))


_FIGURES = _Figures()
_NAMED = re.compile(r"\{(cell\.)?([\w.]+)")


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of the trade. ``says`` and ``works`` are statement and formula with the names of their constants in braces."""

    id: str
    stage: str
    says: str
    works: str
    source: str
    status: Status
    kind: Literal["check", "formula", "order"]

    @property
    def constants(self) -> tuple[str, ...]:
        """Return the names of the constants of :mod:`.margins` and :mod:`.copper` that the texts rest on."""
        return tuple(dict.fromkeys(name for cell, name in _NAMED.findall(self.says + self.works) if not cell))

    @property
    def of_the_cell(self) -> tuple[str, ...]:
        """Return the paths of the chemistry's figures that the texts rest on, such as ``margins.shutdown_v``."""
        return tuple(dict.fromkeys(name for cell, name in _NAMED.findall(self.says + self.works) if cell))

    def statement(self, chemistry: Chemistry = LFP) -> str:
        """Return what the rule says, with today's figures."""
        return _filled(self.says, chemistry)

    def formula(self, chemistry: Chemistry = LFP) -> str:
        """Return the formula with today's figures for a chemistry; nothing where the chemistry has no such figure."""
        return _filled(self.works, chemistry)

    def told(self, chemistry: Chemistry = LFP) -> dict[str, str]:
        """Return the rule in words, with today's figures for a chemistry."""
        words = {"statement": self.statement(chemistry), "formula": self.formula(chemistry)}
        return {"id": self.id, "stage": self.stage, "source": self.source, "status": self.status, **words}

    def formulas(self) -> dict[str, list[str]]:
        """Return each wording of the formula with the names of the chemistries it holds for."""
        told: dict[str, list[str]] = {}
        for chemistry in CHEMISTRIES.values():
            if text := self.formula(chemistry):
                told.setdefault(text, []).append(chemistry.name)
        return told

    def finding(self, severity: Severity, title: str, message: str, at: str, fix: str = "", **numbers: Any) -> Finding:
        """Return a finding of this rule. ``numbers`` are the figures compared, named with their unit."""
        return Finding(
            rule=self.id,
            stage=self.stage,
            severity=severity,
            title=title,
            at=at,
            message=message,
            numbers=numbers,
            fix=fix,
            source=self.source,
            status=self.status,
        )


def _filled(text: str, chemistry: Chemistry) -> str:
    try:
        return _FIGURES.vformat(text, (), {**vars(copper), **vars(margins), "cell": chemistry})
    except AttributeError:
        return ""


REGISTRY: dict[str, Rule] = {}


_CHECKS: dict[str, list[tuple[Rule, Callable[..., Iterable[Finding]]]]] = {}


F = TypeVar("F", bound=Callable[..., Any])


def _register(rule: Rule) -> Rule:
    if rule.id in REGISTRY:
        raise ValueError(f"rule {rule.id} is registered twice")
    if rule.stage not in STAGES:
        raise ValueError(f"rule {rule.id} names an unknown stage {rule.stage}")
    REGISTRY[rule.id] = rule
    return rule


def formula_rule(
    id: str,
    stage: str,
    statement: str,
    formula: str,
    source: str = "common practice",
    status: Status = "T",
    kind: Literal["check", "formula", "order"] = "formula",
) -> Rule:
    """Register and return a rule that computes a figure or sets an order between thresholds."""
    return _register(Rule(id, stage, statement, formula, source, status, kind))


def check(
    id: str, stage: str, statement: str, formula: str, source: str = "common practice", status: Status = "T"
) -> Callable[[F], F]:
    """Register the decorated function as a rule; it is called as ``f(rule, context)`` and yields findings."""
    rule = _register(Rule(id, stage, statement, formula, source, status, "check"))

    def decorate(function: F) -> F:
        _CHECKS.setdefault(stage, []).append((rule, function))
        return function

    return decorate


def run_checks(stage: str, facts: object) -> Iterator[Finding]:
    """Yield the findings of every check of ``stage`` on the solved facts, in the order they were registered."""
    for rule, function in _CHECKS.get(stage, []):
        check_deadline()
        yield from function(rule, facts)


@cache
def load_all() -> dict[str, Rule]:
    """Return every rule of the trade by id.

    The registry fills as modules are imported, so all of the core is imported first; only the compiled kernel,
    which holds no rule and takes a second to import, is passed over.
    """
    core = __package__.rpartition(".")[0]
    for module in pkgutil.walk_packages([str(Path(__file__).parents[1])], f"{core}."):
        if not module.name.endswith(".compiled"):
            importlib.import_module(module.name)
    return dict(REGISTRY)


def rules_markdown() -> str:
    """Return docs/rules.md: every rule with statement, formula, source and status."""
    known = load_all()
    lines = [
        "# Rules",
        "",
        "Made from the rule registry by `make docs`; do not edit. Status: S published standard, T common",
        "trade practice without a source, M written from memory. Figures are those the code goes by; where chemistries differ,",
        "each has its own.",
    ]
    for stage in STAGES:
        rules = sorted((r for r in known.values() if r.stage == stage), key=lambda r: r.id)
        if not rules:
            continue
        lines += ["", f"## {stage.capitalize()}", "", "| rule | statement | formula | source | status |", "|---|---|---|---|---|"]
        for r in rules:
            told = r.formulas()
            formula = "; ".join((f"{', '.join(names)}: " if len(told) > 1 else "") + f"`{f}`" for f, names in told.items())
            formula = formula.replace("|", "\\|")
            lines.append(f"| `{r.id}` | {r.statement()} | {formula} | {r.source} | {r.status} |")
    return "\n".join(lines) + "\n"
