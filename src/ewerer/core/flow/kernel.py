"""The decision of one step and the kernel that carries it out on the bank, in plain Python.

Both stand in one file on purpose: Numba compiles the text as it stands and keeps the result for as long as the
file is unchanged. ``decide`` and ``simulate_py`` are the readable reference; :mod:`.compiled` runs the same text compiled.

Powers are watts. ``sun`` is what the array gives at the bank's side (DC); flows to loads and grid are AC, flows
into the bank are DC. The bank's limits, stages and thresholds are settled before: ``can_charge`` (DC) and
``can_discharge`` (AC) say what it takes and gives now. Every flow is zero or more, and the flows add up:

    sun            = (sun_load + sun_other + sun_grid) / eta + sun_bank + curtailed
    load           = sun_load + bank_load + mains_load + unserved
    other          = sun_other + bank_other + mains_other          (while there is a grid)

Units that are set alike are one group with a count: they do the same thing.

Bank: open-circuit voltage plus resistance, ``V = E(s) + I * R``; constant current, constant voltage, float,
charge again; heat ``I^2 * R`` into one thermal mass that leaks to the air; charge and discharge derated by
temperature. Thresholds act on volts or on charge, each with its way back.
"""

from __future__ import annotations

import math

OFF_GRID_BANK, OFF_GRID_SUN, OFF_GRID_MAINS = 0, 1, 2


FEED_IN, ESSENTIAL, ZERO_EXPORT, PEAK = 3, 4, 5, 6


SUN_ONLY, SUN_FIRST, SUN_AND_MAINS, MAINS_CHARGE_FIRST = 0, 1, 2, 3


LOADS_FIRST, BANK_FIRST = 0, 1


AUTO, CHARGE, HOLD, USE, EXPORT = 0, 1, 2, 3, 4


SUN_MIN_W = 30.0
"""Below this the sun counts as gone (common practice: what a sun charger needs to stay awake)."""


BY_SUN, BY_BANK, TRANSFERRED, MAINS_ORDER, WINDOW_CHARGE, WINDOW_HOLD, AT_TARGET, NO_SUN, OUTAGE, EMPTY, SHAVE, EXPORTING = range(
    12
)


REASONS = (
    "the sun carries the load",
    "the bank carries what the sun does not",
    "bank below its transfer point: mains carries the load",
    "mains first: mains carries the load",
    "charging window: mains carries the load and charges the bank",
    "holding window: the bank rests, mains carries the load",
    "bank at its target: mains carries the load",
    "no sun, so mains before bank",
    "mains away: sun and bank carry the essential loads",
    "the bank gives no more: load unserved",
    "above the cap: the bank shaves the peak",
    "window at full power: the bank also feeds the grid",
)
GENERATOR_REASONS = tuple(r.replace("mains", "generator") for r in REASONS)
"""The same where the AC comes from the generator."""


