"""The plant of a job: bank with its modules, units, sun, loads, grid, generator, stepped by the simulation's own kernel second by second.

The kernel decides and moves the bank; what stands here is what it does not know: each module's share, charge, temperature and
cells, what the BMS reports of them, how the source's volts and hertz sag, and what sensors get wrong.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from ..core.behaviour import kernel as K
from ..core.behaviour.compiled import simulate
from ..core.behaviour.reading import charging_sources, reads
from ..core.devices.library import Library
from ..core.documents.job import Job
from ..core.flow.scenario import Scenario, build
from ..core.stages.pipeline import solve
from ..core.stages.solved import Module, Solved
from ..core.trade.chemistries import derating
from ..core.trade.margins import SILENCE_S, USUAL_AMBIENT_C

DAYS = 8
"""Days of sun, loads and windows that are known; then they begin again."""
DAY_S = 86_400
AT = {name: i for i, name in enumerate(K.SERIES)}
SUM = {name: i for i, name in enumerate(K.DAILY)}
STAGE, SOC, TEMP, VOLTS, AMPS, GEN_ON = (K.KEPT.index(n) for n in ("stage", "soc", "temp_c", "volts", "amps", "gen_on"))
RAMP_FROM_SOC = 0.985
"""Near full a BMS lowers its limit step by step (common practice); down to a tenth."""
LEAST_RAMP = 0.1
DROOP_HZ, DROOP_V = 0.04, 0.05
"""What a generator loses in hertz and volts from idle to its full load, as parts (common practice)."""
INRUSH, INRUSH_S = 5.0, 3
"""A motor draws so many times its running current when it starts (common practice: 5 to 7)."""


@dataclass(slots=True)
class ModuleState:
    """One module as it stands: charge (0..1), amps (into it positive), degC, volts; cells above and below the mean [V]; switches."""

    made: Module
    soc: float
    spread_v: float
    warmer_k: float
    amps: float = 0.0
    temp_c: float = USUAL_AMBIENT_C
    connected: bool = True
    charging: bool = True
    discharging: bool = True
    high_v: float = 0.0
    """how far one cell stands above the others [V]"""

    @property
    def id(self) -> str:
        """The module's name."""
        return self.made.id


@dataclass(slots=True)
class Trouble:
    """What is wrong with the plant: figures that the faults set; each as it is where nothing is wrong."""

    heard: bool = True
    """the units hear the BMS"""
    counted: int | None = None
    """modules that the host knows of; None for all"""
    forced: bool = False
    """the BMS asks for a forced charge, and the unit's firmware then gives nothing"""
    hold_part: float = 1.0
    """part of the hold that the timer waits"""
    eaten_a: float = 0.0
    """amps of the cap that DC loads take"""
    sun_on_sensor_k: float = 0.0
    """degrees that the sun adds to the bank's sensor"""
    shunt: float = 1.0
    """what the unit's current sensor makes of the current"""
    zero_a: float = 0.0
    meter: float = 1.0
    """what the meter at the grid makes of it: -1 reversed, 0 on another phase"""
    clock_min: int = 0
    """minutes that the clock is ahead"""
    sags: bool = False
    """the generator carries less than it says"""
    fuse: bool = True
    """the bank's fuse is whole"""
    ambient_c: float | None = None
    inrush_w: float = 0.0
    """a motor on the output [W]"""


@dataclass(slots=True)
class Report:
    """What the BMS says: volts, amps, charge (0..1), degC, asked volts, both limits [A], cells, modules."""

    volts: float = 0.0
    amps: float = 0.0
    soc: float = 0.0
    temp_c: float = 0.0
    charge_v: float = 0.0
    charge_a: float = 0.0
    discharge_a: float = 0.0
    stop_v: float = 0.0
    cell_high_v: float = 0.0
    cell_low_v: float = 0.0
    modules: int = 0
    charging: int = 0
    discharging: int = 0
    forced: bool = False
    high_module: int = 0
    low_module: int = 0


@dataclass(slots=True)
class Flow:
    """The watts of the last second, and what the source stands at."""

    load_w: float = 0.0
    sun_w: float = 0.0
    sun_used_w: float = 0.0
    mains_w: float = 0.0
    export_w: float = 0.0
    mains_bank_w: float = 0.0
    on_source: bool = False
    output_on: bool = True
    generator: bool = False
    ac_v: float = 0.0
    ac_hz: float = 0.0


