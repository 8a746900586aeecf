"""The rule registry and findings.

Every rule of the trade is registered once with an id, a one-line statement, its formula, its
source and a status: S (published standard, named), T (common trade practice, no source) or M
(written from memory). A rule that checks something is one decorated function that yields
findings; rules that only compute register their formula with :func:`formula_rule`.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Literal, TypeVar

from .budget import check_deadline
from .finding import Finding
from .stages import STAGES

Status = Literal["S", "T", "M", "S, M"]


Severity = Literal["stop", "caution", "note"]


STATUS_WORDS = {
    "S": "published standard",
    "T": "common practice, no source",
    "M": "written from memory",
    "S, M": "published standard, figures from memory",
}


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of the trade."""

    id: str
    stage: str
    statement: str
    formula: str
    source: str
    status: Status
    kind: Literal["check", "formula", "order"]

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
    kind: Literal["formula", "order"] = "formula",
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
        "trade practice without a source, M written from memory.",
    ]
    for stage in STAGES:
        rules = sorted((r for r in known.values() if r.stage == stage), key=lambda r: r.id)
        if not rules:
            continue
        lines += ["", f"## {stage.capitalize()}", "", "| rule | statement | formula | source | status |", "|---|---|---|---|---|"]
        for r in rules:
            formula = r.formula.replace("|", "\\|")
            lines.append(f"| `{r.id}` | {r.statement} | `{formula}` | {r.source} | {r.status} |")
    return "\n".join(lines) + "\n"