def decide(  # type: ignore[no-untyped-def]
    mode, charge_order, priority, sell, sun, load, other, grid, mains_cap, transferred,
    action, power, target, soc, reserve, can_charge, can_discharge, mains_charge, eta, eta_charge, export_limit, peak_cap,
):  # fmt: skip
    """Return the flows of one step and the reason.

    ``grid`` is whether mains (or generator) are there, ``transferred`` whether an off-grid unit has gone over to
    them, ``action``/``power``/``target`` the window (power and target below zero: none given), ``mains_charge``
    the most that may be charged from AC [W DC], ``mains_cap`` what the AC source gives at most [W].

    Returns (sun_load, sun_other, sun_grid, sun_bank, curtailed, bank_load, bank_other, bank_grid, mains_load,
    mains_other, mains_bank, unserved, reason).
    """
    sun_load = sun_other = sun_grid = sun_bank = 0.0
    bank_load = bank_other = bank_grid = 0.0
    mains_load = mains_other = mains_bank = 0.0
    limit = power if power >= 0.0 else 1e12
    goal = reserve
    if action == CHARGE:
        goal = target if target >= 0.0 else 1.0
    elif action != AUTO and target >= 0.0:
        goal = target
    below = soc <= goal + 1e-12
    reason = BY_SUN

    if not grid:
        # Island: essential loads only.
        sun_load = min(load, sun * eta)
        sun_bank = min(sun - sun_load / eta, can_charge)
        bank_load = min(load - sun_load, can_discharge)
        unserved = load - sun_load - bank_load
        if unserved > 1e-6:
            reason = EMPTY
        elif mode > OFF_GRID_MAINS:
            reason = OUTAGE
        elif bank_load > 1e-9:
            reason = BY_BANK
        curtailed = sun - sun_load / eta - sun_bank
        return (sun_load, 0.0, 0.0, sun_bank, curtailed, bank_load, 0.0, 0.0, 0.0, 0.0, 0.0, unserved, reason)

    if mode <= OFF_GRID_MAINS:
        charging = action == CHARGE and soc < goal
        connected = True
        if charging:
            reason = WINDOW_CHARGE
        elif action == HOLD:
            reason = WINDOW_HOLD
        elif mode == OFF_GRID_MAINS:
            reason = MAINS_ORDER
        elif mode == OFF_GRID_SUN and sun <= SUN_MIN_W:
            reason = NO_SUN
        elif transferred:
            reason = TRANSFERRED
        elif (action == USE or action == EXPORT) and below:
            reason = AT_TARGET
        else:
            connected = False
        sun_load = min(load, sun * eta)
        rest = sun - sun_load / eta
        deficit = load - sun_load
        if connected:
            mains_load = min(deficit, mains_cap)
            allowed = charging or (
                action == AUTO
                and (
                    charge_order == SUN_AND_MAINS
                    or charge_order == MAINS_CHARGE_FIRST
                    or (charge_order == SUN_FIRST and sun <= SUN_MIN_W)
                )
            )
            if charge_order == SUN_ONLY:
                allowed = False
            from_mains = min(mains_charge, (mains_cap - mains_load) * eta_charge) if allowed else 0.0
            if charging:
                from_mains = min(from_mains, limit)
            if charge_order == MAINS_CHARGE_FIRST:
                mains_bank = min(from_mains, can_charge)
                sun_bank = min(rest, can_charge - mains_bank)
            else:
                sun_bank = min(rest, can_charge)
                mains_bank = min(from_mains, can_charge - sun_bank)
            if not charging:
                bank_load = min(deficit - mains_load, can_discharge)
        else:
            sun_bank = min(rest, can_charge)
            bank_load = min(deficit, can_discharge, limit)
            mains_load = 0.0
            if bank_load > 1e-9:
                reason = BY_BANK
        unserved = deficit - mains_load - bank_load
        if unserved > 1e-6:
            reason = EMPTY
        mains_other = other
        return (
            sun_load,
            0.0,
            0.0,
            sun_bank,
            rest - sun_bank,
            bank_load,
            0.0,
            0.0,
            mains_load,
            mains_other,
            mains_bank,
            unserved,
            reason,
        )

    # Beside the grid.
    serves_other = mode != ESSENTIAL
    charging = action == CHARGE and soc < goal
    gives = not below and action != CHARGE and action != HOLD
    left = sun
    if priority == BANK_FIRST and below:
        sun_bank = min(left, can_charge)
        left -= sun_bank
    sun_load = min(load, left * eta)
    left -= sun_load / eta
    if serves_other:
        sun_other = min(other, left * eta)
        left -= sun_other / eta
    if not (priority == BANK_FIRST and below):
        sun_bank = min(left, can_charge)
        left -= sun_bank
    if mode == FEED_IN or sell:
        sun_grid = min(left * eta, export_limit)
        left -= sun_grid / eta
    need_load = load - sun_load
    need_other = other - sun_other
    if gives:
        most = min(limit, can_discharge)
        if mode == PEAK:
            over = need_load + need_other - peak_cap
            most = min(most, over if over > 0.0 else 0.0)
        bank_load = min(need_load, most)
        most -= bank_load
        if serves_other:
            bank_other = min(need_other, most)
            most -= bank_other
        if mode == FEED_IN and (action == USE or action == EXPORT) and power >= 0.0:
            room = export_limit - sun_grid
            bank_grid = min(most, room if room > 0.0 else 0.0)
    mains_load = min(need_load - bank_load, mains_cap)
    mains_other = need_other - bank_other
    if charging and charge_order != SUN_ONLY:
        free = (mains_cap - mains_load) * eta_charge
        mains_bank = min(mains_charge, limit, can_charge - sun_bank, free)
    unserved = need_load - bank_load - mains_load
    if bank_grid > 1e-9:
        reason = EXPORTING
    elif mode == PEAK and bank_load + bank_other > 1e-9:
        reason = SHAVE
    elif bank_load + bank_other > 1e-9:
        reason = BY_BANK
    elif charging:
        reason = WINDOW_CHARGE
    elif action == HOLD and mains_load > 1e-9:
        reason = WINDOW_HOLD
    elif mains_load > 1e-9:
        reason = AT_TARGET if below else MAINS_ORDER
    if unserved > 1e-6:
        reason = EMPTY
    return (
        sun_load, sun_other, sun_grid, sun_bank, left, bank_load, bank_other, bank_grid,
        mains_load, mains_other, mains_bank, unserved, reason,
    )  # fmt: skip