@dataclass(slots=True)
class _Made:
    """What was made of the job and of what the devices show."""

    solved: Solved
    scene: Scenario
    follows: bool
    open_a: float
    loss: str
    stop_c: float
    cold_c: float


class Plant:
    """A job's plant. ``shown`` is what every device with a menu shows, by device and setting; it may change at any time."""

    def __init__(self, job: Job, library: Library, shown: Mapping[str, Mapping[str, str]], seed: int = 1) -> None:
        self.job, self.library, self.seed = job, library, seed
        self.trouble = Trouble()
        self.t = 0
        """seconds since the first midnight"""
        self.kept = np.zeros(len(K.KEPT))
        self.totals = np.zeros(len(K.DAILY))
        self.random = np.random.default_rng(seed)
        self.made = self._made(shown)
        self.modules = self._modules()
        self.report = Report()
        self.flow = Flow()
        self.silent_s = 0.0
        self.counted_soc = float(self.made.scene.par.start_soc)
        """charge as the unit counts it with its own sensor"""
        self._series, self._daily = np.zeros((0, len(K.SERIES))), np.zeros((1, len(K.DAILY)))
        self.step(1)

    def _made(self, shown: Mapping[str, Mapping[str, str]]) -> _Made:
        found = {d: dict(held) for d, held in shown.items() if held}
        job = self.job.model_copy(update={"as_found": found})
        solved = solve(job, self.library)
        scene = build(job, self.library, DAYS, 60, as_found=True)
        scene.cho = scene.cho._replace(skip=0, parts=1, per_row=1)
        held = {d.id: reads(d, solved, as_found=True) for d in solved.devices}
        sources = charging_sources(solved, held)
        assert solved.host is not None
        mine = held[solved.host.id]
        return _Made(
            solved=solved,
            scene=scene,
            follows=solved.link.loop == "closed",
            open_a=sum(s.a for s in sources),
            loss=mine.word("link_loss_action", "stop"),
            stop_c=mine.number("temp_stop_c", 1e9),
            cold_c=mine.number("low_temp_stop_c", -1e9),
        )

    def settings_changed(self, shown: Mapping[str, Mapping[str, str]]) -> None:
        """Go on with what the devices show now."""
        self.made = self._made(shown)

    def _modules(self) -> list[ModuleState]:
        made = self.made.solved.modules
        soc = float(self.made.scene.par.start_soc)
        spread = self.random.uniform(0.004, 0.012, len(made))
        warmer = self.random.uniform(-0.6, 0.8, len(made))
        return [ModuleState(m, soc, float(spread[i]), float(warmer[i])) for i, m in enumerate(made)]

    # What the bank's modules are together.

    @property
    def together(self) -> list[ModuleState]:
        """Modules that are on the busbar while the fuse is whole."""
        return [m for m in self.modules if m.connected] if self.trouble.fuse else []

    @property
    def silence_s(self) -> float:
        """How long the units hear nothing before the link counts as lost [s]."""
        return self.made.solved.link.silence_s or SILENCE_S

    def _resting_v(self, soc: float) -> float:
        ocv = self.made.scene.ocv
        return float(self.made.scene.par.cells * np.interp(soc, np.linspace(0, 1, len(ocv)), ocv))

    def _shares(self, seconds: float, amps: float) -> float:
        """Share the bank's current among its modules by their resistances; return the bank's volts at their terminals."""
        bank = self.together
        if not bank:
            for m in self.modules:
                m.amps = 0.0
            return 0.0
        part = [1000.0 / (m.made.resistance_mohm + m.made.lead_mohm) for m in bank]
        rest = [self._resting_v(m.soc) for m in bank]
        volts = (amps + sum(e * g for e, g in zip(rest, part, strict=True))) / sum(part)
        for m, e, g in zip(bank, rest, part, strict=True):
            own = (volts - e) * g
            m.amps = 0.0 if (own > 0 and not m.charging) or (own < 0 and not m.discharging) else own
            m.soc = min(1.0, max(0.0, m.soc + m.amps * seconds / 3600 / m.made.capacity_ah))
        # The kernel's charge is the bank's; modules differ from it, and not more.
        soc, ah = float(self.kept[SOC]), sum(m.made.capacity_ah for m in bank)
        off = soc - sum(m.soc * m.made.capacity_ah for m in bank) / ah
        for m in bank:
            m.soc = min(1.0, max(0.0, m.soc + off))
            m.temp_c = float(self.kept[TEMP]) + m.warmer_k
        for m in self.modules:
            if m not in bank:
                m.amps = 0.0
        return volts

    def cells(self, m: ModuleState) -> tuple[float, float]:
        """Return the highest and the lowest cell of a module [V]; near full the fullest runs away."""
        n = m.made.series_cells
        mean = (self._resting_v(m.soc) + m.amps * m.made.resistance_mohm / 1000) / n
        near = max(0.0, m.soc - 0.9) / 0.1
        apart = m.spread_v * (1 + 2 * near * near)
        return mean + apart / 2 + m.high_v * (0.4 + 0.6 * near), mean - apart / 2

    def limit_of(self, m: ModuleState, *, charge: bool) -> float:
        """Return what a module allows now [A]: its data sheet, less what its temperature and its fullest cell take off."""
        made = m.made
        if not m.connected or not (m.charging if charge else m.discharging):
            return 0.0
        at = m.temp_c if self.trouble.ambient_c is None else self.trouble.ambient_c
        amps = (made.charge_a if charge else made.discharge_a) * derating(
            made.charge_derating if charge else made.discharge_derating, at
        )
        if not charge:
            return amps
        high, _ = self.cells(m)
        if high > made.cell_max_v:
            return 0.0
        full = max(0.0, m.soc - RAMP_FROM_SOC) / (1 - RAMP_FROM_SOC)
        return amps * max(LEAST_RAMP, 1 - full * (1 - LEAST_RAMP))

    def _told(self, volts: float) -> Report:
        """Return what the host module says of those that it knows of. Limits: floor to the step of buffer times the sum."""
        known = [m for m in self.modules if m.connected]
        known = known[: self.trouble.counted] if self.trouble.counted is not None else known
        if not known:
            return Report()
        link = self.made.solved.link
        first = known[0].made
        bms = first.bms
        step, buffer = (bms.report_step_a, bms.buffer) if bms else (1.0, 1.0)

        def summed(*, charge: bool) -> float:
            return math.floor(sum(self.limit_of(m, charge=charge) for m in known) * buffer / step + 1e-9) * step

        cells = [self.cells(m) for m in known]
        high, low = max(range(len(known)), key=lambda i: cells[i][0]), min(range(len(known)), key=lambda i: cells[i][1])
        asked = next((d.charge_v for d in link.displays if d.case == "all"), None) or first.series_cells * first.cell_max_v
        ah = sum(m.made.capacity_ah for m in known)
        return Report(
            volts=volts or self._resting_v(known[0].soc),
            amps=sum(m.amps for m in known),
            soc=sum(m.soc * m.made.capacity_ah for m in known) / ah,
            temp_c=sum(m.temp_c for m in known) / len(known) if self.trouble.ambient_c is None else self.trouble.ambient_c,
            charge_v=asked,
            charge_a=summed(charge=True),
            discharge_a=summed(charge=False),
            stop_v=first.series_cells * first.cell_min_v,
            cell_high_v=cells[high][0],
            cell_low_v=cells[low][1],
            modules=len(known),
            charging=sum(m.charging for m in known),
            discharging=sum(m.discharging for m in known),
            forced=self.trouble.forced,
            high_module=high + 1,
            low_module=low + 1,
        )

    # What the kernel is told.

    def _figures(self) -> K.Figures:
        """Return the kernel's figures as things stand: what the BMS allows, what faults take away."""
        made, t = self.made, self.trouble
        par, bank = made.scene.par, self.together
        into, out = float(par.charge_a), float(par.discharge_a)
        if not bank:
            into = out = 0.0
        elif made.follows and not t.heard and self.silent_s > self.silence_s:
            into, out = (0.0, 0.0) if made.loss == "stop" else (made.open_a, out)
        elif made.follows and t.heard:
            into, out = min(into, self.report.charge_a), min(out, self.report.discharge_a)
            if t.forced:
                out = 0.0
        else:
            into = min(into, sum(self.limit_of(m, charge=True) for m in bank)) if t.counted is None else into
        shown_c = self.report.temp_c + self.sun_on_sensor_k
        if shown_c >= made.stop_c or self.report.temp_c <= made.cold_c:
            into = 0.0
        into = max(0.0, into - t.eaten_a)
        whole = sum(m.made.capacity_ah for m in self.modules)
        part = sum(m.made.capacity_ah for m in bank) / whole if whole else 1.0
        ambient = par.ambient_c if t.ambient_c is None else t.ambient_c
        return par._replace(
            charge_a=into,
            discharge_a=out,
            capacity_ah=par.capacity_ah * max(part, 1e-3),
            r_ohm=par.r_ohm / max(part, 0.05),
            hold_h=par.hold_h * t.hold_part,
            ambient_c=ambient,
            gen_w=par.gen_w * (0.5 if t.sags else 1.0),
        )

    @property
    def sun_on_sensor_k(self) -> float:
        """What the sun adds to the bank's sensor now [K]."""
        most = self.trouble.sun_on_sensor_k
        if not most:
            return 0.0
        plate = sum(c.array_w or 0 for c in self.job.sun.chargers) + sum(u.array_w or 0 for u in self.job.units)
        return most * min(1.0, self.flow.sun_w / (0.5 * plate)) if plate else most

    def step(self, seconds: int) -> None:
        """Go on for so many seconds."""
        self.report = self._told(self.report.volts)  # what was changed by hand meanwhile counts at once
        left = seconds
        while left > 0:
            now = self.t % (DAYS * DAY_S)
            k = min(now // 60, len(self.made.scene.sun) - 1)
            part = min(left, 60 - now % 60)
            if self.trouble.inrush_w and now % 600 < INRUSH_S:
                part = 1
            if now % DAY_S == 0 and self.made.scene.cho.daily_bulk:
                self.kept[STAGE] = 0
            self._advance(k, part)
            left -= part

    def _advance(self, k: int, seconds: int) -> None:
        scene, t = self.made.scene, self.trouble
        n = len(scene.action)
        windows = (k + t.clock_min) % n
        load = float(scene.load[k])
        if t.inrush_w and self.t % 600 < INRUSH_S:
            load += t.inrush_w * INRUSH
        elif t.inrush_w and self.t % 600 < 180:
            load += t.inrush_w

        def held(value: float) -> np.ndarray:
            return np.full(seconds, value)

        def whole(value: int) -> np.ndarray:
            return np.full(seconds, value, dtype=np.int64)

        if self._series.shape[0] != seconds:
            self._series = np.zeros((seconds, len(K.SERIES)))
        series, daily = self._series, self._daily
        series.fill(0.0)
        daily.fill(0.0)
        simulate(
            self._figures(), scene.cho._replace(daily_bulk=False), scene.units, scene.ocv, scene.derate_in, scene.derate_out, 1 / 3600,
            held(float(scene.sun[k])), held(float(scene.output_sun[k])), held(load), held(float(scene.other[k])),
            whole(int(scene.action[windows])), held(float(scene.power[windows])), held(float(scene.target[windows])), whole(int(scene.grid[k])),
            whole(int(scene.quiet[k])), held(float(scene.price[k])), held(float(scene.sell[k])), np.array([0, seconds]), series, daily, self.kept,
        )  # fmt: skip
        self.t += seconds
        self.totals += daily[0]
        self.totals[SUM["sun_wh"]] += (scene.sun[k] + scene.output_sun[k]) * seconds / 3600
        self.totals[SUM["load_wh"]] += load * seconds / 3600
        row = series[-1]
        amps = float(self.kept[AMPS])
        volts = self._shares(seconds, amps)
        self.report = self._told(volts)
        self.silent_s = 0.0 if t.heard else self.silent_s + seconds
        self._count(amps, seconds)
        self._flows(row, bool(scene.grid[k]))

    def _count(self, amps: float, seconds: int) -> None:
        """Count charge as the unit does, with its own sensor; full sets it right."""
        seen = amps * self.trouble.shunt + self.trouble.zero_a
        self.counted_soc = min(1.0, max(0.0, self.counted_soc + seen * seconds / 3600 / float(self.made.scene.par.capacity_ah)))
        if self.kept[STAGE] == 1 and float(self.kept[SOC]) > 0.99 and self.trouble.shunt > 0:
            self.counted_soc = 1.0

    def _flows(self, row: np.ndarray, mains: bool) -> None:
        def w(*names: str) -> float:
            return float(sum(row[AT[n]] for n in names))

        drawn = w("mains_load_w", "mains_other_w") + w("mains_bank_w") / float(self.made.scene.par.eta_charge)
        sent = w("sun_grid_w", "bank_grid_w", "output_grid_w")
        generator = bool(self.kept[GEN_ON]) and not mains
        ac = self.job.site.ac
        part = min(1.2, drawn / float(self.made.scene.par.gen_w)) if generator and self.made.scene.par.gen_w else 0.0
        if self.trouble.sags:
            part *= 3.0
        volts, hertz = float(ac.volts), float(ac.hz)
        unserved = w("unserved_w")
        flow = self.flow
        flow.load_w = w("load_w")
        flow.sun_w = w("sun_w", "output_sun_w")
        flow.sun_used_w = flow.sun_w - w("curtailed_w")
        flow.mains_w, flow.export_w, flow.mains_bank_w = drawn, sent, w("mains_bank_w")
        flow.on_source = bool(row[AT["on_mains"]])
        flow.output_on = unserved < max(1.0, 0.5 * flow.load_w)
        flow.generator = generator
        there = mains or generator
        flow.ac_v = volts * (1 - DROOP_V * part) if there else 0.0
        flow.ac_hz = hertz * (1.04 - DROOP_HZ * part) if generator else (hertz if mains else 0.0)

    # What can be read of it.

    def minute(self) -> int:
        """Return the minute of the plant's day."""
        return self.t % DAY_S // 60

    def energies(self) -> dict[str, float]:
        """Return the energies so far [kWh], by the names of the ledger's sums."""
        names = ("sun_wh", "load_wh", "sun_used_wh", "curtailed_wh", "bank_in_wh", "bank_out_wh", "mains_wh", "export_wh", "generator_wh", "unserved_wh")  # fmt: skip
        return {n: float(self.totals[SUM[n]]) / 1000 for n in names}

    def measured(self, unit: str) -> dict[str, float]:
        """Return what a unit measures and hears, by the names of measurements, with its own errors."""
        t, flow, told = self.trouble, self.flow, self.report
        units = self.made.solved.units
        n = max(1, len(units))
        heard = told if t.heard and self.made.follows else Report()
        closed = self.made.follows
        alive = bool(self.together)
        volts = float(self.kept[VOLTS]) if alive else 0.0
        amps = float(self.kept[AMPS]) * t.shunt + t.zero_a
        counts = t.shunt != 1.0 or t.zero_a != 0.0 or not closed
        soc = self.counted_soc if counts else heard.soc
        grid = (flow.mains_w - flow.export_w) * t.meter
        return {
            "volts": volts,
            "amps": amps,
            "soc_pct": 100 * soc,
            "temp_c": (told.temp_c if not closed or t.heard else 0.0) + self.sun_on_sensor_k,
            "charge_v": heard.charge_v,
            "charge_a": heard.charge_a,
            "discharge_a": heard.discharge_a,
            "modules": heard.modules,
            "load_w": flow.load_w / n if flow.output_on else 0.0,
            "output_v": float(self.job.site.ac.volts) if flow.output_on and alive else 0.0,
            "output_hz": float(self.job.site.ac.hz) if flow.output_on and alive else 0.0,
            "ac_v": flow.ac_v,
            "ac_hz": flow.ac_hz,
            "grid_w": grid / n,
            "sun_w": flow.sun_used_w / n,
            "unit_charge_a": max(0.0, amps) / n,
            "clock_min": (self.minute() + t.clock_min) % 1440,
            "on_source": float(flow.on_source),
            "output_on": float(flow.output_on and alive),
            "fault": 0.0,
        }


@dataclass(slots=True)
class Day:
    """A whole day of a plant as sums, for who compares it with the simulation."""

    kwh: dict[str, float] = field(default_factory=dict)
    last_soc: float = 0.0


def day_of(plant: Plant, seconds: int = DAY_S, by: int = 60) -> Day:
    """Run a plant for a day in steps of ``by`` seconds and return its sums."""
    while plant.t < seconds:
        plant.step(min(by, seconds - plant.t))
    return Day(plant.energies(), float(plant.kept[SOC]))


def entries_of(job: Job, library: Library) -> dict[str, dict[str, str]]:
    """Return what every device shows when all is entered as planned: the sheets over what it is shipped with."""
    solved = solve(job, library)
    return {d.id: {r.setting: r.entry for r in solved.sheets[d.id].settings} for d in solved.devices if d.id in solved.sheets}
