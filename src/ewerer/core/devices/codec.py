"""What a setting shows for a canonical value, and what a display stands for: encode, decode, words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fnmatch import fnmatchcase
from types import MappingProxyType

from ..documents.profiles import MenuProfile, Setting
from ..trade.quantities import QUANTITIES
from ..trade.rules import formula_rule
from ..trade.steps import clean, decimals_of, figure

Value = float | str | bool
Facts = Mapping[str, str]
"""What is known of a device's place in the job, by the names of profiles' facts."""
NO_FACTS: Facts = MappingProxyType({})
MAX_CHARACTERS = 60
"""Longest text that a display shows for one setting."""


ENCODE = formula_rule(
    "entry-safe-side",
    "sheet",
    "An entry is rounded to the unit's step on the safe side of the target",
    "entry = round_safe(value / factor, step)",
)


PER_CELL = formula_rule(
    "entry-per-2v-cell",
    "sheet",
    "Some units want volts of one 2-V cell, also for lithium",
    "entry = V / (class / 2): 24 cells at 48 V",
)


PERCENT = formula_rule(
    "entry-percent-of-rated", "sheet", "Some units want amps as percent of their rating", "entry = floor(100 * I / rated)"
)


@dataclass(frozen=True, slots=True)
class Entry:
    """What to type: the text on the display, the canonical value it stands for, whether it was cut to the range."""

    text: str
    value: Value
    cut: bool = False


def safe_side(setting: Setting) -> str:
    """Return the side a setting is rounded to: its quantity's own, else what the profile says."""
    quantity = QUANTITIES.get(setting.quantity or "")
    return (quantity.side if quantity else None) or setting.safe


