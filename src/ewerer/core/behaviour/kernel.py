"""The decision of one step and the kernel that carries it out on the bank, in plain Python.

All stand in one file on purpose: Numba compiles the text as it stands and keeps the result for as long as the
file is unchanged. The ``decide_*`` functions and ``simulate_py`` are the readable reference; :mod:`.compiled` runs
the same text compiled.

Powers are watts. ``sun`` is what the array gives at the bank's side (DC); flows to loads and grid are AC, flows
into the bank are DC. Every flow is zero or more, and the flows add up:

    sun            = (sun_load + sun_other + sun_grid) / eta + sun_bank + curtailed
    load           = sun_load + bank_load + mains_load + output_load + unserved
    other          = sun_other + bank_other + mains_other + output_other        (while there is a grid)
    output sun     = output_load + output_other + output_grid + output_bank / eta_charge + lowered

``rating`` is what the units turn into AC together: sun and bank share it, sun first. Sun above it still charges
through a charger on the DC side. An array on the output side gives AC past the units.

Units that are set alike are one group with a count: they do the same thing.

Bank: open-circuit voltage plus resistance, ``V = E(s) + I * R``; lead-acid rises as it fills (``trade/lead_acid.py``); constant current, constant voltage, float,
charge again; heat ``I^2 * R`` into one thermal mass that leaks to the air; charge and discharge derated by
temperature. Thresholds act on volts or on charge, each with its way back.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

from ..trade.lead_acid import charging_emf_v, charging_ohm, stored_exponent
from ..trade.margins import LEAD_TRICKLE

FILL_ROUNDS = 4
"""The resistance of a lead-acid bank follows the current that it lets through: so many rounds find both."""
OFF_GRID_BANK, OFF_GRID_SUN, OFF_GRID_MAINS = 0, 1, 2


FEED_IN, ESSENTIAL, ZERO_EXPORT, PEAK = 3, 4, 5, 6


SUN_ONLY, SUN_FIRST, SUN_AND_MAINS, MAINS_CHARGE_FIRST = 0, 1, 2, 3


LOADS_FIRST, BANK_FIRST = 0, 1


AUTO, CHARGE, HOLD, USE, EXPORT, FLAGGED = 0, 1, 2, 3, 4, 5
"""What a window makes of the bank. CHARGE: forced, it never discharges. FLAGGED: charges below its target, discharges above it."""


SUN_MIN_W = 30.0
"""Below this the sun counts as gone (common practice: what a sun charger needs to stay awake)."""


(
    BY_SUN, BY_BANK, TRANSFERRED, MAINS_ORDER, WINDOW_CHARGE, WINDOW_HOLD, AT_TARGET, NO_SUN, OUTAGE, EMPTY, SHAVE, EXPORTING,
    OFF, FEED_RESTS, UNDER_CAP, CHARGED, SWITCH_OFF, AT_RATING, DRAINS, NEEDS_MAINS,
) = range(20)  # fmt: skip


REASONS = (
    "the sun carries the load",
    "the bank carries what the sun does not",
    "bank below its transfer point: mains carries the load",
    "mains first: mains carries the load",
    "charging window: mains carries the load and may charge the bank",
    "holding window: mains carries the load",
    "at its target: mains carries the load",
    "no sun, so mains before bank",
    "mains away: sun and bank carry the essential loads",
    "the bank gives no more: load unserved",
    "above the cap: the bank shaves the peak",
    "window at its power: the bank also feeds the grid",
    "output off until the bank is back at its restart level",
    "feed-in outside windows: mains carries what the sun does not",
    "below the cap: mains carries the load",
    "charging window, at its target: mains carries the load",
    "windows are switched off: mains carries the load",
    "at the rating: more load than the units can carry",
    "the bank is above float: the load draws it down first",
    "sun and bank give what they may: mains carries the rest",
)
GENERATOR_REASONS = tuple(r.replace("mains", "generator") for r in REASONS)
"""The same where the AC comes from the generator."""


def decide_island(sun, load, off, can_charge, can_discharge, rating, eta, per_ac, drain, hybrid):  # type: ignore[no-untyped-def]
    """Return the flows of one step without an AC source: essential loads only, none at all while the output is ``off``.

    ``per_ac`` is 1 / eta; ``drain`` is what the bank gives before the sun does, because it stands above the chargers' volts [W AC].
    Returns (sun_load, sun_other, sun_grid, sun_bank, curtailed, bank_load, bank_other, bank_grid, mains_load,
    mains_other, mains_bank, unserved, reason).
    """
    if off:
        into = min(sun, can_charge)
        return (0.0, 0.0, 0.0, into, sun - into, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, load, OFF)
    served = min(load, rating)
    first = min(drain, served, can_discharge)
    sun_load = min(served - first, sun * eta)
    sun_bank = min(sun - sun_load * per_ac, can_charge)
    bank_load = min(served - sun_load, can_discharge)
    unserved = load - sun_load - bank_load
    reason = BY_SUN
    if unserved > 1e-6:
        reason = AT_RATING if sun_load + bank_load >= rating - 1e-6 else EMPTY
    elif hybrid:
        reason = OUTAGE
    elif first > 1e-9 and sun > SUN_MIN_W:
        reason = DRAINS
    elif bank_load > 1e-9:
        reason = BY_BANK
    return (
        sun_load, 0.0, 0.0, sun_bank, sun - sun_load * per_ac - sun_bank, bank_load, 0.0, 0.0, 0.0, 0.0, 0.0, unserved, reason
    )  # fmt: skip


def decide_off_grid(  # type: ignore[no-untyped-def]
    mode, charge_order, sun, load, other, cap, transferred, action, power, below, done, rests, can_charge, can_discharge, rating,
    mains_charge, eta, per_ac, eta_charge, drain, assist,
):  # fmt: skip
    """Return the flows of one step of an off-grid unit while an AC source is there; flows as :func:`decide_island`.

    ``cap`` is what the source gives for hours [W], all loads counted; charging gives way to loads. ``assist``: the
    bank helps a source that is too small, else the source is overloaded. ``below``, ``done``: the window's target is
    reached from above, from below; ``rests``: windows are switched off and the unit then never uses the bank.
    """
    limit = power if power >= 0.0 else 1e12
    charging = (action == CHARGE or action == FLAGGED) and not done
    connected = True
    reason = BY_SUN
    if charging:
        reason = WINDOW_CHARGE
    elif action == HOLD:
        reason = WINDOW_HOLD
    elif action == CHARGE:
        reason = CHARGED
    elif mode == OFF_GRID_MAINS:
        reason = MAINS_ORDER
    elif mode == OFF_GRID_SUN and sun <= SUN_MIN_W:
        reason = NO_SUN
    elif transferred:
        reason = TRANSFERRED
    elif action != AUTO and below:
        reason = AT_TARGET
    elif rests:
        reason = SWITCH_OFF
    else:
        connected = False
    served = min(load, rating)
    first = 0.0 if connected else min(drain, served, can_discharge, limit)
    sun_load = min(served - first, sun * eta)
    rest = sun - sun_load * per_ac
    bank_load = mains_load = mains_bank = unserved = 0.0
    if connected:
        need = load - sun_load
        mains_load = need
        room = cap - other if cap > other else 0.0
        if assist and need > room:
            bank_load = min(need - room, can_discharge, rating - sun_load)
            mains_load = need - bank_load
        allowed = charging or (
            action == AUTO
            and (
                charge_order == SUN_AND_MAINS
                or charge_order == MAINS_CHARGE_FIRST
                or (charge_order == SUN_FIRST and sun <= SUN_MIN_W)
            )
        )
        if charge_order == SUN_ONLY or bank_load > 0.0:
            allowed = False
        free = cap - mains_load - other
        from_mains = min(mains_charge, free * eta_charge) if allowed and free > 0.0 else 0.0
        if charging:
            from_mains = min(from_mains, limit)
        if charge_order == MAINS_CHARGE_FIRST:
            mains_bank = min(from_mains, can_charge)
            sun_bank = min(rest, can_charge - mains_bank)
        else:
            sun_bank = min(rest, can_charge)
            mains_bank = min(from_mains, can_charge - sun_bank)
    else:
        sun_bank = min(rest, can_charge)
        bank_load = min(served - sun_load, can_discharge, limit)
        unserved = load - sun_load - bank_load
        if unserved > 1e-6:
            reason = AT_RATING if sun_load + bank_load >= rating - 1e-6 else EMPTY
        elif first > 1e-9 and sun > SUN_MIN_W:
            reason = DRAINS
        elif bank_load > 1e-9:
            reason = BY_BANK
    return (
        sun_load, 0.0, 0.0, sun_bank, rest - sun_bank, bank_load, 0.0, 0.0, mains_load, other, mains_bank, unserved, reason
    )  # fmt: skip


def decide_grid(  # type: ignore[no-untyped-def]
    mode, charge_order, priority, sell, sun, load, other, cap, action, power, below, done, rests, can_charge, can_discharge, rating,
    mains_charge, eta, per_ac, eta_charge, export_limit, peak_cap,
):  # fmt: skip
    """Return the flows of one step of a hybrid unit beside the grid; flows as :func:`decide_island`.

    ``below``: at or below the window's target or the least charge on the grid; ``done``: a charging window has reached its
    target. The rest as :func:`decide_off_grid`.
    """
    limit = power if power >= 0.0 else 1e12
    charging = (action == CHARGE or action == FLAGGED) and not done
    used = action == USE or action == EXPORT or (action == FLAGGED and done)
    gives = (used or (action == AUTO and mode != FEED_IN)) and not below and not rests
    # The priority acts at or below a target, and in feed-in outside windows; elsewhere loads come first.
    first = priority == BANK_FIRST and mode != PEAK and (below or charging or action == HOLD or (mode == FEED_IN and not used))
    left = sun
    sun_bank = sun_other = sun_grid = 0.0
    bank_other = bank_grid = mains_bank = 0.0
    if first:
        sun_bank = min(left, can_charge)
        left -= sun_bank
    room = rating
    sun_load = min(load, left * eta, room)
    left -= sun_load * per_ac
    room -= sun_load
    # What the bank may not be charged from meanwhile: feed-in while it gives.
    feeding = mode == FEED_IN and gives
    serves_other = mode != ESSENTIAL
    if not first and not feeding and (mode == FEED_IN or mode == ESSENTIAL):
        sun_bank = min(left, can_charge)
        left -= sun_bank
    if serves_other or sell:
        sun_other = min(other, left * eta, room)
        left -= sun_other * per_ac
        room -= sun_other
    if not first and (mode == ZERO_EXPORT or mode == PEAK):
        sun_bank = min(left, can_charge)
        left -= sun_bank
    if mode == FEED_IN or sell:
        sun_grid = min(left * eta, export_limit, room)
        left -= sun_grid * per_ac
        room -= sun_grid
    if feeding:
        # Sun that the AC side can't take still charges.
        sun_bank = min(left, can_charge)
        left -= sun_bank
    need_load = load - sun_load
    need_other = other - sun_other
    bank_load = 0.0
    if gives:
        most = min(limit, can_discharge, room)
        if mode == PEAK:
            above = need_load + need_other - peak_cap
            most = min(most, above if above > 0.0 else 0.0)
        bank_load = min(need_load, most)
        most -= bank_load
        if serves_other:
            bank_other = min(need_other, most)
            most -= bank_other
        if feeding and power >= 0.0:
            export_room = export_limit - sun_grid
            bank_grid = min(most, export_room if export_room > 0.0 else 0.0)
    mains_load = need_load - bank_load
    mains_other = need_other - bank_other
    if charging and charge_order != SUN_ONLY:
        free = (min(cap, peak_cap) if mode == PEAK else cap) - mains_load - mains_other
        mains_bank = min(mains_charge, limit, can_charge - sun_bank, free * eta_charge if free > 0.0 else 0.0)
        mains_bank = mains_bank if mains_bank > 0.0 else 0.0
    reason = BY_SUN
    if bank_grid > 1e-9:
        reason = EXPORTING
    elif mode == PEAK and bank_load + bank_other > 1e-9:
        reason = SHAVE
    elif charging:
        reason = WINDOW_CHARGE
    elif bank_load + bank_other > 1e-9 and mains_load <= 1e-9:
        reason = BY_BANK
    elif mains_load > 1e-9 or (serves_other and mains_other > 1e-9):
        if action == HOLD:
            reason = WINDOW_HOLD
        elif action == CHARGE:
            reason = CHARGED
        elif below:
            reason = AT_TARGET
        elif rests:
            reason = SWITCH_OFF
        elif mode == FEED_IN and not gives:
            reason = FEED_RESTS
        elif mode == PEAK:
            reason = UNDER_CAP
        else:
            reason = NEEDS_MAINS
    return (
        sun_load, sun_other, sun_grid, sun_bank, left, bank_load, bank_other, bank_grid, mains_load, mains_other, mains_bank, 0.0, reason
    )  # fmt: skip


class Figures(NamedTuple):
    """Figures of the bank, the site and the units together. Levels are volts or charge (0..1), as the units decide."""

    cells: float
    """cells in series"""
    capacity_ah: float
    """capacity [Ah]"""
    r_ohm: float
    """resistance of bank and leads [ohm]"""
    charge_a: float
    """into the bank at most [A]"""
    discharge_a: float
    """out of the bank at most [A]"""
    absorb_v: float
    """volts of absorption"""
    float_v: float
    """volts of float"""
    recharge_v: float
    """charging begins again below these volts"""
    hold_h: float
    """hold at absorption [h]"""
    tail_a: float
    """the hold ends below this current [A]; 0 where it does not"""
    recharge_soc: float
    """charging begins again below this charge"""
    shut_v: float
    """the output goes off at these volts"""
    restart_v: float
    """and comes back at these"""
    shut_soc: float
    """the output goes off at this charge"""
    restart_soc: float
    """and comes back at this"""
    eta: float
    """from the bank to AC"""
    eta_charge: float
    """from AC to the bank"""
    eta_sun: float
    """from the array to the bank"""
    idle_w: float
    """what the units use themselves [W]"""
    reserve: float
    """least charge on the grid"""
    export_w: float
    """export at most [W]"""
    peak_w: float
    """cap of the grid [W]"""
    island_soc: float
    """least charge in an outage"""
    island_back: float
    """and where the output comes back"""
    mains_w: float
    """what the mains give for hours [W]"""
    gen_w: float
    """what the generator gives [W]"""
    gen_start: float
    """the generator starts at this level"""
    gen_stop: float
    """and stops at this"""
    gen_min_h: float
    """it runs at least [h]"""
    gen_warm_h: float
    """before it is loaded [h]"""
    ambient_c: float
    """air around [°C]"""
    thermal_j_k: float
    """heat capacity [J/K]"""
    leak_w_k: float
    """heat that leaves [W/K]"""
    start_soc: float
    """charge at the start"""
    sun_charge_a: float
    """sun chargers give at most [A]"""
    breaker_w: float
    """breaker of the mains [W]"""
    off_v: float
    """hard stop [V]"""
    dc_load_a: float
    """loads on the DC side [A]"""
    full_days: float
    """days between full charges"""
    full_v: float
    """volts of the full charge"""
    full_h: float
    """hold of the full charge [h]"""
    end_soc: float
    """charge that ends absorption"""
    ac_start: float
    """charging from AC begins at this level"""
    ac_stop: float
    """and ends at this"""
    output_charge_w: float
    """what an array on the output side may put into the bank [W]"""
    to_soc: float
    """charging ends at this charge"""
    c10_ah: float
    """lead-acid: capacity at ten hours [Ah]; 0 for other cells, whose volts do not rise with the charge that is missing"""
    lead_ohm: float
    """lead-acid: resistance of the leads alone [ohm]"""
    rated_a: float
    """current that the capacity is rated at [A]; 0 where the rate does not matter"""
    peukert: float
    """exponent of Peukert, less one"""


class Choices(NamedTuple):
    """What the units were told to do, and how a run is told."""

    mode: int
    """mode, or source order"""
    charge_order: int
    """what may charge"""
    priority: int
    """loads or bank first"""
    sell: bool
    """surplus is sold"""
    by_soc: bool
    """decides by charge, else by volts"""
    floats: bool
    """a float stage follows"""
    generator: bool
    """there is a generator that is started"""
    skip: int
    """steps that are not told"""
    rests: bool
    """without windows it never uses the bank"""
    assist: bool
    """the bank helps a source that is too small"""
    target_v: bool
    """targets are volts"""
    per_row: int
    """steps told as one"""
    parts: int
    """parts a step is cut into"""
    by_hand: bool
    """a person starts the generator: where the unit warns, and where the output is off"""
    daily_bulk: bool
    """a new bulk begins every day"""


class Groups(NamedTuple):
    """Units that are set alike, a place each in every array: how many, and what each of them gives and goes by."""

    count: Any
    inverter_w: Any
    mains_charge_w: Any
    to_mains: Any
    back: Any
    """level at which the bank carries the loads again"""


def filling(soc, amps, temp, emf, cells, c10_ah, lead_ohm):  # type: ignore[no-untyped-def]
    """Return what a lead-acid bank that is charged stands at [V] and its resistance [ohm]; at a trickle it stands near its rest, ``emf``."""
    part = amps / (LEAD_TRICKLE * c10_ah)
    part = 1.0 if part > 1.0 else part
    stands = emf + (cells * charging_emf_v(soc) - emf) * part
    return stands, cells * charging_ohm(soc, amps, c10_ah, temp) + lead_ohm


def fills(wanted, soc, temp, emf, cells, c10_ah, lead_ohm, most_in):  # type: ignore[no-untyped-def]
    """Return what a lead-acid bank takes at the chargers' volts [A], and what it stands at then [V, ohm]."""
    into = most_in
    stands, ohm = filling(soc, into, temp, emf, cells, c10_ah, lead_ohm)  # type: ignore[no-untyped-call]
    for _ in range(FILL_ROUNDS):
        into = (wanted - stands) / ohm
        into = 0.0 if into < 0.0 else (most_in if into > most_in else into)
        stands, ohm = filling(soc, into, temp, emf, cells, c10_ah, lead_ohm)  # type: ignore[no-untyped-call]
    return into, stands, ohm