# Parameters of the bank and the site, as floats.
(
    P_CELLS, P_CAPACITY_AH, P_R_OHM, P_CHARGE_A, P_DISCHARGE_A, P_ABSORB_V, P_FLOAT_V, P_RECHARGE_V, P_HOLD_H, P_TAIL_A,
    P_RECHARGE_SOC, P_SHUT_V, P_RESTART_V, P_SHUT_SOC, P_RESTART_SOC, P_ETA, P_ETA_CHARGE, P_ETA_SUN, P_IDLE_W, P_RESERVE,
    P_EXPORT_W, P_PEAK_W, P_ISLAND_SOC, P_ISLAND_BACK, P_MAINS_W, P_GEN_W, P_GEN_START, P_GEN_STOP, P_GEN_MIN_H, P_GEN_WARM_H,
    P_AMBIENT_C, P_THERMAL_J_K, P_LEAK_W_K, P_START_SOC, P_SUN_CHARGE_A, P_COUNT,
) = range(36)  # fmt: skip


# Choices, as integers.
I_MODE, I_CHARGE_ORDER, I_PRIORITY, I_SELL, I_BY_SOC, I_FLOATS, I_GENERATOR, I_SKIP, I_COUNT = range(9)


# Each group of equal units.
U_COUNT, U_INVERTER_W, U_MAINS_CHARGE_W, U_TO_MAINS, U_RETURN, U_SIZE = range(6)


# What a step writes down.
SERIES = (
    "soc", "volts", "amps", "temp_c", "sun_w", "load_w", "other_w", "sun_load_w", "sun_other_w", "sun_grid_w", "sun_bank_w", "curtailed_w",
    "bank_load_w", "bank_other_w", "bank_grid_w", "mains_load_w", "mains_other_w", "mains_bank_w", "unserved_w", "reason", "on_mains", "generator",
)  # fmt: skip


