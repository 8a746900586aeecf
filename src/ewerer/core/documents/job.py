"""The job document, ``job/2``: everything known about one site before the work; what was done there is in its events."""

from __future__ import annotations

import re
import zoneinfo
from functools import lru_cache
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, Discriminator, Field, Tag, field_validator, model_validator
from pydantic_core import PydanticCustomError

from ..trade.chemistries import CHEMISTRIES
from .base import (
    AmpHours,
    Amps,
    CellCount,
    CellVolts,
    Celsius,
    Date,
    Document,
    Figure,
    Fraction,
    Identifier,
    LeadMilliohms,
    Milliohms,
    MonthDay,
    PackVolts,
    PositiveAmps,
    Text,
    TimeOfDay,
    Title,
    WattHours,
    Watts,
)
from .parse import parse_document, parse_json

Source = Literal["sun", "mains", "generator"]


Phase = Literal["L1", "L2", "L3"]


def _known_chemistry(name: str) -> str:
    if name not in CHEMISTRIES:
        raise PydanticCustomError("literal_error", "not one of the choices")
    return name


Chemistry = Annotated[
    str, AfterValidator(_known_chemistry), Field(json_schema_extra={"enum": list(CHEMISTRIES)}, description="a cell chemistry")
]


Version = Annotated[str, Field(min_length=1, max_length=40, description="a firmware version as displayed")]


Serial = Annotated[str, Field(min_length=1, max_length=60, description="a serial number as on the plate, at most 60 characters")]


DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def _known_days(days: str) -> str:
    one = "(" + "|".join(DAYS) + ")"
    if days != "all" and not re.fullmatch(f"{one}(-{one})?(,{one}(-{one})?)*", days):
        raise ValueError("days are all, a range such as mon-fri, or a list such as sat,sun")
    return days


Days = Annotated[str, Field(max_length=40, description="all, mon-fri, or days such as sat,sun"), AfterValidator(_known_days)]


@lru_cache(maxsize=256)
def _is_zone(name: str) -> bool:
    try:
        zoneinfo.ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        return False
    return True


class AcSystem(Document):
    """The alternating-current system: volts from phase to neutral, hertz, topology."""

    volts: Annotated[float, Field(ge=90, le=280, json_schema_extra={"x-unit": "V"}, description="volts from phase to neutral")] = (
        230.0
    )
    hz: Literal[50, 60] = 50
    topology: Literal["single", "split", "three"] = "single"


