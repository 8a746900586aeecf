"""Rules of the sources."""

from __future__ import annotations

from ...trade.rules import formula_rule

AC_WINDOW = formula_rule(
    "ac-window",
    "sources",
    "low off < low on < nominal < high on < high off: narrow for electronics, wide for a generator or a weak grid",
    "narrow: {BESIDE_LAWFUL_AC:%} outside {LAWFUL_AC[0]:%}..{LAWFUL_AC[1]:%}, of 120 V {LAWFUL_AC_120[0]:%}..{LAWFUL_AC_120[1]:%}, off {AC_BACK:%} beyond; wide: {WIDE_AC[0]:%}, {WIDE_AC[1]:%}, {WIDE_AC[2]:%}, {WIDE_AC[3]:%}; inside what the unit can show",
    "EN 50160 (230 V +/- 10 %); ANSI C84.1 range B service",
    "S, M",
)


DERATE = formula_rule(
    "generator-derating",
    "sources",
    "Height and heat take power from an engine",
    "k = 1 - {DERATE_PER_100M} per 100 m over {DERATE_FROM_M} m - {DERATE_PER_10K} per 10 K over {DERATE_FROM_C} degC, at least {LEAST_DERATE}",
    "common practice; the maker's figure rules",
    "T",
)


EXERCISE = formula_rule(
    "generator-exercise",
    "sources",
    "An engine that stands runs under load now and then",
    "{EXERCISE_MIN} min every {EXERCISE_DAYS} days",
)