# What a day adds up: energies [Wh], extremes, counts.
DAILY = (
    "sun_wh", "load_wh", "other_wh", "sun_used_wh", "curtailed_wh", "bank_in_wh", "bank_out_wh", "mains_wh", "mains_charge_wh", "export_wh",
    "generator_wh", "unserved_wh", "lowest_soc", "highest_soc", "lowest_v", "highest_v", "highest_c", "transfers", "night_transfers",
    "generator_h", "generator_starts", "fulls", "outside_h", "cost", "earned", "peak_w", "full_at_h",
    "start_soc",
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
    load,
    other,
    action,
    power,
    target,
    grid,
    quiet,
    price,
    sell_price,
    day,
    series,
    daily,
):
    """Run all steps; fill ``series`` (one row a step after those skipped, or no rows) and ``daily`` (one row a day). Return the last SOC."""
    # Taken out of the arrays once: a compiler can't know that nothing writes to them in the loop.
    absorb_v = par[P_ABSORB_V]
    ambient_c = par[P_AMBIENT_C]
    capacity = par[P_CAPACITY_AH]
    cells = par[P_CELLS]
    charge_a = par[P_CHARGE_A]
    discharge_a = par[P_DISCHARGE_A]
    eta = par[P_ETA]
    eta_charge = par[P_ETA_CHARGE]
    eta_sun = par[P_ETA_SUN]
    export_w = par[P_EXPORT_W]
    float_v = par[P_FLOAT_V]
    gen_min_h = par[P_GEN_MIN_H]
    gen_start = par[P_GEN_START]
    gen_stop = par[P_GEN_STOP]
    gen_w = par[P_GEN_W]
    gen_warm_h = par[P_GEN_WARM_H]
    hold_h = par[P_HOLD_H]
    idle_w = par[P_IDLE_W]
    island_back = par[P_ISLAND_BACK]
    island_soc = par[P_ISLAND_SOC]
    leak_w_k = par[P_LEAK_W_K]
    mains_w = par[P_MAINS_W]
    peak_w = par[P_PEAK_W]
    recharge_soc = par[P_RECHARGE_SOC]
    recharge_v = par[P_RECHARGE_V]
    reserve = par[P_RESERVE]
    restart_soc = par[P_RESTART_SOC]
    restart_v = par[P_RESTART_V]
    resistance = par[P_R_OHM]
    shut_soc = par[P_SHUT_SOC]
    shut_v = par[P_SHUT_V]
    sun_charge_a = par[P_SUN_CHARGE_A]
    tail_a = par[P_TAIL_A]
    thermal_j_k = par[P_THERMAL_J_K]
    mode = cho[I_MODE]
    charge_order = cho[I_CHARGE_ORDER]
    priority = cho[I_PRIORITY]
    sell, by_soc, floats, generator = cho[I_SELL] == 1, cho[I_BY_SOC] == 1, cho[I_FLOATS] == 1, cho[I_GENERATOR] == 1
    top = ocv.shape[0] - 1
    soc = par[P_START_SOC]
    temp = ambient_c
    volts = cells * ocv[int(soc * top)]
    amps = 0.0
    stage = 0
    held = 0.0
    shut = False
    island_off = False
    gen_on = False
    gen_time = 0.0
    # The charge levels at which the bank at rest stands at absorption and at float: charging stops there.
    level_absorb = level_float = 1.0
    for j in range(top, 0, -1):
        below = cells * ocv[j - 1]
        step = cells * ocv[j] - below
        if below <= absorb_v < below + step:
            level_absorb = (j - 1 + (absorb_v - below) / step) / top
        if below <= float_v < below + step:
            level_float = (j - 1 + (float_v - below) / step) / top
    groups = units.shape[0]
    over = 0  # a bit for each group that has gone over to mains
    total = 0.0
    for u in range(groups):
        total += units[u, U_COUNT]
    record = series.shape[0] > 0
    skip = cho[I_SKIP]
    n = sun.shape[0]
    last_day = -1
    first_k = 0
    full_at = -1.0
    w_sun = w_load = w_other = w_used = w_lost = w_in = w_out = w_mains = w_mch = w_sent = w_gen = w_dark = moves = nights = (
        gen_h
    ) = starts = fulls = beyond = cost = earned = peak = 0.0
    low_s = high_s = low_v = high_v = high_c = quarter_wh = quarter_h = 0.0
    t_top = derate_in.shape[0] - 1
    for k in range(n):
        d = day[k]
        if d != last_day:
            if last_day >= 0:
                daily[last_day, 0] = w_sun
                daily[last_day, 1] = w_load
                daily[last_day, 2] = w_other
                daily[last_day, 3] = w_used
                daily[last_day, 4] = w_lost
                daily[last_day, 5] = w_in
                daily[last_day, 6] = w_out
                daily[last_day, 7] = w_mains
                daily[last_day, 8] = w_mch
                daily[last_day, 9] = w_sent
                daily[last_day, 10] = w_gen
                daily[last_day, 11] = w_dark
                daily[last_day, 12] = low_s
                daily[last_day, 13] = high_s
                daily[last_day, 14] = low_v
                daily[last_day, 15] = high_v
                daily[last_day, 16] = high_c
                daily[last_day, 17] = moves
                daily[last_day, 18] = nights
                daily[last_day, 19] = gen_h
                daily[last_day, 20] = starts
                daily[last_day, 21] = fulls
                daily[last_day, 22] = beyond
                daily[last_day, 23] = cost
                daily[last_day, 24] = earned
                daily[last_day, 25] = peak
                daily[last_day, 26] = full_at
            daily[d, 27] = soc
            last_day = d
            first_k = k
            full_at = -1.0
            w_sun = w_load = w_other = w_used = w_lost = w_in = w_out = w_mains = w_mch = w_sent = w_gen = w_dark = moves = (
                nights
            ) = gen_h = starts = fulls = beyond = cost = earned = peak = 0.0
            low_s = high_s = soc
            low_v = high_v = volts
            high_c = temp
        # The bank as it stands.
        x = soc * top
        i = int(x)
        if i >= top:
            i = top - 1
        emf = cells * (ocv[i] + (x - i) * (ocv[i + 1] - ocv[i]))
        ti = int(temp) + 40
        ti = 0 if ti < 0 else (t_top if ti > t_top else ti)
        most_in = charge_a * derate_in[ti]
        most_out = discharge_a * derate_out[ti]
        # Thresholds with their way back.
        if by_soc:
            if shut:
                shut = soc < restart_soc
            else:
                shut = soc <= shut_soc or volts <= shut_v
        elif shut:
            shut = volts < restart_v
        else:
            shut = volts <= shut_v
        mains = grid[k] == 1
        if generator:
            level = soc if by_soc else volts
            if gen_on:
                gen_time += dt_h
                if mains or (gen_time >= gen_min_h and level >= gen_stop) or quiet[k] == 1:
                    gen_on = False
            elif not mains and quiet[k] == 0 and level <= gen_start:
                gen_on = True
                gen_time = 0.0
                starts += 1.0
        warm = gen_on and gen_time >= gen_warm_h
        source = mains or warm
        cap = mains_w if mains else (gen_w if warm else 0.0)
        if not source:
            if island_off:
                island_off = soc < island_back
            else:
                island_off = soc <= island_soc
        # Stages: constant current and voltage, float, charge again.
        wanted = absorb_v if stage == 0 else float_v
        into = (wanted - emf) / resistance
        room = ((level_absorb if stage == 0 else level_float) - soc) * capacity / dt_h
        into = room if into > room else into
        into = 0.0 if into < 0.0 else (most_in if into > most_in else into)
        # Chargers carry what the units use themselves beside what goes into the bank.
        use = 0.0 if shut or soc <= 1e-6 else idle_w
        can_charge = into * (emf + into * resistance) + use
        if stage == 1 and not floats:
            can_charge = 0.0
        out = most_out
        can_discharge = 0.0
        if not shut and not (island_off and not source) and soc > 1e-6:
            if out * resistance > emf * 0.45:
                out = emf * 0.45 / resistance
            can_discharge = (out * (emf - out * resistance) - idle_w) * eta
            if can_discharge < 0.0:
                can_discharge = 0.0
        f0 = f1 = f2 = f3 = f4 = f5 = f6 = f7 = f8 = f9 = f10 = f11 = 0.0
        reason = 0
        anywhere = 0
        sun_dc = sun[k] * eta_sun
        sun_most = sun_charge_a * volts
        wasted = 0.0
        if sun_dc > sun_most:
            wasted = sun_dc - sun_most
            sun_dc = sun_most
        for u in range(groups):
            count = units[u, U_COUNT]
            part = count / total
            level = soc if by_soc else volts
            before = over >> u & 1
            gone = before
            if before == 1:
                if level >= units[u, U_RETURN]:
                    gone = 0
            elif level <= units[u, U_TO_MAINS]:
                gone = 1
            if gen_on and not mains:
                gone = 1
            over ^= (before ^ gone) << u
            if source and gone != before:
                moves += count
                if sun[k] <= 30.0:
                    nights += count
            give = units[u, U_INVERTER_W] * count
            if can_discharge * part < give:
                give = can_discharge * part
            g = decide(  # type: ignore[no-untyped-call]
                mode, charge_order, priority, sell, sun_dc * part, load[k] * part, other[k] * part,
                source, cap * part, gone == 1, action[k], power[k] * part if power[k] >= 0.0 else -1.0, target[k], soc, reserve,
                can_charge * part, give, units[u, U_MAINS_CHARGE_W] * count, eta, eta_charge, export_w * part, peak_w * part,
            )  # fmt: skip
            f0 += g[0]
            f1 += g[1]
            f2 += g[2]
            f3 += g[3]
            f4 += g[4]
            f5 += g[5]
            f6 += g[6]
            f7 += g[7]
            f8 += g[8]
            f9 += g[9]
            f10 += g[10]
            f11 += g[11]
            reason = g[12]
            if source and gone == 1:
                anywhere = 1
        f4 += wasted
        p = f3 + f10 - (f5 + f6 + f7) / eta - use
        root = emf * emf + 4.0 * resistance * p
        amps = (math.sqrt(root if root > 0.0 else 0.0) - emf) / (2.0 * resistance)
        soc += amps * dt_h / capacity
        soc = 0.0 if soc < 0.0 else (1.0 if soc > 1.0 else soc)
        volts = emf + amps * resistance
        heat = amps * amps * resistance
        temp += (heat - leak_w_k * (temp - ambient_c)) * dt_h * 3600.0 / thermal_j_k
        if stage == 0:
            if volts >= absorb_v - 0.02:
                held += dt_h
                if held >= hold_h or (amps <= tail_a and amps >= 0.0 and f3 + f10 >= can_charge - 1.0):
                    stage = 1
                    held = 0.0
                    fulls += 1.0
                    if full_at < 0.0:
                        full_at = (k - first_k) * dt_h
            elif amps < 0.0:
                held = 0.0
        elif volts < recharge_v or soc < recharge_soc:
            stage = 0
            held = 0.0
        elif full_at < 0.0 and floats and amps >= 0.0 and volts >= float_v - 0.02:
            fulls += 1.0
            full_at = (k - first_k) * dt_h
        drawn = f8 + f9 + f10 / eta_charge
        sent = f2 + f7
        w_sun += sun[k] * dt_h
        w_load += load[k] * dt_h
        w_other += other[k] * dt_h
        w_used += (f0 + f1 + f2 + f3) * dt_h
        w_lost += f4 * dt_h
        if amps >= 0.0:
            w_in += volts * amps * dt_h
        else:
            w_out -= volts * amps * dt_h
        if mains:
            w_mains += drawn * dt_h
            w_mch += f10 / eta_charge * dt_h
            cost += drawn * dt_h * price[k] / 1000.0
            earned += sent * dt_h * sell_price[k] / 1000.0
            quarter_wh += drawn * dt_h
        elif warm:
            w_gen += drawn * dt_h
        # The highest mean of a quarter hour, as meters for a demand charge count it.
        quarter_h += dt_h
        if quarter_h >= 0.25 - 1e-9:
            if quarter_wh > peak * quarter_h:
                peak = quarter_wh / quarter_h
            quarter_wh = quarter_h = 0.0
        w_sent += sent * dt_h
        w_dark += f11 * dt_h
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
            gen_h += dt_h
        if amps > most_in + 1e-6 or -amps > most_out + 1e-6 or volts > absorb_v + 0.5:
            beyond += dt_h
        if record and k >= skip:
            series[k - skip, 0] = soc
            series[k - skip, 1] = volts
            series[k - skip, 2] = amps
            series[k - skip, 3] = temp
            series[k - skip, 4] = sun[k]
            series[k - skip, 5] = load[k]
            series[k - skip, 6] = other[k]
            series[k - skip, 7] = f0
            series[k - skip, 8] = f1
            series[k - skip, 9] = f2
            series[k - skip, 10] = f3
            series[k - skip, 11] = f4
            series[k - skip, 12] = f5
            series[k - skip, 13] = f6
            series[k - skip, 14] = f7
            series[k - skip, 15] = f8
            series[k - skip, 16] = f9
            series[k - skip, 17] = f10
            series[k - skip, 18] = f11
            series[k - skip, 19] = reason
            series[k - skip, 20] = anywhere
            series[k - skip, 21] = 1.0 if gen_on else 0.0
    if last_day >= 0:
        daily[last_day, 0] = w_sun
        daily[last_day, 1] = w_load
        daily[last_day, 2] = w_other
        daily[last_day, 3] = w_used
        daily[last_day, 4] = w_lost
        daily[last_day, 5] = w_in
        daily[last_day, 6] = w_out
        daily[last_day, 7] = w_mains
        daily[last_day, 8] = w_mch
        daily[last_day, 9] = w_sent
        daily[last_day, 10] = w_gen
        daily[last_day, 11] = w_dark
        daily[last_day, 12] = low_s
        daily[last_day, 13] = high_s
        daily[last_day, 14] = low_v
        daily[last_day, 15] = high_v
        daily[last_day, 16] = high_c
        daily[last_day, 17] = moves
        daily[last_day, 18] = nights
        daily[last_day, 19] = gen_h
        daily[last_day, 20] = starts
        daily[last_day, 21] = fulls
        daily[last_day, 22] = beyond
        daily[last_day, 23] = cost
        daily[last_day, 24] = earned
        daily[last_day, 25] = peak
        daily[last_day, 26] = full_at
    return soc
