"""Rules of the bank: what modules do together, and what leads carry."""

from __future__ import annotations

from ...trade.rules import formula_rule

SHARE = formula_rule(
    "bank-share",
    "bank",
    "A bank's limit is set by the module that reaches its own limit first",
    "I_bank = min_i(I_i / w_i), w_i = (1/R_i) / sum(1/R_j)",
    "parallel resistances",
    "T",
)


RESISTANCE = formula_rule(
    "bank-resistance",
    "bank",
    "Modules in parallel conduct together, each with its own lead",
    "R = 1 / sum(1/(R_i + R_lead_i))",
    "parallel resistances",
    "T",
)


REPORTED = formula_rule(
    "bms-report",
    "bank",
    "The BMS reports the sum of the limits, less a buffer, rounded down to its step",
    "floor_to_step(k * sum(I_i))",
    "common practice",
    "T",
)


CAPACITY = formula_rule(
    "bank-capacity", "bank", "Capacity adds up over modules in parallel", "C = sum(C_i), E = C * V_nom", "common practice", "T"
)


LEAD = formula_rule(
    "lead-resistance",
    "bank",
    "A lead's resistance follows from its length, section and temperature, there and back",
    "R = 2 * rho * l / A * (1 + {PER_K} * (T - 20)), rho = {RHO} ohm mm2/m",
    "IEC 60028",
    "S",
)


CARRIES = formula_rule(
    "lead-ampacity",
    "limits",
    "A lead carries what its section, place and surroundings allow",
    "I = table(section, place) * sqrt(({RATED_C} - T) / ({RATED_C} - {TABLE_C})), T at least {TABLE_C} degC",
    "NEC 310.16, 310.17, 75 degC copper",
    "S, M",
)
