"""The facts found so far: frozen, handed from stage to stage; imports no stage.

``solve`` in the pipeline makes a new one after each stage with more of it filled in; every stage and every check reads it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..devices.codec import Value
from ..devices.library import Library
from ..documents.job import Job, JobSunCharger, JobUnit
from ..documents.profiles import Bms, ControllerProfile, InverterProfile, MenuProfile, SunChargerProfile
from ..documents.results.bank import Bank
from ..documents.results.limits import Limits
from ..documents.results.link import Link
from ..documents.results.sheet import SheetRow, UnitSheet
from ..documents.results.sources import SourcesPlan
from ..documents.results.thresholds import Derived, LadderView, Rung
from ..documents.results.windows import WindowsPlan
from ..trade.chemistries import CellMargins, Chemistry, ocv_v
from ..trade.lead_acid import charging_v
from .constraints import Constraint


@dataclass(frozen=True, slots=True)
class Module:
    """A module with every figure settled. ``assumed`` names the figures nobody gave."""

    id: str
    index: int
    name: str
    maker: str | None
    family: str | None
    chemistry: Chemistry
    series_cells: int
    capacity_ah: float
    rated_ah: float
    resistance_mohm: float
    lead_mohm: float
    charge_a: float
    discharge_a: float
    charge_warranty_a: float | None
    discharge_warranty_a: float | None
    discharge_peak_a: float
    cell_max_v: float
    cell_min_v: float
    charge_cell_low_v: float | None
    charge_cell_high_v: float | None
    resting_v: float | None
    resting_tolerance_v: float
    charge_derating: tuple[tuple[float, float], ...]
    discharge_derating: tuple[tuple[float, float], ...]
    bms: Bms | None
    asked_cell_v: float | None
    age_years: float | None
    health: float | None
    assumed: tuple[str, ...]
    peukert: float = 1.0

    @property
    def branch_ohm(self) -> float:
        """Resistance of module and lead [ohm]."""
        return (self.resistance_mohm + self.lead_mohm) / 1000


@dataclass(frozen=True, slots=True)
class Unit:
    """One unit of the job with its profile."""

    index: int
    job: JobUnit
    profile: InverterProfile

    @property
    def id(self) -> str:
        """The unit's id in the job."""
        return self.job.id

    @property
    def role(self) -> str:
        """Host or follower."""
        return self.job.role

    @property
    def at(self) -> str:
        """Where it stands in the job."""
        return f"/units/{self.index}"

    @property
    def makes_all(self) -> bool:
        """Whether one box makes every leg or phase of the site by itself."""
        return self.profile.ratings.ac_phases > 1

    @property
    def kind(self) -> str:
        """What it is."""
        return "unit"

    @property
    def firmware(self) -> str | None:
        """Its firmware as displayed."""
        return self.job.firmware


@dataclass(frozen=True, slots=True)
class SunCharger:
    """One separate sun charger with its profile; ``max_a`` is what charger and array can give [A]."""

    index: int
    job: JobSunCharger
    profile: SunChargerProfile

    def max_a(self, charge_v: float) -> float:
        """Return the largest charging current [A] into a bank at ``charge_v``."""
        limit = self.profile.charge_max_a
        if self.job.array_w is not None and charge_v > 0:
            limit = min(limit, self.job.array_w * self.profile.efficiency / charge_v)
        return limit


@dataclass(frozen=True, slots=True)
class Part:
    """A device beside the inverters that has a menu of its own: a sun charger, a module of the bank, the controller."""

    kind: str
    index: int
    id: str
    role: str
    at: str
    profile: MenuProfile
    firmware: str | None = None


Device = Unit | Part
"""Whatever has a sheet."""


def host_of(units: Sequence[Unit]) -> Unit | None:
    """Return the host unit, the first unit where none is named, None without units."""
    return next((u for u in units if u.job.role == "host"), units[0] if units else None)


@dataclass(frozen=True, slots=True)
class Ladder:
    """A solved ladder: rungs by quantity, what a drawing needs, who refused which own figure, what
    holds the reserve down or pushes absorption up."""

    rungs: dict[str, Rung]
    view: LadderView
    refused: tuple[tuple[str, float, float, tuple[str, ...], tuple[str, ...]], ...]
    conflict: tuple[Constraint, ...]
    squeezed: tuple[tuple[str, float, tuple[str, ...], tuple[str, ...]], ...] = ()
    raised: tuple[tuple[str, float, tuple[str, ...], tuple[str, ...]], ...] = ()
    """Threshold, wished value, ids and words of the rules that keep it from its wish."""
    gaps: tuple[Constraint, ...] = ()
    """What is kept between two thresholds, in millionths."""