def acceptance(wanted, emf, rest_a, space_a, conductance, most_in):  # type: ignore[no-untyped-def]
    """Return what goes into the bank at the chargers' volts [A], and what it gives because it stands above them [W].

    ``rest_a`` brings the bank to rest there within the step, ``space_a`` to the charge at which charging ends.
    """
    into = (wanted - emf) * conductance
    back = 0.0
    if into < 0.0:
        # The bank stands above the chargers' volts: it gives until it has come down to them.
        into = rest_a if rest_a > into else into
        back = -into * wanted if into < 0.0 else 0.0
        into = 0.0
    elif into > rest_a:
        into = rest_a if rest_a > 0.0 else 0.0
    space = space_a if space_a > 0.0 else 0.0
    into = space if into > space else into
    return (most_in if into > most_in else into), back


def gives(most_a, emf, resistance, use, eta):  # type: ignore[no-untyped-def]
    """Return what the bank may give to AC [W] at so many amps, what the units use themselves taken off."""
    if most_a <= 0.0:
        return 0.0
    if most_a * resistance > emf * 0.45:
        most_a = emf * 0.45 / resistance
    watts = (most_a * (emf - most_a * resistance) - use) * eta
    return watts if watts > 0.0 else 0.0


def window_leaves(act, goal, soc, volts, target_v, hit):  # type: ignore[no-untyped-def]
    """Return whether a window's target is reached from above and from below, the charge that stays, and whether volts have touched it.

    ``goal`` is a charge, or volts where ``target_v``; below 0 there is none. ``hit`` holds while the window lasts.
    """
    floor = 0.0
    below = done = False
    if act != AUTO:
        if target_v and goal >= 0.0:
            if act == CHARGE or act == FLAGGED:
                hit = hit or volts >= goal
                done = below = hit
            else:
                hit = hit or volts <= goal
                below = hit
        elif act == CHARGE or act == FLAGGED:
            done = goal >= 0.0 and soc >= goal - 1e-12
            if act == FLAGGED and done:
                below = soc <= goal + 1e-12
                floor = goal
            elif act == CHARGE and goal < 0.0:
                done = soc >= 1.0 - 1e-12
        elif goal >= 0.0:
            below = soc <= goal + 1e-12
            floor = goal
    return below, done, floor, hit


