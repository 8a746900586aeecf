"""What a unit's entries make it do in a situation: the simulation's own decisions, asked one at a time, without a run."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from ..devices.slots.forms import rules_of, sayable, slots_day
from ..devices.slots.week import AUTO, DAY, HOLD, Day, What, covers, intent_days, time_of, year_parts
from ..documents.results.windows import Slot
from ..stages.bank.solve import chemistry_of
from ..stages.sheet.slotrows import target_v
from ..stages.solved import Solved, Unit
from ..trade.chemistries import Chemistry, ocv_v, soc_at
from ..trade.margins import ALARM_SOC_GAP, RECHARGE_SOC, SOC_STEP, SUN_ABOVE_RATING
from . import kernel as K
from .reading import ACTIONS, Levels, Reads, Source, charging_sources, entered_slots, levels_of, parameters, reads

NONE, GRID, ENGINE = "none", "grid", "generator"
ENOUGH = 1e9
"""What is not a matter in a single moment: energy in and out of the bank within a step."""


class Moment(NamedTuple):
    """What the windows make of a time of day: read off the entries, and what the job means; where it is the first such one."""

    action: int
    target: float
    power: float
    wants: What
    told: bool
    """the difference between the two is one that this form of slots can't avoid, and is told by the windows"""
    start: int
    end: int
    season: str

    @property
    def at(self) -> str:
        """The middle of the stretch, as ``HH:MM``."""
        return time_of((self.start + self.end) // 2)


class Situation(NamedTuple):
    """One thing that is asked: charge and volts at rest, what sun and loads are, which source is there, when, gone over or not."""

    soc: float
    volts: float
    sun_w: float
    load_w: float
    other_w: float
    source: str
    moment: Moment
    over: bool


class Flows(NamedTuple):
    """What flows [W]: as the simulation names it; ``shut`` where the output is off."""

    sun_load: float
    sun_other: float
    sun_grid: float
    sun_bank: float
    curtailed: float
    bank_load: float
    bank_other: float
    bank_grid: float
    mains_load: float
    mains_other: float
    mains_bank: float
    unserved: float
    reason: int
    shut: bool

    @property
    def bank_w(self) -> float:
        """Into the bank, out of it with a minus."""
        return self.sun_bank + self.mains_bank - self.bank_load - self.bank_other - self.bank_grid

    @property
    def grid_w(self) -> float:
        """From the source, to it with a minus."""
        return self.mains_load + self.mains_other + self.mains_bank - self.sun_grid - self.bank_grid


@dataclass(frozen=True, slots=True)
class System:
    """Everything that decides: figures and choices as the simulation takes them, each unit's levels, the chargers, the day."""

    solved: Solved
    host: Unit
    par: K.Figures
    cho: K.Choices
    rating: float
    mains_charge: float
    to_mains: float
    back: float
    held: dict[str, Reads]
    levels: dict[str, Levels]
    sources: list[Source]
    moments: list[Moment]
    chemistry: Chemistry
    unknown: list[str]


def system_of(solved: Solved, as_found: bool = False) -> System | None:
    """Return what decides by the entries of all sheets, or by what was found; None while there is no bank, unit or ladder."""
    host = solved.host
    if solved.bank is None or solved.limits is None or solved.ladder is None or solved.basis is None or host is None:
        return None
    unknown: list[str] = []
    held = {d.id: reads(d, solved, as_found) for d in solved.devices}
    par, cho, groups = parameters(solved, as_found, unknown, held)
    # Of what was found only units that were looked at are compared.
    judged = [u for u in solved.units if not as_found or solved.job.as_found.get(u.id)] or list(solved.units)
    levels = {u.id: levels_of(u, held[u.id], solved, cho.by_soc, lambda _: None) for u in judged}
    form = host.profile.slots
    moments = list(_moments(solved, host, held[host.id].flag("windows_on", True), as_found))
    target_v_ = form is not None and form.target == "volts" and any(m.target > 1 for m in moments)
    return System(
        solved=solved, host=host, par=par, cho=cho._replace(target_v=target_v_),
        rating=sum(float(c) * float(w) for c, w in zip(groups.count, groups.inverter_w, strict=True)),
        mains_charge=sum(float(c) * float(w) for c, w in zip(groups.count, groups.mains_charge_w, strict=True)),
        to_mains=float(groups.to_mains[0]), back=float(groups.back[0]), held=held, levels=levels, sources=charging_sources(solved, held),
        moments=moments, chemistry=chemistry_of(solved.modules), unknown=unknown,
    )  # fmt: skip


def _moments(solved: Solved, host: Unit, switched: bool, as_found: bool) -> Iterator[Moment]:
    """Yield each pair of what the entries say and what is meant once, over all days and seasons."""
    job, form = solved.job, host.profile.slots
    mine = next((w for w in solved.windows.units if w.unit == host.id), None)
    parts: list[tuple[str, list[Day], Sequence[Slot] | None]] = []
    today = job.flow.start[5:]
    year = year_parts(job.windows, job.seasons)
    if year:
        for k, p in enumerate(year):
            planned = mine.year[k].slots if mine is not None else None
            read = (
                entered_slots(host, solved, as_found, None if covers(p.first, p.last, today) else planned)
                if form is not None
                else None
            )
            meant = intent_days([job.windows[i] for i in p.windows])
            parts.append((f"{p.first} to {p.last}", meant, planned if read is None else read))
    else:
        read = entered_slots(host, solved, as_found) if form is not None else None
        planned = mine.slots if mine is not None else None
        parts.append(("", intent_days(job.windows), planned if read is None else read))
    seen: set[tuple[object, ...]] = set()
    for season, meant, slots in parts:
        acts = form is not None and slots is not None and switched
        gets = _read_day(slots or [], host, solved) if acts else ((0, DAY, (K.AUTO, -1.0, -1.0)),)
        said = slots_day(mine.slots, form) if form is not None and mine is not None and not season else None
        for day in sayable(meant, form) if form is not None else meant:
            for a, b, want, (action, target, power) in _both(day, gets):
                told = form is None or (said is not None and any(x < b and a < y and w != want for x, y, w in said))
                key = (action, target, power, want, told)
                if key not in seen:
                    seen.add(key)
                    yield Moment(action, target, power, want, told, a, b, season)


def _both(
    day: Day, gets: Sequence[tuple[int, int, tuple[int, float, float]]]
) -> Iterator[tuple[int, int, What, tuple[int, float, float]]]:
    """Yield the stretches of a day in which both what is meant and what is read stay the same."""
    for a, b, want in day:
        for x, y, got in gets:
            if a < y and x < b:
                yield max(a, x), min(b, y), want, got


def _read_day(slots: Sequence[Slot], host: Unit, solved: Solved) -> list[tuple[int, int, tuple[int, float, float]]]:
    """Return the stretches of any day as action, target (charge or volts) and power of the kernel. As :func:`slot_day` in minutes."""
    form = host.profile.slots
    assert form is not None
    volts = (
        {w: target_v(s, host, solved) for s, w in rules_of(form).paint(slots) if w not in (AUTO, HOLD)}
        if form.target == "volts"
        else {}
    )
    out = []
    for a, b, what in slots_day(slots, form):
        action = ACTIONS[what.action]
        if form.form == "six" and action == K.CHARGE:
            action = K.FLAGGED
        target = what.target if form.target != "volts" else (-1.0 if (v := volts.get(what)) is None else v)
        out.append((a, b, (action, target, what.power)))
    return out


def asker(system: System) -> Callable[[Situation], Flows]:
    """Return what says what flows in a situation, by the decisions that the simulation takes, from a bank at rest that charges in bulk.

    A target in volts is compared with the volts under what then flows, as a unit's own meter reads them.
    """
    par, cho = system.par, system.cho
    mode, order, priority, sell, rests, assist, by_soc, target_v = (
        cho.mode,
        cho.charge_order,
        cho.priority,
        cho.sell,
        cho.rests,
        cho.assist,
        cho.by_soc,
        cho.target_v,
    )
    hybrid = mode > K.OFF_GRID_MAINS
    ohm, eta, eta_charge, per_ac, conductance = par.r_ohm, par.eta, par.eta_charge, 1.0 / par.eta, 1.0 / par.r_ohm
    eta_sun, sun_a, export_w, peak_w, reserve, island = (
        par.eta_sun,
        par.sun_charge_a,
        par.export_w,
        par.peak_w,
        par.reserve,
        par.island_soc,
    )
    rating, mains_charge, mains_w, gen_w, ac_start = system.rating, system.mains_charge, par.mains_w, par.gen_w, par.ac_start
    meet, leaves = K.meet, K.window_leaves
    levels: dict[tuple[float, float], tuple[float, float, bool]] = {}

    def level_of(soc: float, volts: float) -> tuple[float, float, bool]:
        """Return what the bank takes and gives at a level [W], and whether the output is off there."""
        shut = (soc <= par.shut_soc or volts <= par.shut_v) if by_soc else volts <= par.shut_v
        space = ENOUGH if soc < par.to_soc - 1e-12 else 0.0
        into, back = K.acceptance(par.absorb_v, volts, ENOUGH, space, conductance, par.charge_a)  # type: ignore[no-untyped-call]
        stands, own_ohm = volts, ohm
        if par.c10_ah > 0 and into > 0:
            into, stands, own_ohm = K.fills(par.absorb_v, soc, par.ambient_c, volts, par.cells, par.c10_ah, par.lead_ohm, into)  # type: ignore[no-untyped-call]
        dead = soc <= 1e-9 or (shut and volts <= par.off_v)
        use = 0.0 if dead else par.idle_w + par.dc_load_a * volts
        levels[soc, volts] = found = (
            into * (stands + into * own_ohm) + max(0.0, use - back),
            K.gives(par.discharge_a, volts, ohm, use, eta),  # type: ignore[no-untyped-call]
            shut,
        )
        return found

    def ask(s: Situation, read_v: float) -> Flows:
        soc, volts, sun_w, load_w, other_w, there, m, over = s
        can_charge, can_give, shut = levels.get((soc, volts)) or level_of(soc, volts)
        mains, source = there == GRID, there != NONE
        level = soc if by_soc else volts
        off = shut or (hybrid and not source and level <= island)
        act, power = (m.action, m.power) if mains else (K.AUTO, -1.0)
        below, done, _, _ = leaves(m.action, m.target, soc, read_v, target_v, False)  # type: ignore[no-untyped-call]
        if hybrid and mains:
            below = below or over or (by_soc and soc <= reserve + 1e-12)
        sun = sun_w * eta_sun
        sun = sun if sun < sun_a * volts else sun_a * volts
        f = meet(  # type: ignore[no-untyped-call]
            mode, order, priority, sell, rests, assist, eta, per_ac, eta_charge, export_w, peak_w, over or (there == ENGINE and not hybrid), shut, off,
            mains, source, act, power, below, done, can_charge, 0.0 if off else can_give, rating, mains_charge, level <= ac_start, sun, load_w,
            other_w if mains else 0.0, mains_w if mains else gen_w if source else 0.0, 0.0,
        )  # fmt: skip
        return Flows._make((*f[:13], off))

    def answer(s: Situation) -> Flows:
        flows = ask(s, s[1])
        if target_v and s.moment.target >= 0 and s.source == GRID:
            amps, stands, own_ohm = flows.bank_w / s.volts, s.volts, ohm
            if par.c10_ah > 0 and amps > 0:
                stands, own_ohm = K.filling(s.soc, amps, par.ambient_c, s.volts, par.cells, par.c10_ah, par.lead_ohm)  # type: ignore[no-untyped-call]
            return ask(s, stands + amps * own_ohm)
        return flows

    return answer


def situations(system: System) -> Iterator[Situation]:
    """Yield every situation that can matter: around each threshold and target, with and without sun, loads and sources, each moment."""
    solved, cho = system.solved, system.cho
    job, bank = solved.job, solved.bank
    assert bank is not None
    design = min(system.rating, job.loads.continuous_w or (job.loads.daily_wh or 0.0) / 24 or system.rating / 4)
    light = design / 4
    other = (job.loads.other_daily_wh or 0.0) / 24
    days = [(0.0, light), (0.0, design)]
    if "sun" in job.site.sources:
        days += [
            (design / 2, design),
            (2 * design + other, design),
            (max(SUN_ABOVE_RATING * system.rating, 2 * design + other + 1), design),
        ]
    there = [NONE]
    if "mains" in job.site.sources and job.mains is not None:
        there.append(GRID)
    if "generator" in job.site.sources and job.generator is not None:
        there.append(ENGINE)
    idle = Moment(K.AUTO, -1.0, -1.0, AUTO, False, 0, DAY, "")
    base = list(_levels(system, None))
    for source in there:
        for moment in system.moments if source == GRID else [idle]:
            points = base if source != GRID or moment.target < 0 else sorted({*base, *_levels(system, moment)})
            for soc, volts in points:
                level = soc if cho.by_soc else volts
                overs = {level <= system.to_mains}
                if source != NONE and system.to_mains < level < system.back:
                    overs = {False, True}
                for over in overs:
                    for sun, load in days:
                        yield Situation(soc, volts, sun, load, other, source, moment, over)


def _levels(system: System, moment: Moment | None) -> Iterator[tuple[float, float]]:
    """Yield charge and volts at rest just below and just above every level that matters."""
    par, cho, bank = system.par, system.cho, system.solved.bank
    assert bank is not None
    n = par.cells
    if cho.by_soc:
        marks = [
            x
            for v in system.levels.values()
            for x in (v.shut_soc, v.restart_soc, v.alarm, v.to_mains, v.back, v.gen_start, v.gen_stop)
        ]
        marks += [par.reserve, par.island_soc, par.island_back, par.to_soc, ALARM_SOC_GAP, RECHARGE_SOC, 0.5]
        marks += [moment.target] if moment is not None and not cho.target_v else []
        for soc in sorted(
            {round(min(1.0, max(0.0, m + d)), 4) for m in marks if 0 <= m <= 1 for d in (-SOC_STEP / 2, SOC_STEP / 2)}
        ):
            yield soc, n * ocv_v(system.chemistry, soc)
        return
    marks = [
        x for v in system.levels.values() for x in (v.shut_v, v.restart_v, v.alarm, v.to_mains, v.back, v.gen_start, v.gen_stop)
    ]
    marks += [n * ocv_v(system.chemistry, 0.5), par.absorb_v]
    if moment is not None:
        marks += [moment.target] if cho.target_v else [n * ocv_v(system.chemistry, moment.target)]
    low, top = n * bank.cell_min_v - 1, n * bank.cell_max_v
    for volts in sorted({round(m + d, 3) for m in marks if low <= m <= top for d in (-n * SOC_STEP / 2, n * SOC_STEP / 2)}):
        yield soc_at(system.chemistry, volts / n), volts
