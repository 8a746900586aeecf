"""Stage Limits: the chain of caps on charge and discharge current, and the split to units.

All currents are amperes at the bank. The lowest cap binds. Caps never raise a limit: lowering any
of them can only lower the result.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...documents.job import Job
from ...documents.results.bank import Bank
from ...documents.results.limits import Cap, Chain, Limits, UnitShare
from ...documents.results.link import Link
from ...trade.chemistries import derating
from ...trade.margins import FUSE_FACTOR, INVERTER_EFFICIENCY
from ...trade.steps import clean, counted, figure, floor_to_step
from ..bank.solve import chemistry_of, limits_without, reported_a, shared_limit_a
from ..bank.wiring import carries_a, plan_wiring
from ..solved import Module, Solved
from .ac import ac_limits, ac_parts, amp_step, design_load_w, least_a, loads_unmetered, split
from .rules import OWN_CAP


def discharge_a(power_w: float, efficiency: float, low_v: float) -> float:
    """Return the current [A] that ``power_w`` of AC load takes from the bank at ``low_v``.

    >>> round(discharge_a(5000, 0.93, 48.0), 1)
    112.0
    """
    return power_w / (efficiency * low_v)


def _worst_without_one(limits_a: Sequence[float], branches: Sequence[float]) -> float | None:
    """Return the least bank limit [A] with any one module gone; None for one module."""
    return min(limits_without(limits_a, branches)) if len(limits_a) > 1 else None


def _module_caps(job: Job, modules: Sequence[Module], bank: Bank, link: Link, out: bool) -> Iterator[Cap]:
    """Yield the caps that come from the modules themselves, in working order."""
    branches = [m.branch_ohm for m in modules]
    sheet = [m.discharge_a if out else m.charge_a for m in modules]
    total = clean(sum(sheet))
    yield Cap(
        cap="modules-sheet",
        word="Data sheet",
        a=total,
        rule="bank-capacity",
        why=f"{len(modules)} modules, sum of their data sheets",
        without_one_a=clean(total - max(sheet)),
    )
    limit, _ = shared_limit_a(sheet, branches)
    binds = bank.binding_module_discharge if out else bank.binding_module
    share = next((m.share for m in bank.modules if m.id == binds), 1.0)
    own = next((a for m, a in zip(modules, sheet, strict=True) if m.id == binds), limit)
    yield Cap(
        cap="modules-share",
        word="Shared out",
        a=round(limit, 3),
        rule="bank-share",
        why=f"{binds} carries {figure(share * 100, 1)} %: {figure(own)} A / {figure(share, 3)}"
        if binds
        else "all reach their limits together",
        without_one_a=_worst_without_one(sheet, branches),
    )
    terms = [m.discharge_warranty_a if out else m.charge_warranty_a for m in modules]
    if any(t is not None for t in terms):
        bound = [min(s, t) if t is not None else s for s, t in zip(sheet, terms, strict=True)]
        yield Cap(
            cap="warranty",
            word="Warranty",
            a=round(shared_limit_a(bound, branches)[0], 3),
            rule="warranty-limit",
            why="lower of data sheet and warranty, shared",
            without_one_a=_worst_without_one(bound, branches),
        )
    rate = job.policy.max_discharge_c_rate if out else job.policy.max_c_rate
    if rate is not None:
        least = bank.without_one.capacity_ah if bank.without_one else None
        yield Cap(
            cap="preference",
            word="Chosen rate",
            a=round(rate * bank.capacity_ah, 3),
            rule="c-rate",
            why=f"{figure(rate)} C of {figure(bank.capacity_ah)} Ah",
            without_one_a=_rounded(rate * least if least else None),
        )
    asked = None if out else job.policy.own_number("bank_charge_max_a")
    if asked is not None:
        yield Cap(cap="own", word="Your own cap on the bank", a=asked, rule=OWN_CAP.id, why="your own figure")
    ambient = job.site.bank_ambient_c
    if ambient is not None:
        part = [derating(m.discharge_derating if out else m.charge_derating, ambient) for m in modules]
        cooled = [s * f for s, f in zip(sheet, part, strict=True)]
        yield Cap(
            cap="temperature",
            word="Temperature today",
            today=True,
            a=round(shared_limit_a(cooled, branches)[0], 3),
            rule="temperature-derating",
            why=f"{figure(min(part) * 100, 0)} % allowed at {figure(ambient, 1)} °C",
            without_one_a=_worst_without_one(cooled, branches),
        )
    speaking = [m for m in modules if m.id in link.speaking]
    bms = speaking[0].bms if speaking else None
    if link.loop == "closed" and bms is not None:
        heard = [m.discharge_a if out else m.charge_a for m in speaking]
        only = f" of {', '.join(link.speaking)} alone" if link.silent else ""
        yield Cap(
            cap="bms-reported",
            word="BMS report",
            a=reported_a(heard, bms.buffer, bms.report_step_a),
            rule="bms-report",
            why=f"{figure(bms.buffer * 100, 0)} % of {figure(sum(heard))} A{only}, rounded down to {figure(bms.report_step_a)} A",
            without_one_a=reported_a(sorted(heard)[:-1], bms.buffer, bms.report_step_a) if len(heard) > 1 else None,
        )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)


def _wire_caps(job: Job) -> Iterator[Cap]:
    if job.bank.fuse_a is not None:
        yield Cap(
            cap="fuse",
            word="Main fuse",
            a=round(job.bank.fuse_a / FUSE_FACTOR, 3),
            rule="fuse-continuous",
            why=f"{figure(job.bank.fuse_a)} A / 1.25, continuous",
        )
    lead, carries = job.bank.main_lead, carries_a(job.bank.main_lead, job)
    if lead is not None and carries is not None:
        side = f"{lead.side_by_side} × " if lead.side_by_side > 1 else ""
        yield Cap(
            cap="lead",
            word="Main lead",
            a=carries,
            rule="lead-ampacity",
            why=f"{side}{figure(lead.section_mm2 or 0.0)} mm² copper {'in conduit' if job.bank.leads_place == 'conduit' else 'in free air'}",
        )
    if job.bank.cable_a is not None:
        yield Cap(cap="cable", word="Main cable", a=job.bank.cable_a, rule="chain-of-caps", why="as given")


def lasting(caps: Sequence[Cap]) -> list[Cap]:
    """Return the caps that hold on every day: without today's temperature, which no unit is set to."""
    return [c for c in caps if not c.today]