def gone_over(gone, level, to_mains, back):  # type: ignore[no-untyped-def]
    """Return whether a unit's loads are carried by another source: from its transfer point until its return."""
    return level < back if gone else level <= to_mains


def meet(  # type: ignore[no-untyped-def]
    mode, charge_order, priority, sell, rests, assist, eta, per_ac, eta_charge, export_w, peak_w, gone, shut, off, mains,
    source, act, power, below, done, can_charge, can_discharge, rating, mains_charge, ac_on, sun, need, beside, cap, drain,
):  # fmt: skip
    """Return the twelve flows of units that are set alike [W] as :func:`decide_island`, the reason, and whether they take AC.

    ``below``, ``done``: the window's target is reached from above, from below; ``ac_on``: charging from AC is not held back.
    """
    hybrid = mode > OFF_GRID_MAINS
    charge = mains_charge if ac_on or (hybrid and mains and act != AUTO) or (hybrid and not mains) else 0.0
    if hybrid and source and mains:
        g = decide_grid(  # type: ignore[no-untyped-call]
            mode, charge_order, priority, sell, sun, need, beside, cap, act, power, below, done, rests, can_charge,
            can_discharge, rating, charge, eta, per_ac, eta_charge, export_w, peak_w,
        )  # fmt: skip
        return g[0], g[1], g[2], g[3], g[4], g[5], g[6], g[7], g[8], g[9], g[10], g[11], g[12], 1
    if hybrid and source:
        g = decide_off_grid(  # type: ignore[no-untyped-call]
            OFF_GRID_BANK, charge_order, sun, need, 0.0, cap, True, AUTO, -1.0, False, False, False, can_charge, can_discharge, rating, charge,
            eta, per_ac, eta_charge, 0.0, assist,
        )  # fmt: skip
        return g[0], g[1], g[2], g[3], g[4], g[5], g[6], g[7], g[8], g[9], g[10], g[11], g[12], 0
    if not source:
        g = decide_island(sun, need, off, can_charge, can_discharge, rating, eta, per_ac, drain, hybrid)  # type: ignore[no-untyped-call]
        return g[0], 0.0, 0.0, g[3], g[4], g[5], 0.0, 0.0, 0.0, 0.0, 0.0, g[11], g[12], 0
    act = act if mains else AUTO
    rests = rests and mains
    g = decide_off_grid(  # type: ignore[no-untyped-call]
        mode, charge_order, sun, need, beside, cap, gone or shut, act, power, below, done, rests, can_charge, can_discharge, rating, charge, eta, per_ac,
        eta_charge, drain, assist,
    )  # fmt: skip
    return g[0], 0.0, 0.0, g[3], g[4], g[5], 0.0, 0.0, g[8], g[9], g[10], g[11], g[12], 1 if gone else 0


