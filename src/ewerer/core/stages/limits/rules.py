"""Rules of the limits."""

from __future__ import annotations

from ...trade.rules import formula_rule

CHAIN = formula_rule("chain-of-caps", "limits", "The lowest of all limits counts", "I = min(caps)")


FUSE = formula_rule(
    "fuse-continuous",
    "limits",
    "A fuse carries its rating over {FUSE_FACTOR} continuously",
    "I = fuse / {FUSE_FACTOR}",
    "NEC 210.20(A), 215.3: 125 % of continuous load",
    "S, M",
)


TEMPERATURE = formula_rule(
    "temperature-derating",
    "limits",
    "Cold and hot cells take less; below 0 °C lithium is not charged. Today's figure is shown, never stored in a unit",
    "I_i = f(T) * I_i, f from the module's sheet or the usual line",
    "common practice; the module's sheet rules",
    "T",
)


PREFERENCE = formula_rule("c-rate", "limits", "A chosen rate limits the current for long life", "I = rate * C")


WARRANTY = formula_rule(
    "warranty-limit", "limits", "Warranty terms may be lower than the data sheet", "I_i = min(sheet_i, warranty_i)"
)


AC_BUDGET = formula_rule(
    "ac-budget",
    "limits",
    "What an AC source has left after the loads limits charging from it",
    "P_free = min({CONTINUOUS} * breaker * V, P_gen * derate) - P_loads; I = P_free * eta / V_charge_max",
    "NEC 210.20(A): continuous load at most 80 % of the breaker",
    "S, M",
)


SHORTCUT = formula_rule(
    "ac-short-cut", "limits", "The trade's short cut divides by the nominal voltage and overstates", "I = P_free / V_nominal"
)


SPLIT = formula_rule(
    "split-to-units",
    "limits",
    "What is set on each unit adds up at the bank, so each gets its part",
    "I_unit = floor_to_step(min(I / N, I_unit_max))",
)


DISCHARGE_NEED = formula_rule(
    "discharge-need", "limits", "A load draws the most current at the lowest voltage", "I_dc = P_ac / (eta * V_low)"
)


BREAKER = formula_rule(
    "breaker-school",
    "limits",
    "{CONTINUOUS:%} of a breaker continuously; all of it for short charging or where the unit takes {CONTINUOUS:%} itself; or a person's own part",
    "I = part * breaker, part = {CONTINUOUS}, 1 or own",
    "NEC 210.20(A)",
    "S, M",
)


OWN_CAP = formula_rule(
    "own-bank-cap", "limits", "A person may ask for less into the bank than it bears", "I_bank <= your own figure"
)