def _chain(caps: list[Cap], shares: list[UnitShare], needed: float | None, peak: float | None) -> Chain:
    kept = lasting(caps)
    lowest = min(kept, key=lambda c: c.a)
    return Chain(
        bank_a=lowest.a,
        binding=lowest.cap,
        caps=caps,
        units=shares,
        needed_a=_rounded(needed),
        needed_peak_a=_rounded(peak),
        without_one_a=min(c.without_one_a if c.without_one_a is not None else c.a for c in kept)
        if any(c.without_one_a is not None for c in kept)
        else None,
    )


def plan_limits(solved: Solved, bank: Bank) -> Limits:
    """Return both chains and the AC budget of a job whose bank, units and link are known."""
    job, modules, units, sun_chargers, link = solved.job, solved.modules, solved.units, solved.sun_chargers, solved.link
    charge_v, host = solved.charge_v, solved.host
    ratings = host.profile.ratings if host else None
    into = [*_module_caps(job, modules, bank, link, out=False), *_wire_caps(job)]
    sun_max = [c.max_a(charge_v) for c in sun_chargers]
    unit_max = [u.profile.ratings.charge_max_a for u in units]
    if units or sun_chargers:
        into.append(
            Cap(
                cap="chargers",
                word="Chargers' own limits",
                a=round(sum(unit_max) + sum(sun_max), 3),
                rule="chain-of-caps",
                why=" and ".join(counted(n, word) for n, word in ((len(units), "unit"), (len(sun_chargers), "sun charger")) if n)
                + " together",
            )
        )
    bank_in = min(c.a for c in lasting(into))
    system = solved.controller is not None
    unit_steps = [amp_step(u, "charge_max_a") for u in units]
    units_first = job.policy.charge_order == "mains-first"
    obeys = {c.charger for c in link.chargers if c.follows}
    if system:  # the controller holds the bank's current, so that no charger starves the loads
        unit_parts = [floor_to_step(top, step) for top, step in zip(unit_max, unit_steps, strict=True)]
        sun_parts = [floor_to_step(c.profile.charge_max_a, 1.0) for c in sun_chargers]
    else:
        # A charger without a setting for it gives what its plate says, so the others share what that leaves.
        set_ = [
            any(c.profile.setting_for(q) for q in ("charge_max_a", "sun_charge_max_a")) or c.job.id in obeys for c in sun_chargers
        ]
        loose = sum(a for a, can in zip(sun_max, set_, strict=True) if not can)
        held = [a for a, can in zip(sun_max, set_, strict=True) if can]
        kept = sum(least_a(u, "charge_max_a") for u in units)  # no unit can be set to less, so it is not the sun's to take
        left = max(bank_in - loose, kept if loose else 0.0)  # where that is too much together, the trial says so
        if units_first:
            unit_parts = split(left, unit_max, unit_steps) if units else []
            held = split(left - sum(unit_parts), held, [1.0] * len(held)) if held else []
        else:
            held = split(max(0.0, left - kept), held, [1.0] * len(held)) if held else []
            unit_parts = split(left - sum(held), unit_max, unit_steps) if units else []
        parts = iter(held)
        sun_parts = [next(parts) if can else floor_to_step(a, 1.0) for a, can in zip(sun_max, set_, strict=True)]
    charge_shares = [
        UnitShare(unit=u.id, a=a, own_max_a=u.profile.ratings.charge_max_a) for u, a in zip(units, unit_parts, strict=True)
    ]
    charge_shares += [
        UnitShare(unit=c.job.id, a=a, own_max_a=c.profile.charge_max_a, kind="sun-charger")
        for c, a in zip(sun_chargers, sun_parts, strict=True)
    ]

    low_v = bank.series_cells * (bank.cell_min_v + chemistry_of(modules).margins.shutdown_v)
    eta = ratings.inverter_efficiency if ratings else INVERTER_EFFICIENCY
    outof = [*_module_caps(job, modules, bank, link, out=True), *_wire_caps(job)]
    out_max = [discharge_a(u.profile.ratings.continuous_w, u.profile.ratings.inverter_efficiency, low_v) for u in units]
    if units:
        outof.append(
            Cap(
                cap="units",
                word="Units' own limits",
                a=round(sum(out_max), 3),
                rule="discharge-need",
                why=f"{figure(sum(u.profile.ratings.continuous_w for u in units))} W at {figure(low_v)} V",
            )
        )
    out_steps = [amp_step(u, "discharge_max_a") for u in units]
    bank_out = min(c.a for c in lasting(outof))
    out_parts = split(bank_out, out_max, out_steps) if units else []
    out_shares = [UnitShare(unit=u.id, a=a, own_max_a=round(top, 1)) for u, a, top in zip(units, out_parts, out_max, strict=True)]
    load_w = design_load_w(job, units)
    needed = discharge_a(load_w, eta, low_v)
    ac = ac_limits(job, bank, units, charge_v)
    peak_w = job.loads.peak_w if job.loads.peak_w is not None else load_w
    return Limits(
        charge=_chain(into, charge_shares, None, None),
        discharge=_chain(outof, out_shares, needed, discharge_a(peak_w, eta, low_v)),
        ac=ac.model_copy(update={"units": ac_parts(job, units, charge_shares, ac)}),
        wiring=plan_wiring(job, bank, needed, low_v),
        temperature_c=job.site.bank_ambient_c,
    )


def bank_gets_a(solved: Solved, charge_a: float) -> float:
    """Return what of a charging current [A] reaches the bank where DC loads that nobody measures take their part first."""
    unmetered = loads_unmetered(solved.job, solved.library)
    return max(0.0, charge_a - (solved.job.site.dc_loads_a or 0.0)) if unmetered else charge_a