def past_the_units(left, beside_grid, mode, sell, sent, taken, given, other, can_charge, eta_charge, export_w, most_w):  # type: ignore[no-untyped-def]
    """Return what an array on the output side gives to other loads, the grid and the bank beyond the loads on the output [W].

    ``sent``, ``taken``, ``given``: what the units export already, what goes into the bank, and what the bank gives.
    """
    to_other = to_grid = to_bank = 0.0
    if beside_grid and (mode != ESSENTIAL or sell):
        to_other = min(left, other)
        left -= to_other
    free = can_charge - taken
    if free > 0.0 and given <= 1e-9:
        to_bank = min(left * eta_charge, free, most_w)
        left -= to_bank / eta_charge
    if beside_grid and (mode == FEED_IN or sell):
        export_room = export_w - sent
        to_grid = min(left, export_room if export_room > 0.0 else 0.0)
    return to_other, to_grid, to_bank


# What a step writes down.
SERIES = (
    "soc", "volts", "amps", "temp_c", "sun_w", "load_w", "other_w", "sun_load_w", "sun_other_w", "sun_grid_w", "sun_bank_w", "curtailed_w",
    "bank_load_w", "bank_other_w", "bank_grid_w", "mains_load_w", "mains_other_w", "mains_bank_w", "unserved_w", "output_sun_w",
    "output_load_w", "output_other_w", "output_grid_w", "output_bank_w", "reason", "on_mains", "generator", "overload",
)  # fmt: skip