class Numbers:
    """Figures on a display: canonical value over a factor, on the setting's own grid of steps."""

    def factor(self, setting: Setting, profile: MenuProfile) -> float:
        """Return the canonical units that one unit on the display stands for (V, A, fraction ... per display unit)."""
        return 1 / setting.encoding.scale

    def show(self, setting: Setting, shown: float) -> str:
        """Return a display figure with the decimals the setting's step needs."""
        assert setting.step is not None and setting.min is not None
        return f"{shown:.{max(map(decimals_of, setting.values or (setting.step, setting.min)))}f}"

    def read(self, setting: Setting, text: str) -> float:
        """Return the display figure of a text; raise ValueError saying what is wrong."""
        if len(text) > MAX_CHARACTERS:
            raise ValueError(f"{text[:MAX_CHARACTERS]!r}… is too long; a value has at most {MAX_CHARACTERS} characters")
        try:
            number = float(text.replace(",", ".").removesuffix(setting.unit).strip() if setting.unit else text.replace(",", "."))
        except ValueError:
            raise ValueError(f"{text!r} is not a number") from None
        assert setting.min is not None and setting.max is not None
        if not setting.min - 1e-9 <= number <= setting.max + 1e-9:
            raise ValueError(
                f"{figure(number, 4)} is outside {figure(setting.min, 4)} to {figure(setting.max, 4)} {setting.unit}".rstrip()
            )
        if setting.values and all(abs(number - v) > 1e-9 for v in setting.values):
            raise ValueError(f"{figure(number, 4)} is not {takes(setting)}")
        return number

    def encode(self, setting: Setting, value: Value, profile: MenuProfile, facts: Facts = NO_FACTS) -> Entry:
        """Return the entry on the safe side of ``value``; raise ValueError when it is not a number."""
        if isinstance(value, (str, bool)):
            raise ValueError(f"{setting.id} takes a number, not {value!r}")
        assert setting.min is not None and setting.max is not None and setting.step is not None
        factor = self.factor(setting, profile)
        guard = 1e-6
        side = safe_side(setting)
        if setting.values:
            return _listed(setting, value / factor, factor, side, guard)
        steps = (value / factor - setting.min) / setting.step
        if side == "down":
            count = int((steps + guard) // 1)
        elif side == "up":
            count = -int((-steps + guard) // 1)
        else:
            count = int((steps + 0.5 + guard) // 1)
        most = int(((setting.max - setting.min) / setting.step + guard) // 1)
        cut = not 0 <= count <= most
        shown = clean(setting.min + min(max(count, 0), most) * setting.step)
        return Entry(self.show(setting, shown), clean(shown * factor), cut)

    def decode(self, setting: Setting, text: str, profile: MenuProfile) -> Value:
        """Return the canonical value of a displayed text; raise ValueError saying what would be right."""
        return clean(self.read(setting, text) * self.factor(setting, profile))

    def words(self, setting: Setting, profile: MenuProfile) -> str:
        """Return in words how the setting is encoded, empty where it is plain."""
        scale = setting.encoding.scale
        return f"times {figure(scale, 4)}" if scale != 1 and setting.unit != "%" else ""


def _listed(setting: Setting, wanted: float, factor: float, side: str, guard: float) -> Entry:
    """Return the entry of a setting that takes listed figures only, on the safe side of what is wanted on its display."""
    values = setting.values or []
    reach = guard * (setting.step or 1.0)
    below, above = [v for v in values if v <= wanted + reach], [v for v in values if v >= wanted - reach]
    if side == "down":
        shown, cut = (below[-1], False) if below else (values[0], True)
    elif side == "up":
        shown, cut = (above[0], False) if above else (values[-1], True)
    else:
        shown, cut = min(values, key=lambda v: (abs(v - wanted), v)), not (below and above)
    return Entry(CODECS[setting.encoding.kind].show(setting, shown), clean(shown * factor), cut)


class Per2VCell(Numbers):
    """Volts of one 2-V cell, of which the unit's voltage class has half as many as volts."""

    def factor(self, setting: Setting, profile: MenuProfile) -> float:
        """Return the number of 2-V cells."""
        return profile.menu_class_v / 2

    def words(self, setting: Setting, profile: MenuProfile) -> str:
        """Return how pack volts become an entry."""
        return f"per 2-V cell: pack volts / {figure(profile.menu_class_v / 2)}"


class PercentOfRated(Numbers):
    """Percent of the encoding's own rating."""

    def factor(self, setting: Setting, profile: MenuProfile) -> float:
        """Return the canonical units of one percent."""
        return (setting.encoding.rated or 0.0) / 100

    def words(self, setting: Setting, profile: MenuProfile) -> str:
        """Return what the percentage is of."""
        return f"percent of {figure(setting.encoding.rated or 0)} {'W' if setting.slot else 'A'}"


class Clock(Numbers):
    """Minutes from midnight as HH:MM."""

    def show(self, setting: Setting, shown: float) -> str:
        """Return HH:MM."""
        return f"{int(shown) // 60:02d}:{int(shown) % 60:02d}"

    def read(self, setting: Setting, text: str) -> float:
        """Return minutes from midnight."""
        hours, _, minutes = text.partition(":")
        if not (hours.isdigit() and minutes.isdigit() and int(minutes) < 60 and int(hours) <= 24):
            raise ValueError(f"{text!r} is not a time as HH:MM")
        return float(int(hours) * 60 + int(minutes))

    def decode(self, setting: Setting, text: str, profile: MenuProfile) -> Value:
        """Return minutes from midnight."""
        return self.read(setting, text)

    def words(self, setting: Setting, profile: MenuProfile) -> str:
        """Return nothing: a time shows itself."""
        return ""


def same_word(a: str, b: str) -> bool:
    """Return whether two displayed words are one: capitals apart, and codes by their number."""
    if a.casefold() == b.casefold():
        return True
    try:
        return float(a.replace(",", ".")) == float(b.replace(",", "."))
    except ValueError:
        return False


def chosen_key(choices: Mapping[str, str], text: str) -> str | None:
    """Return the key of the choice that a display shows; its code alone, or the words beside it, will do where only one has them."""
    for key, word in choices.items():
        if same_word(word, text):
            return key
    parts = [key for key, word in choices.items() if " " in word and any(same_word(p, text) for p in word.split(" ", 1))]
    return parts[0] if len(parts) == 1 else None


class Choice(Numbers):
    """One of a list, each with its own words on the display."""

    def encode(self, setting: Setting, value: Value, profile: MenuProfile, facts: Facts = NO_FACTS) -> Entry:
        """Return the display's word for a choice, by the facts it depends on; raise KeyError when it is not offered."""
        key = ("yes" if value else "no") if isinstance(value, bool) else str(value)
        choices = setting.encoding.choices or {}
        if not setting.encoding.by:
            return Entry(choices[key], value)
        known = [key, *(facts.get(fact, "") for fact in setting.encoding.by)]
        for pattern, word in choices.items():
            if all(fnmatchcase(k, p) for k, p in zip(known, pattern.split("/"), strict=True)):
                return Entry(word, value)
        raise KeyError(key)

    def decode(self, setting: Setting, text: str, profile: MenuProfile) -> Value:
        """Return the choice behind a word, capitals or not."""
        choices = setting.encoding.choices or {}
        key = chosen_key(choices, text)
        if key is not None:
            return self.meaning(key.split("/")[0] if setting.encoding.by else key)
        raise ValueError(f"{text!r} is not one of {', '.join(dict.fromkeys(choices.values()))}")

    def meaning(self, key: str) -> Value:
        """Return the canonical value of a choice's key."""
        return key

    def words(self, setting: Setting, profile: MenuProfile) -> str:
        """Return nothing: a choice shows itself."""
        return ""


class OnOff(Choice):
    """A choice of yes and no."""

    def meaning(self, key: str) -> Value:
        """Return true or false."""
        return {"yes": True, "no": False}.get(key, key)


CODECS: dict[str, Numbers] = {
    "plain": Numbers(),
    "per-2v-cell": Per2VCell(),
    "percent-of-rated": PercentOfRated(),
    "hhmm": Clock(),
    "choice": Choice(),
    "on-off": OnOff(),
}


def factor_of(setting: Setting, profile: MenuProfile) -> float:
    """Return the canonical units that one unit on the display stands for (V, A, fraction ... per display unit)."""
    return CODECS[setting.encoding.kind].factor(setting, profile)


def encode(setting: Setting, value: Value, profile: MenuProfile, facts: Facts = NO_FACTS) -> Entry:
    """Return what the display shall show for a canonical ``value``, rounded to the safe side.

    ``facts`` are what choices may depend on: phase, place, firmware and so on.

    Raises KeyError when a choice is not offered and ValueError when a number is wanted.
    """
    if (
        setting.off is not None
        and not setting.is_choice
        and not isinstance(value, str)
        and value == 0
        and not _within(setting, 0.0)
    ):
        return Entry(setting.off, 0.0)
    return CODECS[setting.encoding.kind].encode(setting, value, profile, facts)


def shown_text(setting: Setting, shown: float) -> str:
    """Return a display figure with the decimals the setting's step needs, or as HH:MM."""
    return CODECS[setting.encoding.kind].show(setting, shown)


def decode(setting: Setting, text: str, profile: MenuProfile) -> Value:
    """Return the canonical value that ``text`` on the display stands for.

    Raises ValueError saying what would be right when the text is not a value of this setting.
    """
    if is_off(setting, text):
        return 0.0
    return CODECS[setting.encoding.kind].decode(setting, text.strip(), profile)


def is_off(setting: Setting, text: str) -> bool:
    """Return whether a display that shows ``text`` says that the setting is off."""
    return (
        setting.off is not None
        and not setting.is_choice
        and same_word(setting.off, text.strip().removesuffix(setting.unit).strip())
    )


def _within(setting: Setting, shown: float) -> bool:
    return setting.min is not None and setting.max is not None and setting.min <= shown <= setting.max


def encoding_words(setting: Setting, profile: MenuProfile) -> str:
    """Return in words how a setting is encoded, empty where it is plain."""
    return CODECS[setting.encoding.kind].words(setting, profile)


def canonical_text(setting: Setting, text: str, profile: MenuProfile) -> str:
    """Return a typed or noted value as the display shows it; raise ValueError when the setting cannot show it."""
    value = decode(setting, text, profile)
    if is_off(setting, text):
        return setting.off or ""
    if setting.is_choice:
        choices = setting.encoding.choices or {}
        return choices[chosen_key(choices, text.strip()) or next(iter(choices))]
    assert not isinstance(value, (str, bool))
    if setting.encoding.kind == "hhmm":
        return shown_text(setting, value)
    plain = text.strip().replace(",", ".").removesuffix(setting.unit).strip() if setting.unit else text.strip().replace(",", ".")
    return shown_text(setting, float(plain))


def factory_shown(profile: MenuProfile) -> dict[str, str]:
    """Return what every setting shows from the factory, as the display writes it; one that cannot be read as it is.

    Worked out once for each profile and kept with it, beside its settings by quantity.
    """
    held: dict[str, str] | None = profile.__dict__.get("factory_shown")
    if held is not None:
        return held
    out: dict[str, str] = {}
    for s in profile.settings:
        if s.factory is not None:
            try:
                out[s.id] = canonical_text(s, s.factory, profile)
            except ValueError:
                out[s.id] = s.factory
    profile.__dict__["factory_shown"] = out
    return out


def takes(setting: Setting) -> str:
    """Return in words what a setting takes."""
    if setting.is_choice:
        return "one of " + ", ".join(dict.fromkeys((setting.encoding.choices or {}).values()))
    if setting.encoding.kind == "hhmm":
        return "a time as HH:MM"
    off = f", or {setting.off}" if setting.off else ""
    if setting.values:
        return f"one of {', '.join(figure(v, 4) for v in setting.values)} {setting.unit}".rstrip() + off
    span = (
        f"{figure(setting.min or 0, 4)} to {figure(setting.max or 0, 4)} {setting.unit} in steps of {figure(setting.step or 0, 4)}"
    )
    return span.replace("  ", " ") + off
