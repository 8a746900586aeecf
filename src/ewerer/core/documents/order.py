"""The working list of one unit, ``order/1``: from as found to as planned."""

from __future__ import annotations

from typing import Literal

from .plan import PlanPart


class Reset(PlanPart):
    """What an entry puts back: the setting, to what, and whether the list enters it again."""

    setting: str
    label: str
    to: str
    planned: bool


class Step(PlanPart):
    """One step: an action of the person, or an entry."""

    key: str
    no: int
    kind: Literal["action", "entry"]
    setting: str | None = None
    menu: list[str] = []
    label: str
    word: str = ""
    quantity: str | None = None
    level: str = "user"
    needs: str = "any"
    takes_effect: str = "at-once"
    shows: str | None = None
    enter: str | None = None
    unit: str = ""
    temporary: bool = False
    resets: list[Reset] = []
    why: str = ""
    rules: list[str] = []
    caution: str = ""
    note: str = ""
    encoding: str = ""


class NearestTarget(PlanPart):
    """A planned value that cannot be reached, and the nearest that can."""

    setting: str
    label: str
    wanted: str
    nearest: str
    unit: str


class BlockedTarget(PlanPart):
    """Why the planned values cannot all be entered, and what can be."""

    reasons: list[str]
    rules: list[str]
    nearest: list[NearestTarget]


class UnitOrder(PlanPart):
    """The working list of one unit. ``assumed`` says that nobody noted what it shows, so factory values count."""

    ewerer: str = "order/1"
    unit: str
    profile: str
    assumed: bool
    noted: int
    mode: str
    steps: list[Step]
    writes: int
    fits_already: list[str]
    blocked: BlockedTarget | None
    proven: bool
    shortest_walk: bool