@dataclass(frozen=True, slots=True)
class Basis:
    """The figures the ladder rests on: cells, resistance, design currents, margins."""

    n: int
    cell_max_v: float
    cell_min_v: float
    path_ohm: float
    load_a: float
    full_a: float
    charge_a: float
    transfer_charge_a: float
    overshoot_v: float
    imbalance_v: float
    meter_v: float
    reserve_soc: float
    shutdown_soc: float
    margins: CellMargins
    c10_ah: float = 0.0
    """Lead-acid: capacity at ten hours [Ah]; 0 for other cells."""
    lead_ohm: float = 0.0
    """Resistance of the leads alone [ohm]."""

    @property
    def rises(self) -> bool:
        """Whether the cells rise while they are charged, as lead-acid does: what ends a charge is read under charge."""
        return self.c10_ah > 0

    def charging_v(self, chemistry: Chemistry, soc: float, amps: float) -> float:
        """Return the terminal volts of the pack [V] while ``amps`` flow into it at ``soc``."""
        if self.rises:
            return self.n * charging_v(soc, amps, self.c10_ah) + amps * self.lead_ohm
        return self.n * ocv_v(chemistry, soc) + amps * self.path_ohm

    @property
    def hysteresis_v(self) -> float:
        """One hysteresis of the pack [V]."""
        return self.margins.hysteresis_v * self.n


@dataclass(frozen=True, slots=True)
class Solved:
    """A job and what has been found of it. A field is None, or empty, until its stage has run or where there is nothing to find.

    ``ladders`` and ``derived`` are by profile id, "" standing for a job without units; ``values`` (canonical
    quantity -> value) and ``sheets`` by unit id. ``charge_v`` is the charging voltage of the pack [V] by the
    chosen school; ``entered`` are the figures on the sheets by unit and quantity, ``alike`` the units set alike; ``mains_charge_a`` what the AC sources leave for charging [A].
    """

    job: Job
    library: Library
    modules: Sequence[Module]
    units: Sequence[Unit]
    sun_chargers: Sequence[SunCharger]
    parts: Sequence[Part]
    bank: Bank | None
    link: Link
    windows: WindowsPlan
    charge_v: float
    limits: Limits | None = None
    mains_charge_a: float = 0.0
    basis: Basis | None = None
    ladders: Mapping[str, Ladder] = field(default_factory=dict)
    derived: Mapping[str, Mapping[str, Derived]] = field(default_factory=dict)
    sources: SourcesPlan | None = None
    values: Mapping[str, Mapping[str, Value]] = field(default_factory=dict)
    sheets: Mapping[str, UnitSheet] = field(default_factory=dict)
    entered: Mapping[str, Mapping[str, Sequence[tuple[SheetRow, float]]]] = field(default_factory=dict)
    alike: Sequence[Sequence[str]] = ()

    @property
    def host(self) -> Unit | None:
        """The host unit, None without units."""
        return host_of(self.units)

    @property
    def devices(self) -> Sequence[Device]:
        """Everything that has a sheet: units, then sun chargers, modules and the controller that have a menu."""
        return [*self.units, *self.parts]

    @property
    def controller(self) -> ControllerProfile | None:
        """The system controller, where it can cap what goes into the bank."""
        found = next((p.profile for p in self.parts if isinstance(p.profile, ControllerProfile)), None)
        return found if found is not None and found.setting_for("bank_charge_max_a") is not None else None

    @property
    def menus(self) -> list[MenuProfile]:
        """The profiles that a ladder is solved for: each unit's, charger's and controller's once."""
        beside = [p.profile for p in self.parts if p.kind != "module"]
        return list({p.id: p for p in (*(u.profile for u in self.units), *beside)}.values())

    @property
    def profiles(self) -> list[InverterProfile]:
        """Each unit's profile once, in the order of the units."""
        return list({u.profile.id: u.profile for u in self.units}.values())

    @property
    def ladder(self) -> Ladder | None:
        """The ladder of the host unit, or of the job without units."""
        host = self.host
        return self.ladders.get(host.profile.id if host else "")

    def derived_for(self, profile: MenuProfile | None) -> Mapping[str, Derived]:
        """Return the derived quantities for units of ``profile``; empty before they exist."""
        return self.derived.get(profile.id if profile else "", {})