# What a day adds up: energies [Wh], extremes, counts.
DAILY = (
    "sun_wh", "load_wh", "other_wh", "sun_used_wh", "curtailed_wh", "bank_in_wh", "bank_out_wh", "mains_wh", "mains_charge_wh", "export_wh",
    "generator_wh", "unserved_wh", "lowest_soc", "highest_soc", "lowest_v", "highest_v", "highest_c", "transfers", "night_transfers",
    "generator_h", "generator_starts", "fulls", "outside_h", "cost", "earned", "peak_w", "full_at_h",
    "start_soc", "overload_h", "off_h",
)  # fmt: skip


# What a run keeps so that another goes on where it ended; the first says whether there is anything to go on from.
KEPT = (
    "begun", "soc", "temp_c", "volts", "amps", "stage", "held_h", "since_full_h", "periodic", "shut", "dead", "island_off", "gen_on",
    "ac_on", "gen_time_h", "hit", "last_action", "last_target", "over",
)  # fmt: skip


def simulate_py(  # type: ignore[no-untyped-def]
    par,
    cho,
    units,
    ocv,
    derate_in,
    derate_out,
    dt_h,
    sun,
    output_sun,
    load,
    other,
    action,
    power,
    target,
    grid,
    quiet,
    price,
    sell_price,
    begins,
    series,
    daily,
    kept,
):
    """Run all steps; fill ``series`` (a row for so many steps after those skipped, or no rows) and ``daily`` (a row a day;
    its first three columns, which do not depend on the run, are filled before).

    ``begins`` are the steps at which days begin, and the last step's number after all. Each step is cut into
    so many parts as the bank's size asks for. ``kept`` (a place for each of ``KEPT``) says where the run begins when it was
    filled by one before, and is filled at the end. Returns the last SOC.
    """
    # Taken out of the arrays once: a compiler can't know that nothing writes to them in the loop.
    absorb_set = par.absorb_v
    ac_start = par.ac_start
    ac_stop = par.ac_stop
    ambient_c = par.ambient_c
    breaker_w = par.breaker_w
    capacity = par.capacity_ah
    cells = par.cells
    charge_a = par.charge_a
    dc_load_a = par.dc_load_a
    discharge_a = par.discharge_a
    end_soc = par.end_soc
    eta = par.eta
    eta_charge = par.eta_charge
    eta_sun = par.eta_sun
    export_w = par.export_w
    float_v = par.float_v
    full_h = par.full_h
    full_v = par.full_v
    full_every_h = par.full_days * 24.0
    gen_min_h = par.gen_min_h
    gen_start = par.gen_start
    gen_stop = par.gen_stop
    gen_w = par.gen_w
    gen_warm_h = par.gen_warm_h
    hold_set = par.hold_h
    idle_w = par.idle_w
    island_back = par.island_back
    island_soc = par.island_soc
    leak_w_k = par.leak_w_k
    mains_w = par.mains_w
    off_v = par.off_v
    output_charge_w = par.output_charge_w
    recharge_soc = par.recharge_soc
    recharge_v = par.recharge_v
    reserve = par.reserve
    restart_soc = par.restart_soc
    restart_v = par.restart_v
    resistance = par.r_ohm
    shut_soc = par.shut_soc
    shut_v = par.shut_v
    sun_charge_a = par.sun_charge_a
    tail_a = par.tail_a
    thermal_j_k = par.thermal_j_k
    to_soc = par.to_soc
    c10_ah, lead_ohm, rated_a, peukert = par.c10_ah, par.lead_ohm, par.rated_a, par.peukert
    acid = c10_ah > 0.0
    mode, charge_order, priority = cho.mode, cho.charge_order, cho.priority
    rests, assist, peak_w = cho.rests, cho.assist, par.peak_w
    sell, by_soc, floats, generator = cho.sell, cho.by_soc, cho.floats, cho.generator
    target_v, daily_bulk, by_hand = cho.target_v, cho.daily_bulk, cho.by_hand
    per_row, parts = cho.per_row, cho.parts
    hybrid = mode > OFF_GRID_MAINS
    top = ocv.shape[0] - 1
    t_top = derate_in.shape[0] - 1
    soc = par.start_soc
    temp = ambient_c
    volts = cells * ocv[int(soc * top)]
    amps = 0.0
    stage = 0
    held = 0.0
    since_full = 0.0
    periodic = False
    shut = False
    dead = False
    island_off = False
    gen_on = False
    ac_on = True
    gen_time = 0.0
    hit = False
    last_action = 0
    last_target = -1.0
    over = 0  # a bit for each group that has gone over to mains
    if kept[0] == 1.0:
        soc, temp, volts, amps = kept[1], kept[2], kept[3], kept[4]
        stage, held, since_full, periodic = int(kept[5]), kept[6], kept[7], kept[8] == 1.0
        shut, dead, island_off = kept[9] == 1.0, kept[10] == 1.0, kept[11] == 1.0
        gen_on, ac_on, gen_time = kept[12] == 1.0, kept[13] == 1.0, kept[14]
        hit, last_action, last_target, over = kept[15] == 1.0, int(kept[16]), kept[17], int(kept[18])
    # The charge levels at which the bank at rest stands at absorption and at float: charging stops there.
    level_absorb = level_float = level_full = 1.0
    for j in range(top, 0, -1):
        low = cells * ocv[j - 1]
        step = cells * ocv[j] - low
        if low <= absorb_set < low + step:
            level_absorb = (j - 1 + (absorb_set - low) / step) / top
        if low <= float_v < low + step:
            level_float = (j - 1 + (float_v - low) / step) / top
        if low <= full_v < low + step:
            level_full = (j - 1 + (full_v - low) / step) / top
    count, inverter_w, charge_w, to_mains, back_at = units.count, units.inverter_w, units.mains_charge_w, units.to_mains, units.back
    groups = count.shape[0]
    everyone = (1 << groups) - 1
    rating = counted = mains_charge = 0.0
    for u in range(groups):
        rating += count[u] * inverter_w[u]
        mains_charge += count[u] * charge_w[u]
        counted += count[u]
    per_rating = 1.0 / rating if rating > 0.0 else 0.0
    record = series.shape[0] > 0
    skip = cho.skip
    dt = dt_h / parts
    # Divisions take long and stand in the way of the next step: done once.
    per_ac, per_charge, conductance = 1.0 / eta, 1.0 / eta_charge, 1.0 / resistance
    per_step, per_amp, warming = capacity / dt, dt / capacity, dt * 3600.0 / thermal_j_k
    weight = 1.0 / (parts * per_row)
    quarter_wh = quarter_h = 0.0
    days = begins.shape[0] - 1
    for d in range(days):
        w_used = w_lost = w_in = w_out = w_mains = w_mch = w_sent = w_gen = w_dark = moves = nights = gen_h = starts = fulls = (
            beyond
        ) = cost = earned = peak = over_h = off_h = 0.0
        full_at = -1.0
        daily[d, 27] = low_s = high_s = soc
        low_v = high_v = volts
        high_c = temp
        first_k = begins[d]
        if daily_bulk:
            stage = 0
        for k in range(first_k, begins[d + 1]):
            mains = grid[k] == 1
            act = action[k]
            goal = target[k]
            if act != last_action or goal != last_target:
                hit = False
                last_action = act
                last_target = goal
            for _ in range(parts):
                # The bank as it stands.
                x = soc * top
                i = int(x)
                if i >= top:
                    i = top - 1
                emf = cells * (ocv[i] + (x - i) * (ocv[i + 1] - ocv[i]))
                # What the meters read now: the current of the step before at the charge it led to.
                volts = emf + amps * resistance
                if acid and amps > 0.0:
                    stands, ohm = filling(soc, amps, temp, emf, cells, c10_ah, lead_ohm)  # type: ignore[no-untyped-call]
                    volts = stands + amps * ohm
                ti = int(temp) + 40
                ti = 0 if ti < 0 else (t_top if ti > t_top else ti)
                most_in = charge_a * derate_in[ti]
                most_out = discharge_a * derate_out[ti]
                level = soc if by_soc else volts
                # Thresholds with their way back.
                if by_soc:
                    if shut:
                        shut = soc < restart_soc or volts <= shut_v
                    else:
                        shut = soc <= shut_soc or volts <= shut_v
                elif shut:
                    shut = volts < restart_v
                else:
                    shut = volts <= shut_v
                if shut:
                    if volts <= off_v or soc <= 1e-9:
                        dead = True
                else:
                    dead = False
                if generator:
                    if gen_on:
                        gen_time += dt
                        filled = by_hand and acid and stage == 1
                        if mains or (gen_time >= gen_min_h and (level >= gen_stop or filled)) or quiet[k] == 1:
                            gen_on = False
                    elif not mains and quiet[k] == 0 and (level <= gen_start or (by_hand and shut)):
                        gen_on = True
                        gen_time = 0.0
                        starts += 1.0
                warm = gen_on and gen_time >= gen_warm_h
                source = mains or warm
                cap = mains_w if mains else (gen_w if warm else 0.0)
                if source:
                    island_off = False
                elif island_off:
                    island_off = level < island_back
                else:
                    island_off = level <= island_soc
                if ac_on:
                    ac_on = level < ac_stop
                else:
                    ac_on = level <= ac_start
                # Stages: constant current and voltage, float, charge again.
                absorb_v = full_v if periodic else absorb_set
                wanted = absorb_v if stage == 0 else float_v
                # No more than brings the bank to rest there within the step.
                rest = ((level_full if periodic else level_absorb) if stage == 0 else level_float) - soc
                into, back = acceptance(wanted, emf, rest * per_step, (to_soc - soc) * per_step, conductance, most_in)  # type: ignore[no-untyped-call]
                stands, ohm = emf, resistance
                if acid and into > 0.0:
                    into, stands, ohm = fills(wanted, soc, temp, emf, cells, c10_ah, lead_ohm, into)  # type: ignore[no-untyped-call]
                # Chargers carry what the units use themselves and the loads on the DC side beside what goes into the bank.
                use = 0.0 if dead or soc <= 1e-9 else idle_w + dc_load_a * volts
                can_charge = into * (stands + into * ohm) + (use - back if use > back else 0.0)
                drain = (back - use) * eta if back > use and not hybrid else 0.0
                if stage == 1 and not floats:
                    can_charge = 0.0
                    drain = 0.0 if hybrid else 1e12
                below, done, floor, hit = window_leaves(act, goal, soc, volts, target_v, hit)  # type: ignore[no-untyped-call]
                if hybrid and mains:
                    if by_soc:
                        below = below or soc <= reserve + 1e-12
                        floor = reserve if reserve > floor else floor
                    if over & 1 == 1:
                        below = True
                off = shut or (island_off and not source and hybrid)
                holds = (soc - (floor if mains and hybrid else 0.0)) * per_step
                can_discharge = 0.0 if off else gives(most_out if most_out < holds else holds, emf, resistance, use, eta)  # type: ignore[no-untyped-call]
                sun_dc = sun[k] * eta_sun
                sun_most = sun_charge_a * volts
                wasted = 0.0
                if sun_dc > sun_most:
                    wasted = sun_dc - sun_most
                    sun_dc = sun_most
                need = load[k]
                beside = other[k] if mains else 0.0
                given = output_sun[k]
                g0 = 0.0
                if given > 0.0 and (source or not off):
                    g0 = min(need, given)
                    need -= g0
                # Who has gone over to another source, and who comes back; the host's points hold for all beside the grid.
                if hybrid and source:
                    before = over
                    over = 1 if gone_over(over == 1, level, to_mains[0], back_at[0]) else 0  # type: ignore[no-untyped-call]
                    if before != over:
                        moves += counted
                        if sun[k] <= 30.0:
                            nights += counted
                else:
                    for u in range(groups):
                        before = over >> u & 1
                        now = 1 if gone_over(before == 1, level, to_mains[u], back_at[u]) or (gen_on and not mains) else 0  # type: ignore[no-untyped-call]
                        if now != before:
                            over ^= 1 << u
                            if source:
                                moves += count[u]
                                if sun[k] <= 30.0:
                                    nights += count[u]
                if hybrid or not source or over == 0 or over == everyone:
                    # All do the same: decided once, for their ratings together.
                    f0, f1, f2, f3, f4, f5, f6, f7, f8, f9, f10, f11, reason, anywhere = meet(  # type: ignore[no-untyped-call]
                        mode, charge_order, priority, sell, rests, assist, eta, per_ac, eta_charge, export_w, peak_w, over != 0, shut, off, mains,
                        source, act, power[k], below, done, can_charge, can_discharge, rating, mains_charge, ac_on, sun_dc, need, beside, cap, drain,
                    )  # fmt: skip
                else:
                    f0 = f1 = f2 = f3 = f4 = f5 = f6 = f7 = f8 = f9 = f10 = f11 = 0.0
                    anywhere = 1
                    for u in range(groups):
                        most = inverter_w[u] * count[u]
                        part = most * per_rating
                        g = meet(  # type: ignore[no-untyped-call]
                            mode, charge_order, priority, sell, rests, assist, eta, per_ac, eta_charge, export_w, peak_w, over >> u & 1 == 1, shut, off,
                            mains, source, act, power[k] * part if power[k] >= 0.0 else -1.0, below, done, can_charge * part, can_discharge * part, most,
                            charge_w[u] * count[u], ac_on, sun_dc * part, need * part, beside * part, cap * part, drain * part,
                        )  # fmt: skip
                        f0 += g[0]
                        f3 += g[3]
                        f4 += g[4]
                        f5 += g[5]
                        f8 += g[8]
                        f9 += g[9]
                        f10 += g[10]
                        f11 += g[11]
                        reason = g[12]
                g1 = g2 = g3 = 0.0
                if given > g0 and (source or not off):
                    g1, g2, g3 = past_the_units(given - g0, mains and hybrid, mode, sell, f2 + f7, f3 + f10, f5 + f6 + f7, f9, can_charge, eta_charge, export_w, output_charge_w)  # type: ignore[no-untyped-call]  # fmt: skip
                    f9 -= g1
                f4 += wasted
                p = f3 + f10 + g3 - (f5 + f6 + f7) * per_ac - use
                if acid and p > 0.0:
                    if f3 + f10 + g3 < can_charge - 1.0:  # less than it would take: at less current it stands otherwise
                        stands, ohm = filling(soc, p / emf, temp, emf, cells, c10_ah, lead_ohm)  # type: ignore[no-untyped-call]
                    amps = (math.sqrt(stands * stands + 4.0 * ohm * p) - stands) / (2.0 * ohm)
                    soc += amps * per_amp * (1.0 - math.exp(stored_exponent(soc, amps, c10_ah)))
                    volts = stands + amps * ohm
                    heat = amps * amps * ohm
                else:
                    root = emf * emf + 4.0 * resistance * p
                    amps = (math.sqrt(root if root > 0.0 else 0.0) - emf) * (0.5 * conductance)
                    # Drawn faster than it is rated for, a lead-acid bank loses more than its ampere-hours.
                    soc += amps * per_amp * ((-amps / rated_a) ** peukert if acid and -amps > rated_a else 1.0)
                    volts = emf + amps * resistance
                    heat = amps * amps * resistance
                soc = 0.0 if soc < 0.0 else (1.0 if soc > 1.0 else soc)
                temp += (heat - leak_w_k * (temp - ambient_c)) * warming
                since_full += dt
                if stage == 0:
                    if volts >= absorb_v - 0.02:
                        held += dt
                        if (
                            held >= (full_h if periodic else hold_set)
                            or (tail_a > 0.0 and amps <= tail_a and amps >= 0.0 and f3 + f10 + g3 >= can_charge - 1.0)
                            or soc >= end_soc
                        ):
                            stage = 1
                            held = 0.0
                            fulls += 1.0
                            since_full = 0.0
                            periodic = False
                            if full_at < 0.0:
                                full_at = (k + 1 - first_k) * dt_h
                    elif amps < 0.0:
                        held = 0.0
                elif volts < recharge_v or soc < recharge_soc:
                    stage = 0
                    held = 0.0
                elif since_full >= full_every_h:
                    stage = 0
                    held = 0.0
                    periodic = True
                drawn = f8 + f9 + f10 * per_charge
                sent = f2 + f7 + g2
                overload = 0
                if source and f8 + f9 > (breaker_w if mains else gen_w) + 1e-6:
                    overload = 1
                    over_h += dt
                w_used += (f0 + f1 + f2 + f3 + g0 + g1 + g2 + g3) * dt
                w_lost += (f4 + given - g0 - g1 - g2 - g3 / eta_charge) * dt
                if amps >= 0.0:
                    w_in += volts * amps * dt
                else:
                    w_out -= volts * amps * dt
                if mains:
                    w_mains += drawn * dt
                    w_mch += f10 * per_charge * dt
                    cost += drawn * dt * price[k] / 1000.0
                    earned += sent * dt * sell_price[k] / 1000.0
                    quarter_wh += drawn * dt
                elif warm:
                    w_gen += drawn * dt
                # The highest mean of a quarter hour, as meters for a demand charge count it.
                quarter_h += dt
                if quarter_h >= 0.25 - 1e-9:
                    if quarter_wh > peak * quarter_h:
                        peak = quarter_wh / quarter_h
                    quarter_wh = quarter_h = 0.0
                w_sent += sent * dt
                w_dark += f11 * dt
                if off and not source:
                    off_h += dt
                if soc < low_s:
                    low_s = soc
                if soc > high_s:
                    high_s = soc
                if volts < low_v:
                    low_v = volts
                if volts > high_v:
                    high_v = volts
                if temp > high_c:
                    high_c = temp
                if gen_on:
                    gen_h += dt
                if amps > most_in + 1e-6 or -amps > most_out + 1e-6 or volts > absorb_v + 0.5:
                    beyond += dt
                if record and k >= skip:
                    r = (k - skip) // per_row
                    series[r, 0] = soc
                    series[r, 1] = volts
                    series[r, 2] += amps * weight
                    series[r, 3] = temp
                    series[r, 4] += sun[k] * weight
                    series[r, 5] += load[k] * weight
                    series[r, 6] += other[k] * weight
                    series[r, 7] += f0 * weight
                    series[r, 8] += f1 * weight
                    series[r, 9] += f2 * weight
                    series[r, 10] += f3 * weight
                    series[r, 11] += f4 * weight
                    series[r, 12] += f5 * weight
                    series[r, 13] += f6 * weight
                    series[r, 14] += f7 * weight
                    series[r, 15] += f8 * weight
                    series[r, 16] += f9 * weight
                    series[r, 17] += f10 * weight
                    series[r, 18] += f11 * weight
                    series[r, 19] += given * weight
                    series[r, 20] += g0 * weight
                    series[r, 21] += g1 * weight
                    series[r, 22] += g2 * weight
                    series[r, 23] += g3 * weight
                    series[r, 24] = reason
                    series[r, 25] = anywhere
                    series[r, 26] = 1.0 if gen_on else series[r, 26]
                    series[r, 27] = 1.0 if overload == 1 else series[r, 27]
        daily[d, 3] = w_used
        daily[d, 4] = w_lost
        daily[d, 5] = w_in
        daily[d, 6] = w_out
        daily[d, 7] = w_mains
        daily[d, 8] = w_mch
        daily[d, 9] = w_sent
        daily[d, 10] = w_gen
        daily[d, 11] = w_dark
        daily[d, 12] = low_s
        daily[d, 13] = high_s
        daily[d, 14] = low_v
        daily[d, 15] = high_v
        daily[d, 16] = high_c
        daily[d, 17] = moves
        daily[d, 18] = nights
        daily[d, 19] = gen_h
        daily[d, 20] = starts
        daily[d, 21] = fulls
        daily[d, 22] = beyond
        daily[d, 23] = cost
        daily[d, 24] = earned
        daily[d, 25] = peak
        daily[d, 26] = full_at
        daily[d, 28] = over_h
        daily[d, 29] = off_h
    kept[0], kept[1], kept[2], kept[3], kept[4] = 1.0, soc, temp, volts, amps
    kept[5], kept[6], kept[7], kept[8] = stage, held, since_full, 1.0 if periodic else 0.0
    kept[9], kept[10], kept[11] = 1.0 if shut else 0.0, 1.0 if dead else 0.0, 1.0 if island_off else 0.0
    kept[12], kept[13], kept[14] = 1.0 if gen_on else 0.0, 1.0 if ac_on else 0.0, gen_time
    kept[15], kept[16], kept[17], kept[18] = 1.0 if hit else 0.0, last_action, last_target, over
    return soc
