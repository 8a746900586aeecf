"""Results of stage Sheet: rows to type, what to leave alone, as found, agreement, read-back."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import PlanPart


class SheetRow(PlanPart):
    """One line to type into one unit. ``entry`` is what the display shall show."""

    setting: str = Field(description="id of the setting")
    menu: list[str] = Field(description="way through the menu as displayed")
    label: str = Field(description="the setting as displayed")
    quantity: str = Field(description="canonical quantity it carries; empty for a copied one")
    word: str = Field(description="the quantity's word")
    entry: str = Field(description="what the display shall show")
    unit: str = Field(description="unit on the display")
    value: float | str | bool = Field(description="canonical value of the entry")
    target: float | str | bool = Field(description="canonical value that was aimed at")
    scope: Literal["same-on-all", "host", "own", "cluster-total"] = Field(
        description="same on all units, host only, each its own, or once for all units together"
    )
    level: Literal["user", "installer"] = Field(description="level it needs")
    needs: Literal["any", "standby", "off"] = Field(description="state the unit must be in")
    takes_effect: Literal["at-once", "restart"] = Field(description="when it takes effect")
    after: list[str] = Field(description="settings that must be entered before")
    resets: list[str] = Field(description="settings this entry puts back")
    encoding: str = Field(description="how the value is written, where it is not plain")
    note: str = Field(description="what to know")
    caution: str = Field(description="what may hurt")
    why: list[str] = Field(description="ids of the rules behind it")
    choices: list[str] = Field(default=[], description="what it can be picked from; only for an own entry")
    needed_by: list[str] = Field(default=[], description="planned settings that work only while this one shows its entry")


class LeftAlone(PlanPart):
    """A setting that stays at factory, and why."""

    setting: str = Field(description="id of the setting")
    menu: list[str] = Field(description="way through the menu as displayed")
    label: str = Field(description="the setting as displayed")
    why: str = Field(description="why it stays at factory")


class ByHand(PlanPart):
    """A setting that no rule plans: a person decides, and what is decided is noted as an own entry."""

    setting: str = Field(description="id of the setting")
    menu: list[str] = Field(description="way through the menu as displayed")
    label: str = Field(description="the setting as displayed")
    word: str = Field(description="word of the quantity it carries; empty where it carries none")
    factory: str = Field(description="factory value as displayed; empty where unknown")
    unit: str = Field(description="unit on the display")
    takes: str = Field(description="what it takes, in words")
    known: str = Field(description="what is known about it")
    choices: list[str] = Field(default=[], description="what it can be picked from; empty for a number")
    caution: str = Field(description="what may hurt")


class FeedRow(PlanPart):
    """One setting of a unit while another feed of the mains is in use."""

    feed: str = Field(description="name of the feed")
    setting: str = Field(description="id of the setting")
    menu: list[str] = Field(description="way through the menu as displayed")
    label: str = Field(description="the setting as displayed")
    entry: str = Field(description="what to type while that feed is in use")
    unit: str = Field(description="unit on the display")
    fits: bool = Field(description="whether the display can show so little")


class UnitSheet(PlanPart):
    """The sheet of one unit in order of entry."""

    id: str = Field(description="the unit")
    name: str = Field(description="its model")
    role: str = Field(description="host or follower")
    profile: str = Field(default="", description="its profile, or the one made of its plate")
    kind: str = Field(default="unit", description="what it is: unit, sun-charger, module or controller")
    settings: list[SheetRow] = Field(description="rows in order of entry")
    leave_alone: list[LeftAlone] = Field(description="settings that stay at factory")
    decide: list[ByHand] = Field(default=[], description="settings that a person decides")
    feeds: list[FeedRow] = Field(default=[], description="what to type instead while another feed is in use")
    unlock: str = Field(default="", description="how its installer level is opened")
    keys: str = Field(default="", description="what its keys do: open, commit, leave without saving")
    wake: str = Field(default="", description="what wakes it before it takes an entry")


class FoundValue(PlanPart):
    """What a unit was found to show for one setting: decoded, beside what is planned."""

    setting: str = Field(description="id of the setting")
    label: str = Field(description="the setting as displayed")
    quantity: str | None = Field(description="canonical quantity it carries")
    shown: str = Field(description="what was noted")
    value: float | str | bool | None = Field(description="canonical value of it; none where it cannot be read")
    planned: str | None = Field(description="the plan's entry")
    same: bool | None = Field(description="whether both mean the same")
    dangerous: bool = Field(description="whether it could hurt the bank at once")
    problem: str = Field(description="why it cannot be read")


class AgreementRow(PlanPart):
    """One setting over all units of a model: what each shows, whether they agree as the scope asks."""

    profile: str = Field(description="the units' model")
    setting: str = Field(description="id of the setting")
    label: str = Field(description="the setting as displayed")
    menu: list[str] = Field(description="way through the menu as displayed")
    scope: Literal["same-on-all", "host", "own", "cluster-total"] = Field(
        description="same on all units, host only, each its own, or once for all units together"
    )
    shown: dict[str, str | None] = Field(description="what each unit shows")
    planned: dict[str, str | None] = Field(description="what each unit shall show")
    agrees: bool | None = Field(description="whether they agree as the scope asks")
    text: str = Field(description="what is the matter")


class Misfit(PlanPart):
    """Why a preset does not do: the quantity, what the preset sets, what is permitted or planned."""

    quantity: str = Field(description="canonical quantity")
    word: str = Field(description="its word")
    preset: float = Field(description="what the preset sets")
    lowest: float | None = Field(description="lowest permitted")
    highest: float | None = Field(description="highest permitted")
    text: str = Field(description="what is the matter")


class PresetVerdict(PlanPart):
    """Whether a shipped preset of a unit passes the same rules as the plan."""

    profile: str = Field(description="the units' model")
    preset: str = Field(description="name of the preset")
    fits: bool = Field(description="whether every value passes")
    misfits: list[Misfit] = Field(description="values that do not")


class ReadBack(PlanPart):
    """The verdict on a value read back after entry."""

    key: str = Field(description="step of the working list")
    ok: bool = Field(description="whether it is as entered")
    text: str = Field(description="verdict in words")
