"""The device model: what one unit does when a setting is written. It judges every order of entry.

A write is refused while the setting's state, level or condition is not met, when the value is not one the
setting takes, or when an interlock that touches what the write changes would be broken after it. An
accepted write applies the setting's side effects. Writing what is already shown does nothing.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from ..documents.conditions import Condition, ParsedInterlock, compares, parse_condition, parse_interlock
from ..documents.profiles import MenuProfile, Setting
from ..trade.steps import figure
from .codec import canonical_text, decode, factory_shown, shown_text

Mode = Literal["on", "standby", "off"]


Level = Literal["user", "installer"]


_MODE_RANK: dict[str, int] = {"any": 0, "on": 0, "standby": 1, "off": 2}


def number_of(setting: Setting, shown: str | None) -> float | None:
    """Return the figure a display shows, HH:MM in minutes; None where it is no number."""
    if shown is None or setting.is_choice:
        return None
    if setting.encoding.kind == "hhmm":
        hours, _, minutes = shown.partition(":")
        return float(int(hours) * 60 + int(minutes)) if hours.isdigit() and minutes.isdigit() else None
    try:
        return float(shown)
    except ValueError:
        return None


def asked_for(condition: Condition, s: Setting) -> list[str]:
    """Return what a setting may be asked to show by a condition: the values it is compared with, and those beside them."""
    out: list[str] = []
    for c in compares(condition):
        if c.name != s.id:
            continue
        if s.is_choice or s.min is None or s.max is None or s.step is None:
            out.append(c.value)
            continue
        value = number_of(s, c.value)
        if value is None:
            continue
        if s.values:
            apart = sorted((abs(v - value), v) for v in s.values)[:4]
            out += [shown_text(s, v) for v in sorted(v for _, v in apart)]
            continue
        below, most = int((value - s.min + 1e-9) // s.step), int((s.max - s.min + 1e-9) // s.step)
        steps = {min(max(k, 0), most) for k in (below - 1, below, below + 1, below + 2)}
        shown = [round(s.min + k * s.step, 9) for k in sorted(steps)]
        out += [shown_text(s, v) for v in shown]
    return out


@dataclass(frozen=True, slots=True)
class UnitState:
    """What every setting shows, the unit's mode, the unlocked level, whether a restart is due."""

    shown: Mapping[str, str]
    mode: Mode = "on"
    level: Level = "user"
    restart_due: bool = False


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a write was not taken: the kind, words, the interlock or condition as the profile writes it."""

    setting: str
    kind: Literal["unknown", "value", "mode", "level", "condition", "interlock", "reset"]
    text: str
    rule: str = ""


@dataclass(frozen=True, slots=True)
class Lock:
    """An interlock with its settings at hand."""

    parsed: ParsedInterlock
    rule: str
    above: Setting
    below: Setting

    def broken(self, shown: Mapping[str, str]) -> bool:
        """Return whether the displayed figures break it; figures that cannot be read break nothing."""
        up, down = number_of(self.above, shown.get(self.above.id)), number_of(self.below, shown.get(self.below.id))
        return up is not None and down is not None and up - down < self.parsed.margin - 1e-9


class DeviceModel:
    """The behaviour of one unit of a profile."""

    def __init__(self, profile: MenuProfile) -> None:
        self.profile = profile
        self.settings: dict[str, Setting] = {s.id: s for s in profile.settings}
        self.locks: list[Lock] = []
        for lock in profile.interlocks:
            parsed = parse_interlock(lock.rule)
            self.locks.append(Lock(parsed, lock.rule, self.settings[parsed.above], self.settings[parsed.below]))
        self.locks_of: dict[str, list[Lock]] = {id: [] for id in self.settings}
        for one in self.locks:
            self.locks_of[one.above.id].append(one)
            if one.below.id != one.above.id:
                self.locks_of[one.below.id].append(one)
        self.sets = {s.id: [self._shown(effect.sets) for effect in s.side_effects] for s in profile.settings}
        self.conditions = {s.id: parse_condition(s.works_only_if) for s in profile.settings if s.works_only_if}

    def _shown(self, sets: Mapping[str, str]) -> dict[str, str]:
        """Return what a side effect sets as the display writes it; what cannot be read as it is."""
        out = {}
        for id, text in sets.items():
            try:
                out[id] = canonical_text(self.settings[id], text, self.profile)
            except ValueError:
                out[id] = text
        return out

    def start(self, found: Mapping[str, str], mode: Mode = "on", level: Level = "user") -> UnitState:
        """Return the state of a unit as found; settings nobody noted show their factory value."""
        return UnitState({**factory_shown(self.profile), **found}, mode, level)

    def effects(self, setting: str, shown: Mapping[str, str]) -> dict[str, str]:
        """Return what a write that led to ``shown`` puts other settings to."""
        out: dict[str, str] = {}
        for effect, sets in zip(self.settings[setting].side_effects, self.sets[setting], strict=True):
            if effect.when is None or parse_condition(effect.when).holds(shown):
                out |= sets
        return out

    def check(self, state: UnitState, setting: str, text: str) -> Refusal | dict[str, str]:
        """Return the displays after writing ``text``, or why it is refused."""
        s = self.settings.get(setting)
        if s is None:
            return Refusal(setting, "unknown", f"there is no setting {setting}")
        if _MODE_RANK[state.mode] < _MODE_RANK[s.needs]:
            where = "in standby" if s.needs == "standby" else "with the output off"
            return Refusal(setting, "mode", f"{s.label} is only taken {where}")
        if s.level == "installer" and state.level != "installer":
            return Refusal(setting, "level", f"{s.label} needs the installer level")
        condition = self.conditions.get(setting)
        if condition is not None and not condition.holds(state.shown):
            return Refusal(setting, "condition", f"{s.label} works only if {self.condition_words(setting)}", s.works_only_if or "")
        try:
            decode(s, text, self.profile)
        except ValueError as error:
            return Refusal(setting, "value", f"{s.label}: {error}")
        if state.shown.get(setting) == text:
            return dict(state.shown)
        shown = {**state.shown, setting: text}
        effects = self.effects(setting, shown)
        shown |= effects
        for id in (setting, *effects):
            for lock in self.locks_of[id]:
                if lock.broken(shown):
                    return Refusal(setting, "interlock", self.lock_words(lock), lock.rule)
        return shown

    def write(self, state: UnitState, setting: str, text: str) -> UnitState | Refusal:
        """Return the state after writing ``text`` to ``setting``, or why the unit refuses."""
        found = self.check(state, setting, text)
        if isinstance(found, Refusal):
            return found
        due = state.restart_due or (
            self.settings[setting].takes_effect == "restart" and state.shown.get(setting) != found.get(setting)
        )
        return replace(state, shown=found, restart_due=due)

    def condition_words(self, setting: str) -> str:
        """Return the condition of a setting with labels instead of ids; empty where it has none."""
        text = self.settings[setting].works_only_if or ""
        for name in sorted(self.conditions[setting].names(), key=len, reverse=True) if text else ():
            if name in self.settings:
                text = re.sub(rf"(?<![\w.-]){re.escape(name)}(?![\w.-])", self.settings[name].label, text)
        return text

    @staticmethod
    def lock_words(lock: Lock) -> str:
        """Return an interlock in words."""
        margin = lock.parsed.margin
        if margin < 0:
            return f"{lock.below.label} at most {figure(-margin, 4)} over {lock.above.label}"
        if margin == 0:
            return f"{lock.above.label} not below {lock.below.label}"
        return f"{lock.above.label} at least {figure(margin, 4)} over {lock.below.label}"
