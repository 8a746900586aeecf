"""What a process beside the server is asked of practice; what it needs is loaded there, not where it is asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

__all__ = ["begun", "played", "shown"]


def begun(scenario: Mapping[str, Any] | None, seed: int, level: int, lesson: bool) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return a scenario, the lesson's, the one given, or a drawn one, and its first state."""
    from . import practice

    made = practice.lesson() if lesson else practice.scenario_of(scenario) if scenario is not None else practice.draw(seed, level)
    return made.document(), practice.play(made.document(), [])


def played(scenario: Mapping[str, Any], acts: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """Return the state of a try after its acts."""
    from . import practice

    return practice.play(scenario, acts)


def shown(seed: int, level: int) -> tuple[dict[str, Any], list[dict[str, Any]], dict[str, Any]]:
    """Return a drawn scenario, the acts of a careful trainee in it, and its state at the end."""
    from . import practice

    made = practice.draw(seed, level)
    acts = [{"do": "measure", "meter": "volts"}, *practice.scripted(made, careful=True)["acts"]]
    return made.document(), acts, practice.play(made.document(), acts)
