"""The trial: every sheet is read literally and asked what it does in each situation that matters; what breaks a promise is a finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from typing import Any, NamedTuple

from ..devices.library import Library, shipped_library
from ..devices.slots.week import What
from ..documents.job import Job
from ..documents.results.tried import TrialResult, TriedRow
from ..documents.results.windows import Slot
from ..stages.pipeline import solve
from ..stages.sheet.slotrows import target_v
from ..stages.solved import Solved
from ..trade.finding import Finding
from ..trade.margins import SHUTDOWN_SOC_FLOOR, SLIGHTLY, SOC_STEP
from ..trade.rules import Rule, Severity, formula_rule
from ..trade.steps import figure
from . import kernel as K
from .reading import NEVER
from .situations import ENGINE, GRID, NONE, Flows, Situation, System, asker, situations, system_of

MOST_TOLD = 3
"""So many broken promises of what was found are told with a situation; the others by name."""
FLOW_W = 5.0
"""Watts that count as a flow: below it is rounding."""


def _rule(letter: str, name: str, statement: str, formula: str) -> Rule:
    return formula_rule(f"tried-{name}", "sheet", statement, formula, f"trial of the entries, {letter}", kind="check")


AMPS = _rule(
    "T1",
    "charge",
    "All chargers together, those without a menu too, stay below what the bank bears",
    "sum(I) <= I_bank, V <= n * V_cell_max",
)
LOW = _rule(
    "T2",
    "low-end",
    "Each unit has an end of its discharge that lies above the BMS's",
    "shut-down there, shut-down >= n * V_cell_min",
)
SOLD = _rule(
    "T3",
    "sold",
    "The bank's energy goes to the grid only where it is to be sold, nothing ever to a generator",
    "P_bank_grid = 0 outside windows that sell",
)
CHARGED = _rule(
    "T4", "charged", "Grid and generator charge the bank only where, when and as far as wanted", "P_mains_bank = 0 where not wanted"
)
CARRIED = _rule("T5", "carried", "A load is carried whenever a source is there, or the bank above its reserve", "P_unserved = 0")
ENGINES = _rule(
    "T6",
    "engine",
    "An engine that starts also stops, and starts where it is wanted",
    "shut-down < start < stop, charging while it runs",
)
OUTAGE = _rule(
    "T7", "outage", "What is kept for outages stays while the grid is there", "outage minimum < least charge on the grid < return"
)
OBEYED = _rule("T8", "windows", "Windows, caps and source order are obeyed in each moment", "what is read = what is meant")
ALIKE = _rule("T9", "alike", "Units that share a bank decide alike", "levels_i = levels_j")
FULL = _rule("T10", "full", "Full charge is reached by some way of the menu", "charge to 100 %, or a periodic full charge")
RULES = (AMPS, LOW, SOLD, CHARGED, CARRIED, ENGINES, OUTAGE, OBEYED, ALIKE, FULL)
SEVERITY: dict[str, Severity] = {AMPS.id: "stop", SOLD.id: "stop"}
"""How much a broken promise weighs; a caution where nothing is said."""


class Asked(NamedTuple):
    """One situation with its answer and the promises that it breaks, by rule id."""

    situation: Situation
    flows: Flows
    broken: tuple[str, ...] = ()


@dataclass(slots=True)
class Broken:
    """A promise that is broken: where first, how often, in which words, which entry would mend it."""

    rule: Rule
    title: str
    says: str
    at: str
    fix: str
    numbers: dict[str, Any] = field(default_factory=dict)
    times: int = 1


@dataclass(frozen=True, slots=True)
class Trial:
    """What was asked, and what was broken."""

    asked: tuple[Asked, ...]
    broken: tuple[Broken, ...]
    unknown: tuple[str, ...]

    def findings(self) -> Iterator[Finding]:
        """Yield a finding for each broken promise."""
        for b in self.broken:
            more = f" So in {b.times} of {len(self.asked)} situations." if b.times > 1 else ""
            slight = b.numbers.get("total_a", NEVER) <= SLIGHTLY * b.numbers.get("bank_a", 0.0)
            severity = "caution" if slight else SEVERITY.get(b.rule.id, "caution")
            yield b.rule.finding(severity, b.title, b.says + more, b.at, b.fix, **b.numbers)


FOUND = formula_rule(
    "found-tried",
    "sheet",
    "What was found keeps the same promises as a plan",
    "the trial of what was found breaks nothing that the plan keeps",
    "trial of the settings as found",
    kind="check",
)


def found_findings(solved: Solved, planned: Trial) -> Iterator[Finding]:
    """Yield one finding with every promise that the units break as they were found, and that the plan keeps."""
    noted = [u.id for u in solved.units if solved.job.as_found.get(u.id)]
    if not noted:
        return
    kept = {(b.rule.id, b.title) for b in planned.broken}
    # Volts above the cells are told by the check of what was found, unit by unit.
    broken = [b for b in trial(solved, as_found=True).broken if (b.rule.id, b.title) not in kept and "volts_v" not in b.numbers]
    if broken:
        count = f"{len(broken)} promises" if len(broken) > 1 else "a promise"
        yield FOUND.finding(
            "caution",
            f"As found, {count} of the plan fails",
            " ".join(f"{b.title}: {b.says}" for b in broken[:MOST_TOLD])
            + (f" And: {'; '.join(b.title for b in broken[MOST_TOLD:])}." if len(broken) > MOST_TOLD else ""),
            f"/as_found/{noted[0]}",
            "Enter the sheet's values.",
            promises=[b.rule.id for b in broken],
        )


def trial(solved: Solved, as_found: bool = False, system: System | None = None) -> Trial:
    """Return what the entries of all sheets (or what was found) do in every situation, and which promises that breaks.

    Nothing is asked while there is no bank, unit or ladder. Source: the rules above.
    """
    system = system or system_of(solved, as_found)
    if system is None:
        return Trial((), (), ())
    told: dict[tuple[str, str], Broken] = {}

    def note(rule: Rule, key: str, title: str, says: Callable[[], str], at: str, fix: str, **numbers: Any) -> None:
        held = told.get((rule.id, key))
        if held is None:
            told[rule.id, key] = Broken(rule, title, says(), at, fix, numbers)
        else:
            held.times += 1

    for check in (_charge, _low_end, _engine, _outage, _alike, _full):
        check(system, note)
    asked = []
    judge, answer = Judge(system), asker(system)
    for s in situations(system):
        f = answer(s)
        broken: list[str] = []
        for rule, key, title, at, fix in judge.broken(s, f):
            broken.append(rule.id)
            note(rule, key, title, partial(in_words, system, s, f), at, fix)
        asked.append(Asked(s, f, tuple(broken) if broken else ()))
    return Trial(tuple(asked), tuple(told.values()), tuple(system.unknown))


def told(solved: Solved, as_found: bool = False) -> TrialResult:
    """Return the trial as it is shown: a row for each situation."""
    system = system_of(solved, as_found)
    tried = trial(solved, as_found, system)
    rows = []
    for s, f, broken in tried.asked:
        m = s.moment
        words = K.GENERATOR_REASONS if s.source == ENGINE else K.REASONS
        rows.append(TriedRow(when=m.at if s.source == GRID else "", minute=(m.start + m.end) // 2, season=m.season, soc=round(s.soc, 4), volts=round(s.volts, 2), sun_w=round(s.sun_w), load_w=round(s.load_w),
            source=s.source, over=s.over, wants=m.wants.action, bank_w=round(f.bank_w), grid_w=round(f.grid_w), unserved_w=round(f.unserved), curtailed_w=round(f.curtailed),
            reason=words[f.reason], broken=list(broken)))  # fmt: skip
    return TrialResult(
        job=solved.job.name, as_found=as_found, rows=rows, broken=[b.says for b in tried.broken], unknown=list(tried.unknown)
    )


def in_words(system: System, s: Situation, f: Flows) -> str:
    """Return a situation and what flows in it, as a person can check it."""
    m = s.moment
    when = (
        f"At {m.at}" + (f" from {m.season}" if m.season else "") if s.source == GRID and len(system.moments) > 1 else "At any time"
    )
    level = f"{figure(s.soc * 100, 1)} % charge" if system.cho.by_soc else f"{figure(s.volts)} V at rest"
    sun = "no sun" if s.sun_w <= 0 else f"{figure(s.sun_w, 0)} W of sun"
    there = {NONE: "no source there", GRID: "grid there", ENGINE: "generator running"}[s.source]
    flows = [
        f"{figure(abs(f.bank_w), 0)} W {'into' if f.bank_w > 0 else 'out of'} the bank" if abs(f.bank_w) > FLOW_W else "the bank rests",
        f"{figure(abs(f.grid_w), 0)} W {'from' if f.grid_w > 0 else 'to'} the {'generator' if s.source == ENGINE else 'grid'}" if abs(f.grid_w) > FLOW_W else "",
        f"{figure(f.unserved, 0)} W of loads are not carried" if f.unserved > FLOW_W else "",
    ]  # fmt: skip
    return f"{when}, {level}, {sun}, {figure(s.load_w, 0)} W of loads, {there}: {', '.join(x for x in flows if x)}."


class Judge:
    """Holds answers against what the job wants: selling, charging, carrying, windows."""

    def __init__(self, system: System) -> None:
        self.system = system
        job, cho = system.solved.job, system.cho
        self.policy = job.policy
        self.hybrid = cho.mode > K.OFF_GRID_MAINS
        self.feeds = job.policy.mode == "feed-in"
        basis = system.solved.basis
        assert basis is not None
        self.reserve = basis.reserve_soc
        self.sag_v = basis.load_a * basis.path_ohm
        self.order = job.policy.charge_order
        self.meant: dict[What, float] = {}
        self.at_unit = system.host.at
        limits = system.solved.limits
        assert limits is not None
        self.top_w = sum(u.a for u in limits.ac.units) * system.par.absorb_v

    def broken(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        """Yield the promises that an answer breaks: rule, kind, title, pointer, what to do."""
        if f.sun_grid + f.bank_grid > FLOW_W:
            yield from self._sold(s, f)
        if f.mains_bank > FLOW_W:
            yield from self._charged(s, f)
        if f.unserved > FLOW_W:
            yield from self._carried(s, f)
        if s.source == GRID and not s.moment.told:
            yield from self._windows(s, f)

    def _sold(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        if s.source == ENGINE:
            yield (
                SOLD,
                "engine",
                "Power goes into the generator",
                "/policy/mode",
                "Choose a mode that does not feed, or keep the generator off the grid input.",
            )
        if s.source != GRID:
            return
        want = s.moment.wants.action
        if f.bank_grid > FLOW_W and not (self.feeds and want in ("use", "export")) and not s.moment.told:
            yield (
                SOLD,
                f"bank-{want}",
                "The bank is sold where nothing is to be sold",
                "/windows",
                "Enter 100 % as the target of the slot that holds then, or choose another mode.",
            )
        if f.sun_grid + f.bank_grid > FLOW_W and not self.policy.sells:
            yield (
                SOLD,
                "sun",
                "Power is fed in though nothing is to be sold",
                "/policy/mode",
                "Switch export off, and enter a mode that does not feed in.",
            )

    def _charged(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        want = s.moment.wants
        if s.source == GRID and not s.moment.told:
            wanted = want.action == "charge" and (want.target < 0 or s.soc < want.target + 2 * SOC_STEP)
            if want.action == "auto" and not self.hybrid:
                wanted = self.order in ("sun-and-mains", "mains-first") or (
                    self.order == "sun-first" and s.sun_w * self.system.par.eta_sun <= K.SUN_MIN_W
                )
            if self.system.cho.mode == K.OFF_GRID_MAINS and self.order != "sun-only" and want.action == "auto":
                wanted = wanted or self.policy.source_order == "mains-first"
            if not wanted:
                yield (
                    CHARGED,
                    f"grid-{want.action}",
                    "The grid charges the bank where it is not to",
                    "/policy/charge_order",
                    "Enter the charge order as planned, and take the charge flag out of the slot that holds then.",
                )
        if f.mains_bank > self.top_w * (1 + SOC_STEP) + FLOW_W:
            yield (
                CHARGED,
                "amps",
                "More is charged from AC than the source bears",
                f"{self.at_unit}/profile",
                "Enter the charge current from AC as planned.",
            )
        if self.order == "sun-only" and want.action != "charge":
            yield (
                CHARGED,
                "sun-only",
                "AC charges though only the sun is to charge",
                "/policy/charge_order",
                "Enter the charge order as planned.",
            )

    def _carried(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        if f.unserved <= FLOW_W or s.load_w > self.system.rating:
            return
        if s.source != NONE:
            yield (
                CARRIED,
                s.source,
                "A load is not carried though a source is there",
                "/policy/source_order",
                "Enter the source order as planned.",
            )
        elif s.soc > self.reserve + SOC_STEP and self.enough(s):
            yield (
                CARRIED,
                "bank",
                "The output goes off above the reserve",
                f"{self.at_unit}/profile",
                "Lower the shut-down to what is planned.",
            )

    def enough(self, s: Situation) -> bool:
        """Return whether the bank may give so much at all."""
        par = self.system.par
        most = K.gives(par.discharge_a, s.volts, par.r_ohm, par.idle_w + par.dc_load_a * s.volts, par.eta)  # type: ignore[no-untyped-call]
        return bool(s.load_w <= most)

    def _windows(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        want, gives = s.moment.wants, f.bank_load + f.bank_other + f.bank_grid
        system = self.system
        fix = "Enter the slot that holds then as planned."
        if want.action == "hold" and gives > FLOW_W and not system.cho.assist:
            yield OBEYED, "hold", "The bank gives in a window that holds it", "/windows", fix
        if (
            want.action == "charge"
            and gives > FLOW_W
            and not system.cho.assist
            and (want.target < 0 or s.soc < want.target - SOC_STEP)
        ):
            yield OBEYED, "charge-gives", "The bank gives in a window that charges it", "/windows", fix
        low, high = self._target(s, want)
        if (
            want.action == "charge"
            and (low or (want.target < 0 and s.soc < 1 - 2 * SOC_STEP))
            and self._may_charge(s)
            and f.mains_bank <= FLOW_W
            and f.sun_bank <= FLOW_W
        ):
            yield (
                OBEYED,
                "charge",
                "A window that charges does not charge",
                "/windows",
                "Enter charging from the grid in its slot, and a charge order that permits it.",
            )
        above = high and s.soc > max(self.reserve, system.par.reserve) + 2 * SOC_STEP
        asks = s.load_w - s.sun_w * system.par.eta_sun * system.par.eta > FLOW_W
        peak = self.policy.mode == "peak-shaving"
        if (
            want.action in ("use", "export")
            and above
            and asks
            and gives <= FLOW_W
            and not f.shut
            and not peak
            and not s.over
            and self.order_uses(s)
        ):
            yield OBEYED, "use", "A window that uses the bank does not use it", "/windows", fix
        if want.action in ("use", "export") and want.target >= 0 and low and gives > FLOW_W and not system.cho.assist:
            yield OBEYED, "below", "The bank gives below the target of its window", "/windows", fix
        if want.power >= 0 and want.action in ("use", "export") and gives > want.power + max(FLOW_W, SOC_STEP * want.power):
            yield OBEYED, "power", "The bank gives more than its window says", "/windows", "Enter the power of the slot as planned."
        if peak and self.policy.peak_cap_w is not None and f.mains_bank > FLOW_W and f.grid_w > self.policy.peak_cap_w + FLOW_W:
            yield OBEYED, "cap", "Charging goes above the cap of the grid", "/policy/peak_cap_w", "Enter the cap as planned."
        if want.action != "auto" or s.over or f.shut:
            return
        rests = gives <= FLOW_W
        if self.feeds and not rests:
            yield (
                OBEYED,
                "mode-rests",
                "The bank gives outside windows though it is to rest",
                "/policy/mode",
                "Enter 100 % as the target of the slot that holds then.",
            )
        elif self.policy.mode in ("essential-only", "zero-export") and rests and asks and above and not system.cho.rests:
            yield OBEYED, "mode-gives", "The grid carries what the bank is to carry", "/policy/mode", "Enter the mode as planned."
        if not self.hybrid and self.policy.mode == "off-grid":
            yield from self._source_order(s, f)

    def _target(self, s: Situation, want: What) -> tuple[bool, bool]:
        """Return whether the bank stands clearly below what a window goes to, and clearly above; in volts where the unit goes by them."""
        if want.target < 0:
            return False, True
        if not self.system.cho.target_v:
            return s.soc < want.target - 2 * SOC_STEP, s.soc > want.target + 2 * SOC_STEP
        meant = self.meant.get(want)
        if meant is None:
            action = want.action
            slot = Slot.model_validate({"kind": "charge" if action == "charge" else "discharge", "start": "00:00", "end": "00:00", "target_soc": want.target,
                "power_w": want.power if want.power >= 0 else None, "charge_allowed": action == "charge", "holds": False})  # fmt: skip
            meant = self.meant[want] = target_v(slot, self.system.host, self.system.solved) or 0.0
        slack = self.system.par.cells * SOC_STEP
        return s.volts < meant - slack, s.volts - self.sag_v > meant + slack

    def _may_charge(self, s: Situation) -> bool:
        par = self.system.par
        room = min(par.mains_w, par.peak_w) if self.system.cho.mode == K.PEAK else par.mains_w
        return (
            self.order != "sun-only"
            and self.top_w > FLOW_W
            and s.volts < par.absorb_v - 1
            and room > s.load_w + s.other_w + FLOW_W
            and s.soc < par.to_soc
        )

    def order_uses(self, s: Situation) -> bool:
        """Return whether the source order lets the bank carry loads while the grid is there."""
        return (
            self.hybrid
            or self.policy.source_order == "sun-bank-mains"
            or (self.policy.source_order == "sun-mains" and s.sun_w > K.SUN_MIN_W)
        )

    def _source_order(self, s: Situation, f: Flows) -> Iterator[tuple[Rule, str, str, str, str]]:
        want, asks = self.policy.source_order, s.load_w - f.sun_load > FLOW_W
        fix = "Enter the source order as planned."
        above = s.soc > self.reserve + 2 * SOC_STEP
        if (
            want == "sun-bank-mains"
            and asks
            and above
            and f.mains_load > FLOW_W
            and f.bank_load <= FLOW_W
            and not self.system.cho.rests
        ):
            yield OBEYED, "order-bank", "The grid carries loads that the bank is to carry", "/policy/source_order", fix
        if want == "mains-first" and asks and f.bank_load > FLOW_W and not self.system.cho.assist:
            yield OBEYED, "order-mains", "The bank carries loads that the grid is to carry", "/policy/source_order", fix


Note = Callable[..., None]


def _charge(system: System, note: Note) -> None:
    """T1: amps and volts of all chargers together."""
    solved = system.solved
    bank, limits = solved.bank, solved.limits
    assert bank is not None and limits is not None
    hard = [c for c in limits.charge.caps if c.cap not in ("temperature", "preference", "own", "chargers")]
    most = min((c.a for c in hard), default=NEVER)
    total = system.par.charge_a
    plain = [s for s in system.sources if not s.has_menu]
    if total > most + 1e-6 and solved.controller is None:
        parts = " + ".join(f"{s.id} {figure(s.a, 1)} A" for s in system.sources)
        bound = min(hard, key=lambda c: c.a)
        loose = f" {', '.join(s.id for s in plain)} has no setting for it and gives what its plate says." if plain else ""
        note(AMPS, "amps", "The chargers together exceed what the bank bears", lambda: f"{parts} = {figure(total, 1)} A; the bank bears {figure(most, 1)} A ({bound.word.lower()}).{loose}",
            f"/sun/chargers/{next((c.index for c in solved.sun_chargers if c.job.id == plain[0].id), 0)}" if plain else f"{system.host.at}/profile",
            "Lower the charge current of those that have a setting, take a smaller charger, or let something else hold the rest." if plain else "Lower the charge currents.",
            total_a=round(total, 1), bank_a=round(most, 1))  # fmt: skip
    top = bank.series_cells * bank.cell_max_v
    for s in system.sources:
        if s.v > top + 1e-6:
            note(AMPS, f"volts-{s.id}", f"{s.id} charges above the cells' limit", lambda s=s: f"{s.id} charges to {figure(s.v)} V; the cells bear {figure(top)} V.",
                f"{system.host.at}/profile", "Lower the charging volts.", volts_v=round(s.v, 2), bank_v=round(top, 2))  # fmt: skip


def _low_end(system: System, note: Note) -> None:
    """T2: a low end of every unit."""
    solved = system.solved
    bank = solved.bank
    assert bank is not None
    opens = bank.series_cells * bank.cell_min_v
    for u in (u for u in solved.units if u.id in system.levels):
        own, level = system.held[u.id], system.levels[u.id]
        has = own.figure("shutdown_v", "shutdown_soc", "protect_3_soc") is not None or u.profile.fixed.shutdown_v is not None
        if not has:
            note(LOW, f"none-{u.profile.id}", f"{u.profile.name} has no low end", lambda u=u: f"No entry of {u.id} stops the discharge: the bank gives until its BMS opens at {figure(opens)} V, and nothing is left to wake the unit.",
                f"{u.at}/profile", "Note under `fixed` of its profile what it does, or let another device open the output in time.")  # fmt: skip
        elif level.by_soc and 0 <= level.shut_soc < SHUTDOWN_SOC_FLOOR - 1e-9 and own.figure("shutdown_v") is None:
            note(LOW, f"soc-{u.id}", f"{u.id} shuts down too low", lambda u=u, level=level: f"{u.id} stops at {figure(level.shut_soc * 100, 1)} %; a count may drift by {figure(SHUTDOWN_SOC_FLOOR * 100)} %.",
                f"{u.at}/profile", "Raise its shut-down.")  # fmt: skip
        elif not level.by_soc and (own.figure("shutdown_v") or opens) < opens - 1e-6:
            note(LOW, f"volts-{u.id}", f"{u.id} shuts down below the BMS", lambda u=u: f"{u.id} stops at {figure(system.held[u.id].figure('shutdown_v') or 0)} V; the BMS opens at {figure(opens)} V.",
                f"{u.at}/profile", "Raise its shut-down.")  # fmt: skip


def _engine(system: System, note: Note) -> None:
    """T6: an engine that is started by itself starts before it is dark, and stops again."""
    job, par, cho = system.solved.job, system.par, system.cho
    g = job.generator
    if g is None or g.start != "auto" or "generator" not in job.site.sources:
        return
    unit = "%" if cho.by_soc else "V"

    def shown(x: float) -> str:
        return f"{figure(x * 100, 1) if cho.by_soc else figure(x)} {unit}"

    shut = par.shut_soc if cho.by_soc else par.shut_v
    at = f"{system.host.at}/profile"
    if par.gen_start <= shut:
        note(
            ENGINES,
            "start",
            "The generator starts after the output is off",
            lambda: f"It starts at {shown(par.gen_start)}; the output goes off at {shown(shut)}.",
            at,
            "Raise the start above the shut-down.",
        )
    if par.gen_stop <= par.gen_start:
        note(
            ENGINES,
            "pair",
            "The generator stops where it starts",
            lambda: f"Start {shown(par.gen_start)}, stop {shown(par.gen_stop)}.",
            at,
            "Raise the stop above the start.",
        )
    top = min(par.to_soc if cho.by_soc else par.absorb_v, par.ac_stop)
    if par.gen_stop > top + 1e-9:
        note(
            ENGINES,
            "stop",
            "The generator never reaches its stop",
            lambda: f"It stops at {shown(par.gen_stop)}; charging ends at {shown(top)}.",
            at,
            "Lower the stop below where charging ends.",
        )
    if system.mains_charge <= FLOW_W:
        note(
            ENGINES,
            "charge",
            "The generator runs without charging",
            lambda: "Nothing can charge from AC, so the bank never comes back to the stop point and the engine runs on.",
            at,
            "Enter the charge current from AC as planned.",
        )


def _outage(system: System, note: Note) -> None:
    """T7: outage minimum < least charge on the grid < return."""
    job, par, cho = system.solved.job, system.par, system.cho
    if cho.mode <= K.OFF_GRID_MAINS or not cho.by_soc or "mains" not in job.site.sources:
        return
    kept = system.held[system.host.id].figure("outage_min_soc")
    at = f"{system.host.at}/profile"
    if kept is None:
        return
    grid = max(par.reserve, system.to_mains)
    if kept > grid + 1e-9:
        note(
            OUTAGE,
            "order",
            "At the least charge on the grid an outage finds no backup",
            lambda: (
                f"The bank gives down to {figure(grid * 100, 1)} % beside the grid; in an outage the output is off at {figure(kept * 100, 1)} %."
            ),
            at,
            "Raise the least charge on the grid above that of an outage.",
        )
    if par.island_back < kept - 1e-9:
        note(
            OUTAGE,
            "back",
            "The output comes back where it goes off",
            lambda: f"Off at {figure(kept * 100, 1)} %, back at {figure(par.island_back * 100, 1)} %.",
            at,
            "Raise the return above the least charge in an outage.",
        )


def _alike(system: System, note: Note) -> None:
    """T9: the same levels on all units, within two steps of the coarser display."""
    levels = system.levels
    names = {
        "shut_soc" if system.cho.by_soc else "shut_v": "shutdown",
        "to_mains": "to_mains",
        "back": "return_bank",
        "gen_start": "gen_start",
    }
    for name, quantity in names.items():
        held = {id: getattr(v, name) for id, v in levels.items()}
        steps = []
        for u in (u for u in system.solved.units if u.id in held):
            s = u.profile.setting_for(f"{quantity}_{'soc' if system.cho.by_soc else 'v'}")
            steps.append(0.0 if s is None or s.step is None else s.step / (100 if s.unit == "%" else 1))
        low, high = min(held, key=lambda k: held[k]), max(held, key=lambda k: held[k])
        if held[high] - held[low] > 2 * max(steps, default=0.0) + 1e-6 and held[low] >= 0:
            word = {
                "shutdown": "shut down",
                "to_mains": "go over to AC",
                "return_bank": "come back to the bank",
                "gen_start": "call the generator",
            }[quantity]

            def said(low: str = low, high: str = high, held: dict[str, float] = held) -> str:
                by = system.cho.by_soc
                at = [f"{figure(held[k] * 100, 1)} %" if by else f"{figure(held[k])} V" for k in (high, low)]
                return f"{high} at {at[0]}, {low} at {at[1]}: one carries what the other has dropped."

            note(ALIKE, quantity, f"The units {word} at different points", said, "/units", "Enter the same on all units.")


def _full(system: System, note: Note) -> None:
    """T10: a way to full charge."""
    par = system.par
    if par.to_soc < 1 - 1e-9 and par.full_days >= NEVER:
        note(FULL, "to", "Full charge is never reached", lambda: f"Charging ends at {figure(par.to_soc * 100, 1)} %, and no setting charges to full now and then: cells drift apart, the count of charge too.",
            f"{system.host.at}/profile", "Charge to 100 %, or set a periodic full charge.")  # fmt: skip


def try_job(job: Job, library: Library | None = None, as_found: bool = False) -> TrialResult:
    """Return what the units of a job do by their sheets' entries, or as found, in every situation that matters.

    Without a library the shipped one is asked.

    >>> import ewerer
    >>> tried = ewerer.trial(ewerer.demo_job("tarn-dairy"))
    >>> tried.broken, len(tried.rows) > 100
    ([], True)
    """
    return told(solve(job, library or shipped_library()), as_found)
