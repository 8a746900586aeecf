"""A device with a menu as a machine: five keys, a plain display of a few lines, levels, states, sleep, restart.

What an entry does is the device model's (``core/devices/model.py``), so that the stand-in refuses what the device refuses.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

from ..core.devices.codec import decode, factory_shown, shown_text
from ..core.devices.model import DeviceModel, Mode, Refusal, UnitState, number_of
from ..core.documents.profiles import MenuProfile, Setting

Key = Literal["up", "down", "fast-up", "fast-down", "enter", "back", "unlock", "state", "restart", "wake"]
KEYS: tuple[Key, ...] = ("up", "down", "fast-up", "fast-down", "enter", "back", "unlock", "state", "restart", "wake")
LINES = 5
FAST = 10
LIVE = "What it reads"
"""The page of what the device measures and hears."""
ORDER: tuple[Mode, ...] = ("on", "standby", "off")


@dataclass(slots=True)
class Display:
    """What the display shows now."""

    title: str
    lines: list[str]
    cursor: int
    """number of the line that is chosen, -1 where none is"""
    editing: bool
    message: str
    mode: str
    level: str
    asleep: bool


def _down(times: int) -> list[Key]:
    return ["down"] * times


class MenuDevice:
    """One device of a job: what it shows, where its cursor stands, what a key does. ``changed`` is called after an entry."""

    def __init__(self, id: str, profile: MenuProfile, shown: Mapping[str, str], changed: Callable[[], None] = lambda: None) -> None:
        self.id, self.profile, self.changed = id, profile, changed
        self.model = DeviceModel(profile)
        self.state: UnitState = self.model.start(shown)
        self.saved = dict(self.state.shown)
        """what a restart comes back to"""
        self.path: list[str] = []
        self.cursor = 0
        self.edit: str | None = None
        self.message = ""
        self.asleep = False
        self.forgets: set[str] = set()
        """settings that fall back to what they showed before at a restart"""
        self.writes = 0
        self.refused = 0
        self.read: Callable[[], list[str]] = list

    @property
    def shown(self) -> Mapping[str, str]:
        """What every setting shows."""
        return self.state.shown

    # Pages: the live page, then the menu's own headings, each with its settings below.

    def rows(self) -> list[tuple[str, Setting | None]]:
        """Return the lines of the page that is open: headings (None) and settings with their names."""
        out: dict[str, Setting | None] = {LIVE: None} if not self.path else {}
        if self.path == [LIVE]:
            return []
        depth = len(self.path)
        for s in self.profile.settings:
            if list(s.menu[:depth]) != self.path:
                continue
            if len(s.menu) > depth:
                out.setdefault(s.menu[depth], None)
            else:
                out[s.id] = s
        return [(s.label if s is not None else name, s) for name, s in out.items()]

    def display(self) -> Display:
        """Return what the display shows."""
        if self.asleep:
            return Display("", [], -1, False, "", self.state.mode, self.state.level, True)
        if self.path == [LIVE]:
            lines = self.read()
            first = min(self.cursor, max(0, len(lines) - LINES))
            return Display(LIVE, lines[first : first + LINES], -1, False, self.message, self.state.mode, self.state.level, False)
        rows = self.rows()
        first = max(0, min(self.cursor - LINES // 2, len(rows) - LINES))
        lines = []
        for i, (name, s) in enumerate(rows[first : first + LINES], first):
            if s is None:
                lines.append(f"{name} ›")
                continue
            text = self.edit if self.edit is not None and i == self.cursor else self.shown.get(s.id, "?")
            lines.append(f"{name}: {text} {s.unit}".rstrip())
        title = " › ".join(self.path) or self.profile.name
        return Display(
            title, lines, self.cursor - first, self.edit is not None, self.message, self.state.mode, self.state.level, False
        )

    # Keys.

    def press(self, key: Key) -> None:
        """Press a key."""
        self.message = ""
        if self.asleep:
            if key == "wake":
                self.asleep = False
            return
        if key == "state":
            self.state = replace(self.state, mode=ORDER[(ORDER.index(self.state.mode) + 1) % len(ORDER)])
            self.message = {"on": "Output on", "standby": "In standby", "off": "Output off"}[self.state.mode]
            self.changed()
        elif key == "unlock":
            self.state = replace(self.state, level="user" if self.state.level == "installer" else "installer")
            self.message = "Installer level open" if self.state.level == "installer" else "Installer level locked"
        elif key == "restart":
            self.restart()
        elif key == "wake":
            self.message = "Awake already"
        elif self.edit is not None:
            self._edit(key)
        else:
            self._walk(key)

    def restart(self) -> None:
        """Switch off and on: what takes effect at a restart does, what it forgets falls back, the level is locked."""
        back = {id: self.saved[id] for id in self.forgets if id in self.saved}
        self.state = UnitState({**self.state.shown, **back}, "on", "user")
        self.saved = dict(self.state.shown)
        self.path, self.cursor, self.edit = [], 0, None
        self.message = "Started"
        self.changed()

    def _walk(self, key: Key) -> None:
        if self.path == [LIVE]:
            lines = len(self.read())
            step = {"up": -1, "down": 1, "fast-up": -LINES, "fast-down": LINES}.get(key, 0)
            self.cursor = min(max(0, self.cursor + step), max(0, lines - LINES))
            if key == "back":
                self.path, self.cursor = [], 0
            return
        rows = self.rows()
        step = {"up": -1, "down": 1, "fast-up": -FAST, "fast-down": FAST}.get(key, 0)
        if step:
            self.cursor = min(max(0, self.cursor + step), max(0, len(rows) - 1))
        elif key == "back" and self.path:
            was = self.path[-1]
            self.path = self.path[:-1]
            self.cursor = next((i for i, (name, s) in enumerate(self.rows()) if s is None and name == was), 0)
        elif key == "enter" and rows:
            name, s = rows[self.cursor]
            if s is None:
                self.path, self.cursor = [*self.path, name], 0
            else:
                self.edit = self.shown.get(s.id) or self._first(s)

    def _first(self, s: Setting) -> str:
        return self.choices(s)[0] if s.is_choice else shown_text(s, s.min or 0.0)

    @staticmethod
    def choices(s: Setting) -> list[str]:
        """Return the words that a setting steps through."""
        return list(dict.fromkeys((s.encoding.choices or {}).values()))

    def _edit(self, key: Key) -> None:
        _, s = self.rows()[self.cursor]
        assert s is not None and self.edit is not None
        if key == "back":
            self.edit = None
            self.message = "Left as it was"
        elif key == "enter":
            text, self.edit = self.edit, None
            refused = self.write(s.id, text)
            self.message = refused.text if refused else "Kept"
        else:
            self.edit = self._stepped(s, self.edit, {"up": 1, "down": -1, "fast-up": FAST, "fast-down": -FAST}.get(key, 0))

    def _stepped(self, s: Setting, text: str, by: int) -> str:
        if s.is_choice:
            words = self.choices(s)
            at = words.index(text) if text in words else 0
            return words[(at + by) % len(words)]
        assert s.min is not None and s.max is not None and s.step is not None
        last = len(s.values) - 1 if s.values else int((s.max - s.min) / s.step + 1e-6)
        now = number_of(s, text)
        if text == s.off:
            at = -1
        elif now is None:
            at = 0
        elif s.values:
            at = min(range(last + 1), key=lambda i: abs((s.values or [])[i] - now))
        else:
            at = round((now - s.min) / s.step)
        at = min(max(at + by, -1 if s.off else 0), last)
        if at < 0:
            return str(s.off)
        return shown_text(s, s.values[at] if s.values else round(s.min + at * s.step, 9))

    @staticmethod
    def _steps(s: Setting) -> list[float]:
        assert s.min is not None and s.max is not None and s.step is not None
        return (
            list(s.values) if s.values else [round(s.min + k * s.step, 9) for k in range(int((s.max - s.min) / s.step + 1e-6) + 1)]
        )

    def write(self, setting: str, text: str) -> Refusal | None:
        """Write a setting as its display shows it; return why it is refused, None where it is kept."""
        if self.asleep:
            self.refused += 1
            return Refusal(setting, "mode", "it does not answer")
        found = self.model.write(self.state, setting, text)
        if isinstance(found, Refusal):
            self.refused += 1
            return found
        self.state = found
        if setting not in self.forgets:
            self.saved[setting] = found.shown[setting]
        self.writes += 1
        self.changed()
        return None

    def keys_for(self, setting: str, text: str) -> list[Key]:
        """Return keys that enter a text from the top page, for tests and for who shows it: the plainest way, not the shortest."""
        s = self.model.settings[setting]
        out: list[Key] = ["back", "back", "back", "back", "back", "back", "fast-up", "fast-up"]
        walker = MenuDevice(self.id, self.profile, self.shown)
        walker.state = replace(self.state)
        for heading in s.menu:
            at = next(i for i, (name, x) in enumerate(walker.rows()) if x is None and name == heading)
            out += [*_down(at), "enter"]
            walker.path, walker.cursor = [*walker.path, heading], 0
        at = next(i for i, (_, x) in enumerate(walker.rows()) if x is not None and x.id == setting)
        out += [*_down(at), "enter"]
        now = self.shown.get(setting) or walker._first(s)
        for _ in range(20_000):
            if now == text:
                return [*out, "enter"]
            best: tuple[float, Key, str] | None = None
            for key, by in (("up", 1), ("fast-up", FAST), ("down", -1), ("fast-down", -FAST)):
                there = walker._stepped(s, now, by)
                off = 0.0 if there == text else self._apart(s, there, text)
                if there != now and (best is None or off < best[0]):
                    best = (off, key, there)  # type: ignore[assignment]
            if best is None:
                break
            out.append(best[1])
            now = best[2]
        raise ValueError(f"{s.label} cannot be brought to {text}")

    def _apart(self, s: Setting, a: str, b: str) -> float:
        if s.is_choice:
            words = self.choices(s)
            return (words.index(b) - words.index(a)) % len(words) if a in words and b in words else 1e9
        x, y = number_of(s, a), number_of(s, b)
        return abs((x if x is not None else -1e6) - (y if y is not None else -1e6))


def shipped(profile: MenuProfile) -> dict[str, str]:
    """Return what a device shows as it left the factory."""
    return dict(factory_shown(profile))


def readable(profile: MenuProfile, setting: str, text: str) -> bool:
    """Return whether a display could show a text for a setting."""
    s = next(x for x in profile.settings if x.id == setting)
    try:
        decode(s, text, profile)
    except ValueError:
        return False
    return True