class Site(Document):
    """Where the work is: time zone, place, AC system, temperature at the bank, sources."""

    time_zone: Annotated[str, Field(description="an IANA time zone such as Europe/Lisbon")] = "UTC"
    latitude: Annotated[float, Field(ge=-90, le=90, description="degrees north")] | None = None
    longitude: Annotated[float, Field(ge=-180, le=180, description="degrees east")] | None = None
    ac: AcSystem = AcSystem()
    altitude_m: (
        Annotated[float, Field(ge=-450, le=6000, json_schema_extra={"x-unit": "m"}, description="metres above the sea")] | None
    ) = None
    bank_ambient_c: Celsius | None = None
    sources: Annotated[list[Source], Field(max_length=3)] = []
    dc_loads_a: Amps | None = None

    @field_validator("time_zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        if not _is_zone(zone):
            raise ValueError("not a known time zone")
        return zone

    @field_validator("sources")
    @classmethod
    def _each_once(cls, sources: list[Source]) -> list[Source]:
        if len(set(sources)) != len(sources):
            raise ValueError("a source stands twice")
        return sources


RatedHours = Annotated[
    float, Field(gt=0, le=240, json_schema_extra={"x-unit": "h"}, description="hours that the capacity on the plate is for")
]
Peukert = Annotated[float, Field(ge=1, le=2, description="Peukert exponent, 1.1 to 1.3 for lead-acid")]


class OcvPoint(Document):
    """One point of a maker's curve: at ``soc`` (0..1) one cell rests at ``cell_v``."""

    soc: Fraction
    cell_v: CellVolts


def rising_curve(points: list[OcvPoint]) -> list[OcvPoint]:
    """Return a curve as it is; raise ValueError unless it is empty or rises from 0 to 1 in at least three points."""
    if points:
        socs, volts = [p.soc for p in points], [p.cell_v for p in points]
        if len(points) < 3 or socs[0] != 0 or socs[-1] != 1:
            raise ValueError("a curve has at least three points, from charge 0 to 1")
        if any(b <= a for s in (socs, volts) for a, b in pairwise(s)):
            raise ValueError("charge and volts of a curve must rise from point to point")
    return points


class JobModule(Document):
    """One module of the bank: a profile from the library, figures of its own, or both.

    Figures given here override the profile's. Without a profile, ``series_cells``,
    ``capacity_ah``, ``charge_a`` and ``discharge_a`` are needed; the rest is assumed aloud.
    """

    id: Identifier
    profile: Identifier | None = None
    resting_v: PackVolts | None = None
    chemistry: Chemistry | None = None
    series_cells: CellCount | None = None
    capacity_ah: AmpHours | None = None
    resistance_mohm: Milliohms | None = None
    lead_mohm: LeadMilliohms | None = None
    charge_a: PositiveAmps | None = None
    discharge_a: PositiveAmps | None = None
    charge_warranty_a: PositiveAmps | None = None
    discharge_warranty_a: PositiveAmps | None = None
    discharge_peak_a: PositiveAmps | None = None
    cell_max_v: CellVolts | None = None
    cell_min_v: CellVolts | None = None
    age_years: Annotated[float, Field(ge=0, le=40, description="years")] | None = None
    firmware: Version | None = None
    serial: Serial | None = None
    switches: (
        Annotated[
            str, Field(pattern=r"^[ud]{1,8}$", description="address switches as found, u up or d down, the first switch first")
        ]
        | None
    ) = None
    health: Fraction | None = None
    rated_h: RatedHours | None = None
    peukert: Peukert | None = None
    ocv: Annotated[list[OcvPoint], Field(max_length=60)] = []

    @field_validator("ocv")
    @classmethod
    def _curve(cls, points: list[OcvPoint]) -> list[OcvPoint]:
        return rising_curve(points)

    @model_validator(mode="after")
    def _complete_without_profile(self) -> JobModule:
        if self.profile is None:
            needed = ("series_cells", "capacity_ah", "charge_a", "discharge_a")
            lacking = [k for k in needed if getattr(self, k) is None]
            if lacking:
                raise ValueError("a module without a profile also needs " + ", ".join(lacking))
        if self.cell_max_v is not None and self.cell_min_v is not None and self.cell_min_v >= self.cell_max_v:
            raise ValueError("the lowest cell volts must be below the highest")
        return self


class Lead(Document):
    """A pair of copper leads: length of one of them, section, how many side by side. It counts once both are given."""

    length_m: Annotated[float, Field(gt=0, le=200, json_schema_extra={"x-unit": "m"}, description="metres of one lead")] | None = (
        None
    )
    section_mm2: (
        Annotated[float, Field(ge=0.5, le=1000, json_schema_extra={"x-unit": "mm2"}, description="square millimetres of copper")]
        | None
    ) = None
    side_by_side: Annotated[int, Field(ge=1, le=8, description="leads side by side for each pole")] = 1


class JobBank(Document):
    """The modules in parallel, the leads, the main fuse and cable, pre-charge."""

    modules: Annotated[list[JobModule], Field(max_length=64)] = []
    lead_mohm: LeadMilliohms | None = None
    main_lead_mohm: LeadMilliohms | None = None
    lead: Lead | None = None
    main_lead: Lead | None = None
    leads_place: Literal["free-air", "conduit"] = "free-air"
    fuse_a: PositiveAmps | None = None
    fuse_breaking_a: (
        Annotated[float, Field(ge=10, le=500_000, json_schema_extra={"x-unit": "A"}, description="amperes the fuse can break")]
        | None
    ) = None
    cable_a: PositiveAmps | None = None
    precharge_ohm: (
        Annotated[
            float, Field(ge=0.1, le=100_000, json_schema_extra={"x-unit": "ohm"}, description="ohms of the pre-charge resistor")
        ]
        | None
    ) = None
    inputs_uf: (
        Annotated[
            float,
            Field(gt=0, le=10_000_000, json_schema_extra={"x-unit": "uF"}, description="capacitance at all DC inputs, microfarads"),
        ]
        | None
    ) = None
    shunt_a: PositiveAmps | None = None
    shunt_mv: (
        Annotated[float, Field(gt=0, le=1000, json_schema_extra={"x-unit": "mV"}, description="millivolts at rated amps")] | None
    ) = None

    @field_validator("modules")
    @classmethod
    def _unique(cls, modules: list[JobModule]) -> list[JobModule]:
        _ids_once([m.id for m in modules])
        return modules


def _known_quantities(names: list[str]) -> list[str]:
    from ..trade.quantities import QUANTITIES

    for name in names:
        if name not in QUANTITIES:
            raise ValueError(f"{name} is not a quantity; quantities are " + ", ".join(sorted(QUANTITIES)))
        if QUANTITIES[name].kind == "choice" and not QUANTITIES[name].choices:
            raise ValueError(f"{name} goes by the device's own words; make a profile for it")
    if len(set(names)) != len(names):
        raise ValueError("a quantity stands twice")
    return names


Takes = Annotated[
    list[Identifier],
    Field(max_length=60, description="quantities that its menu has; the usual handful where none is named"),
    AfterValidator(_known_quantities),
]
StepVolts = Annotated[float, Field(ge=0.001, le=5, json_schema_extra={"x-unit": "V"}, description="step of its volts")]
StepAmps = Annotated[float, Field(ge=0.001, le=50, json_schema_extra={"x-unit": "A"}, description="step of its amps")]


class UnitPlate(Document):
    """An inverter-charger without a profile: ratings from its plate, the settings its menu has."""

    continuous_w: Annotated[
        float, Field(ge=50, le=2_000_000, json_schema_extra={"x-unit": "W"}, description="continuous power [W]")
    ]
    surge_w: Watts | None = None
    charge_max_a: PositiveAmps
    ac_charge_max_a: Amps | None = None
    class_v: Annotated[int, Field(ge=6, le=1000, json_schema_extra={"x-unit": "V"}, description="voltage class")] = 48
    battery_v_min: PackVolts | None = None
    battery_v_max: PackVolts | None = None
    ac_volts: PackVolts | None = None
    ac_phases: Literal[1, 2, 3] = 1
    max_parallel: Annotated[int, Field(ge=1, le=32)] = 10
    takes: Takes = []
    step_v: StepVolts = 0.1
    step_a: StepAmps = 1.0

    @model_validator(mode="after")
    def _range(self) -> UnitPlate:
        low = self.battery_v_min or self.class_v * 0.8
        high = self.battery_v_max or self.class_v * 1.35
        if low >= high:
            raise ValueError(f"the lowest battery volts must be below the highest; they are {low:g} and {high:g} V for this class")
        return self


class ChargerPlate(Document):
    """A sun charger without a profile: ratings from its plate, the settings its menu has."""

    charge_max_a: PositiveAmps
    battery_v_max: PackVolts
    array_v_max: PackVolts = 150.0
    takes: Takes = []
    step_v: StepVolts = 0.1
    step_a: StepAmps = 1.0


def _one_of_both(profile: str | None, plate: object) -> None:
    if (profile is None) == (plate is None):
        raise ValueError("give either a profile or a plate" if profile is None else "a profile and a plate do not go together")


ArrayVolts = Annotated[
    float, Field(ge=1, le=2000, json_schema_extra={"x-unit": "V"}, description="open-circuit volts of a string on the coldest day")
]
Strings = Annotated[int, Field(ge=1, le=40, description="strings of modules side by side")]
Tilt = Annotated[float, Field(ge=0, le=90, description="degrees from level")]
Azimuth = Annotated[float, Field(ge=0, le=360, description="degrees from north over east")]


class JobUnit(Document):
    """One inverter-charger: its profile or its plate, role, firmware and phase, the array on its own trackers."""

    id: Identifier
    profile: Identifier | None = None
    plate: UnitPlate | None = None
    role: Literal["host", "follower"] = "host"
    firmware: Version | None = None
    serial: Serial | None = None
    phase: Phase = "L1"
    array_w: Watts | None = None
    array_v: ArrayVolts | None = None
    strings: Strings | None = None
    tilt_deg: Tilt | None = None
    azimuth_deg: Azimuth | None = None

    @model_validator(mode="after")
    def _what(self) -> JobUnit:
        _one_of_both(self.profile, self.plate)
        return self


class FirmwareNote(Document):
    """What the person knows about a firmware version of a profile."""

    profile: Identifier
    version: Version
    verdict: Literal["good", "bad"]
    why: Text | None = None


class JobLink(Document):
    """How BMS and inverter are to talk: the chosen link, the cable, what was measured at the plug."""

    choice: Annotated[str, Field(max_length=200, description="key of a link candidate, as the plan lists them")] | None = None
    adapter: Identifier | None = None
    host_module: Identifier | None = None
    cable: Literal["auto", "patch", "made"] = "auto"
    length_m: (
        Annotated[float, Field(ge=0, le=2000, json_schema_extra={"x-unit": "m"}, description="length of the bus in metres")] | None
    ) = None
    measured_ohm: (
        Annotated[float, Field(ge=0, le=1e7, json_schema_extra={"x-unit": "ohm"}, description="ohms across the pair, power off")]
        | None
    ) = None
    taken_ports: Annotated[dict[Identifier, list[Identifier]], Field(max_length=32)] = {}
    firmware_notes: Annotated[list[FirmwareNote], Field(max_length=40)] = []


class JobSunCharger(Document):
    """One separate sun charger, by profile or plate, and the array on it. The first one leads where they speak to each other."""

    id: Identifier
    profile: Identifier | None = None
    plate: ChargerPlate | None = None
    firmware: Version | None = None
    array_w: Watts | None = None
    array_v: ArrayVolts | None = None
    strings: Strings | None = None
    tilt_deg: Tilt | None = None
    azimuth_deg: Azimuth | None = None

    @model_validator(mode="after")
    def _what(self) -> JobSunCharger:
        _one_of_both(self.profile, self.plate)
        return self


class OutputArray(Document):
    """An array with an inverter of its own on the units' output side; it lowers its power as the frequency rises, or does not."""

    id: Identifier
    inverter_w: Annotated[
        float, Field(ge=10, le=2_000_000, json_schema_extra={"x-unit": "W"}, description="watts it gives at most")
    ]
    array_w: Watts | None = None
    tilt_deg: Tilt | None = None
    azimuth_deg: Azimuth | None = None
    lowers_by_hz: bool = True


class Sun(Document):
    """The sun chargers of the job, and arrays that feed the output side."""

    chargers: Annotated[list[JobSunCharger], Field(max_length=32)] = []
    on_output: Annotated[list[OutputArray], Field(max_length=8)] = []

    @field_validator("chargers", "on_output")
    @classmethod
    def _unique(cls, parts: list[Any]) -> list[Any]:
        _ids_once([c.id for c in parts])
        return parts


class JobController(Document):
    """A system controller: its profile, and whether it meters the DC loads here (its profile's word where left out)."""

    id: Identifier
    profile: Identifier
    firmware: Version | None = None
    meters_dc_loads: bool | None = None


class Generator(Document):
    """The generator: continuous watts, derating as a fraction that remains, loads while it charges."""

    continuous_w: Watts
    start: Literal["manual", "auto"] = "manual"
    derate: Annotated[float, Field(gt=0, le=1, description="fraction of the rating that remains")] = 1.0
    loads_while_charging_w: Watts | None = None
    quiet_from: TimeOfDay | None = None
    quiet_to: TimeOfDay | None = None
    min_run_min: Annotated[float, Field(ge=0, le=1440, description="minutes it runs at least")] = 30.0
    warm_up_min: Annotated[float, Field(ge=0, le=60, description="minutes before it is loaded")] = 2.0


class Feed(Document):
    """One more way AC reaches the site: an inlet or a cord, by its breaker or what it carries."""

    name: Title
    breaker_a: PositiveAmps


class Mains(Document):
    """The mains supply: breaker in amperes per phase, how much of it is drawn for hours, loads running while charging, other feeds."""

    breaker_a: PositiveAmps
    breaker_school: Literal["eighty", "all", "own"] = "eighty"
    breaker_part: Annotated[float, Field(ge=0.1, le=1, description="part of the breaker, where the school is own")] | None = None
    shares_input: bool = False
    supply: Literal["grid", "weak-grid"] = "grid"
    loads_while_charging_w: Watts | None = None
    feeds: Annotated[list[Feed], Field(max_length=12)] = []


class Loads(Document):
    """Design loads of the site."""

    continuous_w: Watts | None = None
    peak_w: Watts | None = None
    daily_wh: WattHours | None = None
    other_daily_wh: WattHours | None = None
    shape: (
        Annotated[
            list[Annotated[float, Field(ge=0, le=1000)]],
            Field(min_length=24, max_length=24, description="24 weights, one an hour from midnight"),
        ]
        | None
    ) = None


Shown = Annotated[str, Field(min_length=1, max_length=60, description="a value as the display shows it")]


def _kind_of(value: object) -> str:
    """Return which kind of own figure a value is; the tags stand in brackets, which pointers leave out."""
    return "[switch]" if isinstance(value, bool) else "[word]" if isinstance(value, str) else "[figure]"


OwnFigure = Annotated[
    Annotated[Figure, Tag("[figure]")] | Annotated[bool, Tag("[switch]")] | Annotated[Shown, Tag("[word]")], Discriminator(_kind_of)
]
"""A figure, a switch or one of the choices of a quantity."""


class Policy(Document):
    """What the commissioner wants: schools, preferences, measured margins, own figures."""

    charge_school: Literal["everyday", "full", "limit"] = "everyday"
    charge_cell_v: CellVolts | None = None
    float_school: Literal["same", "rest", "none"] = "rest"
    hold_school: Literal["tail", "per-ah", "short"] = "tail"
    control: Literal["auto", "volts", "soc"] = "auto"
    loop: Literal["auto", "open", "closed"] = "auto"
    max_c_rate: Annotated[float, Field(gt=0, le=5, description="charge current over capacity, per hour")] | None = None
    max_discharge_c_rate: Annotated[float, Field(gt=0, le=10, description="per hour")] | None = None
    link_loss: Literal["auto", "stop", "carry-on"] = "auto"
    new_bank: bool = False
    source_order: Literal["sun-bank-mains", "sun-mains", "mains-first"] = "sun-bank-mains"
    charge_order: Literal["sun-only", "sun-first", "sun-and-mains", "mains-first"] = "sun-first"
    mode: Literal["off-grid", "feed-in", "essential-only", "zero-export", "peak-shaving"] = "off-grid"
    priority: Literal["loads-first", "bank-first"] = "loads-first"
    sell_surplus: bool = False
    export_limit_w: Watts | None = None
    peak_cap_w: Watts | None = None
    outage_reserve_soc: Fraction | None = None
    reserve_soc: Fraction | None = None
    low_end_school: Literal["deep", "usual", "careful"] = "usual"
    shutdown_soc: Fraction | None = None
    overshoot_v: (
        Annotated[
            float, Field(ge=0, le=20, json_schema_extra={"x-unit": "V"}, description="measured overshoot of the pack in volts")
        ]
        | None
    ) = None
    imbalance_v: (
        Annotated[
            float,
            Field(ge=0, le=0.5, json_schema_extra={"x-unit": "V"}, description="measured spread of the cells when full, volts"),
        ]
        | None
    ) = None
    meter_error_v: (
        Annotated[float, Field(ge=0, le=5, json_schema_extra={"x-unit": "V"}, description="error of the unit's voltmeter in volts")]
        | None
    ) = None
    own_figures: Annotated[
        dict[Identifier, OwnFigure],
        Field(max_length=120, description="quantities, each with a figure, true or false, or one of its choices, as its kind is"),
    ] = {}

    @field_validator("own_figures")
    @classmethod
    def _known(cls, own: dict[str, bool | float | str]) -> dict[str, bool | float | str]:
        from ..trade.quantities import QUANTITIES

        for name, value in own.items():
            q = QUANTITIES.get(name)
            if q is None:
                raise ValueError(f"{name} is not a quantity; quantities are " + ", ".join(sorted(QUANTITIES)))
            if q.kind == "switch" and not isinstance(value, bool):
                raise ValueError(f"{name} is true or false")
            if q.kind == "choice" and (not isinstance(value, str) or (q.choices and value not in dict(q.choices))):
                raise ValueError(f"{name} is one of " + ", ".join(k for k, _ in q.choices) if q.choices else f"{name} is a word")
            if q.kind not in ("switch", "choice") and (isinstance(value, (bool, str))):
                raise ValueError(f"{name} is a figure")
        return own

    @property
    def sells(self) -> bool:
        """Whether anything is fed into the grid: by the mode itself, or as surplus beside the grid."""
        return self.mode == "feed-in" or (self.sell_surplus and self.mode != "off-grid")

    def own_number(self, name: str) -> float | None:
        """Return an own figure that is a number; None where there is none."""
        value = self.own_figures.get(name)
        return value if isinstance(value, float) and not isinstance(value, bool) else None


class Price(Document):
    """A price between two times of day on some days."""

    days: Days = "all"
    from_: Annotated[TimeOfDay, Field(alias="from")]
    to: TimeOfDay
    price: Annotated[float, Field(ge=-10, le=100, description="money a kWh")]
    export: Annotated[float, Field(ge=-10, le=100, description="money a kWh sold; the tariff's export where left out")] | None = (
        None
    )


class Tariff(Document):
    """What the mains cost and pay: by time, the rest at base and export; a charge on the highest quarter hour of a month."""

    currency: Annotated[str, Field(min_length=1, max_length=8)] = "EUR"
    base: Annotated[float, Field(ge=-10, le=100, description="money a kWh")]
    prices: Annotated[list[Price], Field(max_length=40)] = []
    export: Annotated[float, Field(ge=-10, le=100, description="money a kWh")] = 0.0
    demand_per_kw: Annotated[float, Field(ge=0, le=1000, description="money a kW and month")] = 0.0


class Series(Document):
    """Measured power, one figure a step from midnight of ``start`` (else of the simulation's first day), repeated when it ends."""

    step_min: Literal[1, 5, 10, 15, 30, 60] = 60
    start: Date | None = None
    values_w: Annotated[list[Annotated[float, Field(ge=0, le=2_000_000)]], Field(min_length=1, max_length=40_000)]


class Outage(Document):
    """The mains fail on a date, between two times of day."""

    date: Date
    from_: Annotated[TimeOfDay, Field(alias="from")]
    to: TimeOfDay


class Flow(Document):
    """What the simulated day and year rest on."""

    start: Date = "2025-01-01"
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    start_soc: Fraction = 0.5
    cloudiness: Annotated[float, Field(ge=0, le=1, description="0 always clear, 1 mostly overcast")] = 0.45
    sun: Series | None = None
    load: Series | None = None
    outages: Annotated[list[Outage], Field(max_length=400)] = []


class Season(Document):
    """A part of the year by name, from a day to a day, both within; it may lie over the new year. Its tariff rules then."""

    name: Title
    from_: Annotated[MonthDay, Field(alias="from")]
    to: MonthDay
    tariff: Tariff | None = None


class Window(Document):
    """One time-of-use window: what the bank is for between two times of day; in a season, or from a day of the year to another, where given."""

    days: Days = "all"
    from_: Annotated[TimeOfDay, Field(alias="from")]
    to: TimeOfDay
    action: Literal["charge", "hold", "use", "export"]
    target_soc: Fraction | None = None
    power_w: Watts | None = None
    season: Title | None = None
    from_date: MonthDay | None = None
    to_date: MonthDay | None = None

    @model_validator(mode="after")
    def _dates(self) -> Window:
        if (self.from_date is None) != (self.to_date is None):
            raise ValueError("give both the first and the last day, or neither")
        if self.season is not None and self.from_date is not None:
            raise ValueError("a window has a season or dates, not both")
        return self


Side = Literal["load", "grid", "generator", "sun", "charger", "unit", "bank", "module"]
"""What stands behind a breaker: loads, a source of AC, a sun string, or the way from a device to the bank."""


class Breaker(Document):
    """One breaker or switch of the site: its name, what it feeds, its side, the device that it depends on or joins to the bank."""

    id: Identifier
    name: Title
    side: Side
    feeds: Text | None = None
    device: Identifier | None = None

    @model_validator(mode="after")
    def _whose(self) -> Breaker:
        if self.side in ("sun", "charger", "unit", "module") and self.device is None:
            raise ValueError(f"a breaker of side {self.side} needs the device it belongs to")
        if self.id in ("wait", "amps", "dead"):
            raise ValueError(f"a breaker cannot be called {self.id}: a step of the run is")
        return self


class SheetMark(Document):
    """What was done with one row of a unit's sheet."""

    state: Literal["done", "skipped"]
    read_back: Annotated[str, Field(max_length=60)] | None = None
    entered: Annotated[str, Field(max_length=60, description="what was entered, as displayed")] | None = None
    note: Text | None = None


class Job(Document):
    """A whole job. Anything optional that is left out is assumed aloud by the plan.

    ``as_found`` and ``sheet_marks`` are what the job's events say of its devices, laid over it for planning; a stored job
    has neither. A ``job/1`` is read as what it is now, with its marks laid over it.
    """

    version_tag: ClassVar[str] = "job/2"

    ewerer: Literal["job/2"] = "job/2"
    name: Title
    notes: Text | None = None
    site: Site = Site()
    bank: JobBank = JobBank()
    units: Annotated[list[JobUnit], Field(max_length=32)] = []
    link: JobLink = JobLink()
    sun: Sun = Sun()
    controller: JobController | None = None
    generator: Generator | None = None
    mains: Mains | None = None
    loads: Loads = Loads()
    policy: Policy = Policy()
    windows: Annotated[list[Window], Field(max_length=60)] = []
    seasons: Annotated[list[Season], Field(max_length=12)] = []
    tariff: Tariff | None = None
    flow: Flow = Flow()
    breakers: Annotated[list[Breaker], Field(max_length=120)] = []
    as_found: Annotated[dict[Identifier, dict[Identifier, Shown]], Field(max_length=140)] = {}
    extra_entries: Annotated[dict[Identifier, dict[Identifier, Shown]], Field(max_length=140)] = {}
    profile_revisions: Annotated[dict[Identifier, Annotated[int, Field(ge=1)]], Field(max_length=200)] = {}
    sheet_marks: Annotated[dict[Identifier, dict[Identifier, SheetMark]], Field(max_length=140)] = {}

    @classmethod
    def parse(cls, source: str | bytes | dict[str, Any]) -> Job:
        """Return the document in JSON text or plain data; raise :class:`~ewerer.DocumentError` with every problem.

        >>> import ewerer
        >>> ewerer.Job.parse('{"ewerer": "job/2", "name": "Barn"}').name
        'Barn'
        >>> ewerer.Job.parse({"ewerer": "job/2", "name": "Barn", "bank": {"fuse_a": -3}})
        Traceback (most recent call last):
        ewerer.core.trade.errors.DocumentError: /bank/fuse_a: too low; write the size of the current, the direction is in the key; found -3; expected amperes, above zero from 0.5 to 5000 A
        """
        return parse_document(cls, source if isinstance(source, dict) else parse_json(source))

    @property
    def profiles_named(self) -> frozenset[str]:
        """The ids of all profiles that the job names."""
        rows: list[JobModule | JobUnit | JobSunCharger] = [*self.bank.modules, *self.units, *self.sun.chargers]
        named = {r.profile for r in rows} | {self.controller.profile if self.controller else None, self.link.adapter}
        return frozenset(n for n in named if n)

    @field_validator("units", "breakers")
    @classmethod
    def _unique(cls, parts: list[Any]) -> list[Any]:
        _ids_once([p.id for p in parts])
        return parts

    @classmethod
    def upgraded(cls, data: dict[str, Any]) -> dict[str, Any]:
        """Return a document of an earlier version as one of this: a ``job/1`` differs in its name only."""
        return {**data, "ewerer": "job/2"} if data.get("ewerer") == "job/1" else data

    def bare(self) -> Job:
        """Return the job without what its events say."""
        told = self.model_fields_set - {"as_found", "sheet_marks"}
        return Job.model_construct(_fields_set=told, **{name: getattr(self, name) for name in told})

    @model_validator(mode="after")
    def _seasons(self) -> Job:
        names = [s.name for s in self.seasons]
        _ids_once(names)
        for i, w in enumerate(self.windows):
            if w.season is not None and w.season not in names:
                known = "seasons are " + ", ".join(names) if names else "there are no seasons"
                raise ValueError(f"window {i + 1} names the season {w.season}; {known}")
        return self


def _ids_once(ids: list[Any]) -> None:
    seen: set[Any] = set()
    for id in ids:
        if id in seen:
            raise ValueError(f"id {id!r} stands twice; each needs its own")
        seen.add(id)
