"""Device profiles: ``module/1``, ``inverter/1``, ``sun-charger/1``. A new device is a new JSON file."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import Field, field_validator, model_validator

from ..trade.margins import CHARGER_EFFICIENCY, INVERTER_EFFICIENCY, SUN_EFFICIENCY
from ..trade.quantities import QUANTITIES
from .base import (
    AmpHours,
    Amps,
    CellCount,
    CellVolts,
    Condition,
    Document,
    Figure,
    Fraction,
    Identifier,
    Milliohms,
    PackVolts,
    PositiveAmps,
    Shown,
    SlotFormName,
    Text,
    Title,
    Watts,
)
from .conditions import ConditionError, parse_condition, parse_interlock
from .job import Chemistry, OcvPoint, Peukert, RatedHours, rising_curve
from .registers import Register, RegisterMap

Bus = Literal["can", "rs485"]
BitRate = Annotated[int, Field(ge=100, le=10_000_000, description="bits a second")]
MAX_STEPS = 10_000_000
LEAST_STEP = 0.00001


class Firmware(Document):
    """One firmware version with a verdict and the reason for it."""

    version: Annotated[str, Field(max_length=40)]
    verdict: Literal["good", "bad"]
    why: Text | None = None


class Port(Document):
    """A communication port: connector, bus, bit rates offered, signal name of each used pin."""

    id: Identifier
    label: Annotated[str, Field(max_length=40)]
    connector: Literal["8p8c", "terminal"] = "8p8c"
    bus: Bus
    bitrates: Annotated[list[BitRate], Field(min_length=1, max_length=12)]
    pins: Annotated[dict[Annotated[str, Field(pattern=r"^([1-9]|1[0-2])$")], Shown], Field(max_length=12)]
    purpose: Literal["inverter", "module", "follower", "meter"] = "inverter"


class Protocol(Document):
    """A BMS protocol spoken on one port: name, version, bit rate, and how it is chosen in the menu."""

    name: Identifier
    version: Annotated[str, Field(max_length=20)]
    port: Identifier
    bitrate: BitRate
    entry: Annotated[str, Field(max_length=40)] | None = None
    approved: bool = False


class Derating(Document):
    """One point of a temperature derating line: at ``temp_c`` the fraction of current allowed."""

    temp_c: Annotated[float, Field(ge=-60, le=90, description="degrees Celsius")]
    fraction: Fraction


def _ports_known(protocols: list[Protocol], ports: list[Port]) -> None:
    known = {p.id for p in ports}
    for protocol in protocols:
        if protocol.port not in known:
            raise ValueError(f"protocol {protocol.name!r} names an unknown port")


class HostRule(Document):
    """How module addresses go: the host's address, the first of the others, switches."""

    host_address: Annotated[int, Field(ge=0, le=255)]
    first_other: Annotated[int, Field(ge=0, le=255)]
    switches: Annotated[int, Field(ge=0, le=8)] = 4
    least_first: bool = True
    on_is: Literal["up", "down"] = "up"
    host_pattern: (
        Annotated[str, Field(pattern=r"^[ud]{1,8}$", description="the host's switches where they are no number")] | None
    ) = None
    max_modules: Annotated[int, Field(ge=1, le=64)] = 16

    @model_validator(mode="after")
    def _pattern_fits(self) -> HostRule:
        if self.host_pattern is not None and len(self.host_pattern) != self.switches:
            raise ValueError("the host's pattern must have one letter for each switch")
        return self


class TimedRequest(Document):
    """What a BMS asks of the inverter at its own times: what, how often or below which charge, for how long."""

    ask: Literal["full-charge", "force-charge", "stop-charge", "stop-discharge"]
    every_days: Annotated[float, Field(gt=0, le=400, description="days from one to the next")] | None = None
    below_soc: Fraction | None = None
    lasts_min: Annotated[float, Field(gt=0, le=10_000, description="minutes it lasts")] | None = None
    request_cell_v: CellVolts | None = None


class Bms(Document):
    """What a module's BMS reports and to whom."""

    protocols: Annotated[list[Protocol], Field(max_length=12)] = []
    ports: Annotated[list[Port], Field(max_length=8)] = []
    addresses: HostRule | None = None
    buffer: Annotated[float, Field(gt=0, le=1, description="fraction of the limit that is reported")] = 1.0
    report_step_a: Annotated[float, Field(gt=0, le=100, description="amperes")] = 1.0
    charge_voltage_rule: Literal["host", "lowest"] = "host"
    request_cell_v: CellVolts | None = None
    terminators: Literal["built-in", "plug", "switch"] = "plug"
    timed_requests: Annotated[list[TimedRequest], Field(max_length=12)] = []
    silence_s: Annotated[float, Field(gt=0, le=600, description="seconds without a message that count as loss of link")] | None = (
        None
    )

    @model_validator(mode="after")
    def _references(self) -> Bms:
        _ports_known(self.protocols, self.ports)
        return self


Fact = Literal["topology", "phase", "place", "role", "units", "firmware", "chemistry", "cells", "loop"]
"""What a choice may depend on besides its own value; ``place`` is the unit's number on its phase, ``units`` alone or group."""


class Encoding(Document):
    """How a canonical value becomes what the display shows.

    ``plain``: value times ``scale``. ``per-2v-cell``: pack volts over the number of 2-V cells of the
    unit's voltage class. ``percent-of-rated``: percent of ``rated``. ``choice``: one of ``choices``, whose keys
    may carry facts of the job (``by``), ``*`` standing for any, the first that fits counting.
    ``on-off``: as choice with yes and no. ``hhmm``: minutes as HH:MM.
    """

    kind: Literal["plain", "per-2v-cell", "percent-of-rated", "choice", "on-off", "hhmm"] = "plain"
    scale: Annotated[float, Field(ge=1e-4, le=1e4, description="a factor")] = 1.0
    rated: Annotated[float, Field(ge=0.1, le=1e6, description="a rating")] | None = None
    choices: Annotated[dict[Shown, Shown], Field(max_length=100, description="at most 100 choices")] | None = None
    by: Annotated[
        list[Fact], Field(max_length=4, description="facts that stand after the value in every key of choices: three/L2/1")
    ] = []

    @model_validator(mode="after")
    def _complete(self) -> Encoding:
        if self.kind == "percent-of-rated" and self.rated is None:
            raise ValueError("percent-of-rated needs rated")
        if self.kind in ("choice", "on-off") and not self.choices:
            raise ValueError(f"{self.kind} needs choices")
        if self.kind == "on-off" and set(self.choices or {}) != {"yes", "no"}:
            raise ValueError("on-off needs the choices yes and no")
        if self.by and self.kind != "choice":
            raise ValueError("only a choice goes by facts")
        if self.by and any(len(key.split("/")) != 1 + len(self.by) for key in self.choices or {}):
            raise ValueError("every key of choices needs the value and one part for each fact, with strokes between")
        if self.choices and not self.by and len(set(self.choices.values())) != len(self.choices):
            raise ValueError("two choices show the same on the display")
        return self


class SideEffect(Document):
    """What a write of this setting does to others: setting id -> value displayed afterwards."""

    when: Condition | None = None
    sets: Annotated[dict[Identifier, Shown], Field(max_length=200, description="at most 200 settings")]

    @field_validator("when")
    @classmethod
    def _readable(cls, text: str | None) -> str | None:
        if text is not None:
            _checked(parse_condition, text)
        return text


class SlotPlace(Document):
    """Which part of which time slot a setting holds; slots of a kind are numbered from 1."""

    kind: Literal["charge", "discharge", "no-discharge", "slot"]
    no: Annotated[int, Field(ge=1, le=12)] = 1
    field: Literal["on", "from", "to", "target", "power", "charge", "generator"]


SLOT_ENCODINGS: dict[str, tuple[str, ...]] = {
    **dict.fromkeys(("on", "charge", "generator"), ("on-off",)),
    **dict.fromkeys(("from", "to"), ("hhmm",)),
    "target": ("plain", "per-2v-cell"),
    "power": ("plain", "percent-of-rated"),
}
"""How each part of a slot may be written."""


class Unlock(Document):
    """How the installer level is opened: the kind of way, and what to do in words."""

    way: Literal["password", "digit-sum", "key-chord", "menu", "none"]
    how: Annotated[str, Field(min_length=1, max_length=300)]


class Keys(Document):
    """What the device's keys do: which opens a value, which commits it, which leaves without saving."""

    opens: Annotated[str, Field(max_length=120)]
    commits: Annotated[str, Field(max_length=120)]
    leaves: Annotated[str, Field(max_length=120)]


class Setting(Document):
    """One setting of a device, as its own menu shows it."""

    id: Identifier
    menu: Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=5)]
    label: Annotated[str, Field(max_length=60)]
    quantity: Identifier | None = None
    unit: Annotated[str, Field(max_length=12)] = ""
    min: Figure | None = None
    max: Figure | None = None
    step: Annotated[float, Field(ge=1e-6, le=1e6, description="a step")] | None = None
    values: (
        Annotated[
            list[Figure],
            Field(min_length=2, max_length=200, description="the only figures it takes, rising, where they are in no even steps"),
        ]
        | None
    ) = None
    off: Annotated[Shown | None, Field(description="what it shows where it is off, outside its range")] = None
    factory: Shown | None = None
    encoding: Encoding = Encoding()
    safe: Literal["down", "up", "nearest"] = "nearest"
    scope: Literal["same-on-all", "host", "own", "cluster-total"] = "same-on-all"
    level: Literal["user", "installer"] = "user"
    needs: Literal["any", "standby", "off"] = "any"
    takes_effect: Literal["at-once", "restart"] = "at-once"
    works_only_if: Condition | None = None
    side_effects: Annotated[list[SideEffect], Field(max_length=8)] = []
    slot: SlotPlace | None = None
    register_: Annotated[Register | None, Field(alias="register", description="where it lies, as the maker's document says")] = None
    caution: Text | None = None
    note: Text | None = None

    @field_validator("quantity")
    @classmethod
    def _known(cls, name: str | None) -> str | None:
        if name is not None and name not in QUANTITIES:
            raise ValueError(f"{name} is not a known quantity")
        return name

    @field_validator("works_only_if")
    @classmethod
    def _readable(cls, text: str | None) -> str | None:
        if text is not None:
            _checked(parse_condition, text)
        return text

    @model_validator(mode="before")
    @classmethod
    def _listed(cls, data: Any) -> Any:
        """Fill in the ends and the least step of figures that are listed."""
        values = data.get("values") if isinstance(data, dict) else None
        if not isinstance(values, list) or len(values) < 2 or not all(isinstance(v, (int, float)) for v in values):
            return data
        if any(b - a <= 0 for a, b in pairwise(values)):
            raise ValueError("values must rise")
        least = round(min(b - a for a, b in pairwise(values)), 9)
        return {**data, "min": values[0], "max": values[-1], "step": least}

    @model_validator(mode="after")
    def _one_meaning(self) -> Setting:
        if self.slot is not None and self.quantity is not None:
            raise ValueError("a setting carries a quantity or a part of a slot, not both")
        if self.slot is not None:
            kinds = SLOT_ENCODINGS[self.slot.field]
            if self.encoding.kind not in kinds:
                raise ValueError(f"the {self.slot.field} of a slot is written as {' or '.join(kinds)}")
        return self

    @model_validator(mode="after")
    def _numeric_complete(self) -> Setting:
        if self.encoding.kind in ("plain", "per-2v-cell", "percent-of-rated", "hhmm"):
            if self.min is None or self.max is None or self.step is None:
                raise ValueError("a numeric setting needs min, max and step")
            if self.min > self.max:
                raise ValueError("min is above max")
            if (self.max - self.min) / self.step > MAX_STEPS:
                raise ValueError(f"more than {MAX_STEPS} steps from min to max; the step is too fine")
            if self.step / self.encoding.scale < LEAST_STEP:
                raise ValueError(f"a step of less than {LEAST_STEP:f} of the quantity's own unit; the step is too fine")
        return self

    @property
    def is_choice(self) -> bool:
        """Whether the setting is picked from a list."""
        return self.encoding.kind in ("choice", "on-off")


def _checked(parse: Callable[[str], object], text: str) -> None:
    try:
        parse(text)
    except ConditionError as error:
        raise ValueError(str(error)) from None


class Interlock(Document):
    """An inequality the unit enforces on entry, in display figures: ``alarm - shutdown >= 0.5``."""

    rule: Annotated[str, Field(max_length=200, description="an interlock of at most 200 characters")]
    note: Text | None = None

    @field_validator("rule")
    @classmethod
    def _readable(cls, text: str) -> str:
        _checked(parse_interlock, text)
        return text


class HasMenu:
    """What every profile with a menu of settings can be asked."""

    if TYPE_CHECKING:
        id: str
        name: str
        settings: list[Setting]
        interlocks: list[Interlock]
        modbus: RegisterMap | None
        unlock: Unlock | None
        keys: Keys | None
        wake: str | None

    @cached_property
    def by_quantity(self) -> dict[str, Setting]:
        """The settings by the quantity they carry; the first one counts."""
        return {s.quantity: s for s in reversed(self.settings) if s.quantity is not None}

    @cached_property
    def all_by_quantity(self) -> dict[str, list[Setting]]:
        """All settings of each quantity that some carry."""
        out: dict[str, list[Setting]] = {}
        for s in self.settings:
            if s.quantity is not None:
                out.setdefault(s.quantity, []).append(s)
        return out

    def setting_for(self, quantity: str) -> Setting | None:
        """Return the setting that carries ``quantity``, or None."""
        return self.by_quantity.get(quantity)

    @property
    def menu_class_v(self) -> float:
        """Voltage class that its per-cell entries count with [V]."""
        return 48.0

    @property
    def sees_coulombs(self) -> bool:
        """Whether it counts ampere-hours itself."""
        return False

    @property
    def counts_blocks_of_v(self) -> float | None:
        """Nominal volts of what it calls a block [V]; None where a block is a whole module."""
        return None

    @property
    def own_sun_a(self) -> float:
        """What its own sun charger can give [A]; 0 without one."""
        return 0.0

    @property
    def rated_w(self) -> float:
        """What it gives on its AC side for hours [W]; 0 without one."""
        return 0.0

    def check_menu(self) -> None:
        """Raise ValueError where settings or interlocks name what is not there."""
        known: set[str] = set()
        for setting in self.settings:
            if setting.id in known:
                raise ValueError(f"setting {setting.id!r} stands twice")
            known.add(setting.id)
        for setting in self.settings:
            named = set()
            if setting.works_only_if:
                named |= parse_condition(setting.works_only_if).names()
            for effect in setting.side_effects:
                named |= set(effect.sets)
                if effect.when:
                    named |= parse_condition(effect.when).names()
            if named - known:
                raise ValueError(f"setting {setting.id!r} names unknown settings {sorted(named - known)}")
        if self.modbus is None and any(s.register_ for s in self.settings):
            raise ValueError("settings with a register need a register map")
        for lock in self.interlocks:
            parsed = parse_interlock(lock.rule)
            if {parsed.above, parsed.below} - known:
                raise ValueError(f"interlock {lock.rule!r} names an unknown setting")


class ModuleProfile(HasMenu, Document):
    """A battery module as its data sheet and warranty describe it."""

    version_tag: ClassVar[str] = "module/1"

    ewerer: Literal["module/1"]
    id: Identifier
    revision: Annotated[int, Field(ge=1)] = 1
    name: Title
    maker: Title
    family: Identifier | None = None
    chemistry: Chemistry = "lfp"
    series_cells: CellCount
    capacity_ah: AmpHours
    resistance_mohm: Milliohms
    charge_a: PositiveAmps
    discharge_a: PositiveAmps
    charge_warranty_a: PositiveAmps | None = None
    discharge_warranty_a: PositiveAmps | None = None
    discharge_peak_a: PositiveAmps | None = None
    cell_max_v: CellVolts
    cell_min_v: CellVolts
    charge_cell_low_v: CellVolts | None = None
    charge_cell_high_v: CellVolts | None = None
    resting_tolerance_v: Annotated[float, Field(gt=0, le=5, description="volts")] | None = None
    charge_derating: Annotated[list[Derating], Field(max_length=24)] = []
    discharge_derating: Annotated[list[Derating], Field(max_length=24)] = []
    rated_h: RatedHours | None = None
    peukert: Peukert | None = None
    ocv: Annotated[list[OcvPoint], Field(max_length=60)] = []
    bms: Bms | None = None
    firmware: Annotated[list[Firmware], Field(max_length=40)] = []
    settings: Annotated[list[Setting], Field(max_length=200)] = []
    interlocks: Annotated[list[Interlock], Field(max_length=60)] = []
    modbus: RegisterMap | None = None
    unlock: Unlock | None = None
    keys: Keys | None = None
    wake: Annotated[str, Field(max_length=300, description="what wakes it before it takes an entry")] | None = None
    notes: Text | None = None

    @field_validator("ocv")
    @classmethod
    def _curve(cls, points: list[OcvPoint]) -> list[OcvPoint]:
        return rising_curve(points)

    def about(self) -> str:
        """Return one line of key figures."""
        return f"{self.series_cells} cells, {self.capacity_ah:g} Ah, in {self.charge_a:g} A, out {self.discharge_a:g} A"

    @property
    def menu_class_v(self) -> float:
        """Voltage class that its per-cell entries count with [V]."""
        return 12.0 * max(1, round(self.series_cells * 3.2 / 12))

    @model_validator(mode="after")
    def _window(self) -> ModuleProfile:
        self.check_menu()
        if self.cell_min_v >= self.cell_max_v:
            raise ValueError("the lowest cell volts must be below the highest")
        for line in (self.charge_derating, self.discharge_derating):
            temps = [p.temp_c for p in line]
            if temps != sorted(set(temps)):
                raise ValueError("derating points must rise in temperature")
        return self


class Ratings(Document):
    """What the unit can do."""

    continuous_w: Watts
    surge_w: Watts
    charge_max_a: PositiveAmps
    ac_charge_max_a: PositiveAmps
    sun_charge_max_a: Amps = 0.0
    battery_v_min: PackVolts
    battery_v_max: PackVolts
    class_v: Annotated[
        int, Field(ge=6, le=1000, json_schema_extra={"x-unit": "V"}, description="voltage class of the battery side")
    ]
    ac_phases: Literal[1, 2, 3] = 1
    trackers: Annotated[int, Field(ge=0, le=12)] = 0
    tracker_w: Watts = 0.0
    array_v_max: Annotated[float, Field(ge=0, le=1500, json_schema_extra={"x-unit": "V"}, description="volts of the array")] = 0.0
    inverter_efficiency: Annotated[float, Field(gt=0.3, le=1, description="fraction")] = INVERTER_EFFICIENCY
    charger_efficiency: Annotated[float, Field(gt=0.3, le=1, description="fraction")] = CHARGER_EFFICIENCY
    idle_w: Watts = 0.0
    ac_input_max_a: Amps = 0.0
    takes_eighty_itself: bool = False


class Preset(Document):
    """A named battery type of the unit with the values it sets: quantity -> canonical value."""

    name: Annotated[str, Field(max_length=40)]
    sets: Annotated[dict[Identifier, Figure], Field(max_length=100, description="at most 100 values")]


class SlotForm(Document):
    """How the unit writes down time windows."""

    form: SlotFormName
    charge_slots: Annotated[int, Field(ge=0, le=12)] = 0
    discharge_slots: Annotated[int, Field(ge=0, le=12)] = 0
    step_min: Annotated[int, Field(ge=1, le=60)] = 1
    end_of_day: Literal["24:00", "23:59"] = "23:59"
    target: Literal["soc", "volts", "none"] = "soc"
    power: Literal["w", "a", "percent", "none"] = "w"
    no_discharge_slots: Annotated[int, Field(ge=0, le=12)] = 0
    rests_without_master: Annotated[
        bool, Field(description="whether the bank never discharges while the grid is there and the master switch is off")
    ] = False


BlockVolts = Annotated[
    float,
    Field(
        ge=2, le=1000, json_schema_extra={"x-unit": "V"}, description="nominal volts of a block, where it counts blocks in series"
    ),
]


class Fixed(Document):
    """What a device does where its menu has no entry for it, as its manual says."""

    absorb_v: Annotated[PackVolts | None, Field(description="volts it charges to")] = None
    float_v: Annotated[PackVolts | None, Field(description="volts it rests at")] = None
    shutdown_v: Annotated[PackVolts | None, Field(description="volts at which it stops giving")] = None
    restart: Annotated[
        Literal["at-once", "at", "by-hand"] | None,
        Field(description="how it comes back after a shut-down: as soon as it may, at a level of its own, by hand"),
    ] = None
    restart_v: Annotated[PackVolts | None, Field(description="volts at which it comes back by itself")] = None
    restart_soc: Annotated[float | None, Field(ge=0, le=1, description="charge (0..1) at which it comes back by itself")] = None

    @model_validator(mode="after")
    def _a_level(self) -> Fixed:
        if self.restart == "at" and self.restart_v is None and self.restart_soc is None:
            raise ValueError("a restart at a level needs its volts or its charge")
        return self


class InverterProfile(HasMenu, Document):
    """An inverter-charger: ratings, ports, protocols and every setting of its menu."""

    version_tag: ClassVar[str] = "inverter/1"

    ewerer: Literal["inverter/1"]
    id: Identifier
    revision: Annotated[int, Field(ge=1)] = 1
    name: Title
    maker: Title
    ratings: Ratings
    ac_volts: Annotated[list[PackVolts], Field(min_length=1, max_length=8)]
    ac_hz: Annotated[list[Literal[50, 60]], Field(min_length=1, max_length=2)]
    topologies: Annotated[list[Literal["single", "split", "three"]], Field(min_length=1, max_length=3)]
    max_parallel: Annotated[int, Field(ge=1, le=32)] = 1
    start_order: Literal["any", "followers-first", "host-first"] = "any"
    counts_coulombs: bool = False
    firmware: Annotated[list[Firmware], Field(max_length=40)] = []
    ports: Annotated[list[Port], Field(max_length=12)] = []
    protocols: Annotated[list[Protocol], Field(max_length=20)] = []
    follower_battery_type: Shown | None = None
    block_v: BlockVolts | None = None
    slots: SlotForm | None = None
    fixed: Fixed = Fixed()
    settings: Annotated[list[Setting], Field(min_length=1, max_length=200)]
    interlocks: Annotated[list[Interlock], Field(max_length=60)] = []
    presets: Annotated[list[Preset], Field(max_length=20)] = []
    modbus: RegisterMap | None = None
    unlock: Unlock | None = None
    keys: Keys | None = None
    wake: Annotated[str, Field(max_length=300, description="what wakes it before it takes an entry")] | None = None
    notes: Text | None = None

    def about(self) -> str:
        """Return one line of key figures."""
        return f"{self.ratings.class_v} V, {self.ratings.continuous_w:g} W, charges {self.ratings.charge_max_a:g} A, {len(self.settings)} settings"

    @property
    def menu_class_v(self) -> float:
        """Voltage class of its battery side [V]."""
        return float(self.ratings.class_v)

    @property
    def counts_blocks_of_v(self) -> float | None:
        """Nominal volts of what it calls a block [V]; None where a block is a whole module."""
        return self.block_v

    @property
    def sees_coulombs(self) -> bool:
        """Whether it counts ampere-hours itself."""
        return self.counts_coulombs

    @property
    def own_sun_a(self) -> float:
        """What its built-in sun chargers can give [A]."""
        return self.ratings.sun_charge_max_a

    @property
    def rated_w(self) -> float:
        """What it gives for hours [W]."""
        return self.ratings.continuous_w

    @model_validator(mode="after")
    def _references(self) -> InverterProfile:
        self.check_menu()
        _ports_known(self.protocols, self.ports)
        return self


class SunChargerProfile(HasMenu, Document):
    """A separate sun charger."""

    version_tag: ClassVar[str] = "sun-charger/1"

    ewerer: Literal["sun-charger/1"]
    id: Identifier
    revision: Annotated[int, Field(ge=1)] = 1
    name: Title
    maker: Title
    charge_max_a: PositiveAmps
    battery_v_max: PackVolts
    array_v_max: PackVolts
    efficiency: Annotated[float, Field(gt=0.3, le=1, description="fraction")] = SUN_EFFICIENCY
    class_v: Annotated[int, Field(ge=6, le=1000, json_schema_extra={"x-unit": "V"}, description="voltage class")] | None = None
    trackers: Annotated[int, Field(ge=1, le=12)] = 1
    follows: Annotated[list[Shown], Field(max_length=8, description="BMS protocols it obeys, by name")] = []
    battery_type_codes: Annotated[
        dict[Annotated[str, Field(pattern=r"^[a-z-]+(-\d+)?$|^user$")], Shown],
        Field(max_length=60, description="what its type setting shows, by chemistry-cells, by chemistry, or user"),
    ] = {}
    fixed: Fixed = Fixed()
    firmware: Annotated[list[Firmware], Field(max_length=40)] = []
    ports: Annotated[list[Port], Field(max_length=8)] = []
    protocols: Annotated[list[Protocol], Field(max_length=12)] = []
    settings: Annotated[list[Setting], Field(max_length=200)] = []
    interlocks: Annotated[list[Interlock], Field(max_length=60)] = []
    modbus: RegisterMap | None = None
    unlock: Unlock | None = None
    keys: Keys | None = None
    wake: Annotated[str, Field(max_length=300, description="what wakes it before it takes an entry")] | None = None
    notes: Text | None = None

    def about(self) -> str:
        """Return one line of key figures."""
        menu = f", {len(self.settings)} settings" if self.settings else ""
        return f"charges {self.charge_max_a:g} A, array up to {self.array_v_max:g} V{menu}"

    @property
    def menu_class_v(self) -> float:
        """Voltage class that its per-cell entries count with [V]."""
        return float(self.class_v or 48)

    @property
    def own_sun_a(self) -> float:
        """What it can give [A]."""
        return self.charge_max_a

    @model_validator(mode="after")
    def _references(self) -> SunChargerProfile:
        self.check_menu()
        _ports_known(self.protocols, self.ports)
        speaks = {p.name for p in self.protocols}
        if self.protocols and set(self.follows) - speaks:
            raise ValueError(f"follows names {sorted(set(self.follows) - speaks)[0]!r}, which is not among its protocols")
        return self


class Lamp(Document):
    """What one lamp of a device shows and what that means."""

    shows: Annotated[str, Field(max_length=80)]
    means: Annotated[str, Field(max_length=200)]


class AdapterProfile(Document):
    """A small converter between a battery's port and a unit's or charger's: two ports, a protocol on each side."""

    version_tag: ClassVar[str] = "adapter/1"

    ewerer: Literal["adapter/1"]
    id: Identifier
    revision: Annotated[int, Field(ge=1)] = 1
    name: Title
    maker: Title
    ports: Annotated[list[Port], Field(min_length=2, max_length=2)]
    battery_side: Annotated[list[Protocol], Field(min_length=1, max_length=12)]
    device_side: Annotated[list[Protocol], Field(min_length=1, max_length=12)]
    lamps: Annotated[list[Lamp], Field(max_length=12)] = []
    notes: Text | None = None

    def about(self) -> str:
        """Return one line of key figures."""
        return f"{', '.join(p.name for p in self.battery_side)} to {', '.join(p.name for p in self.device_side)}"

    @model_validator(mode="after")
    def _sides(self) -> AdapterProfile:
        _ports_known([*self.battery_side, *self.device_side], self.ports)
        if {p.port for p in self.battery_side} & {p.port for p in self.device_side}:
            raise ValueError("one port cannot face both the battery and the device")
        return self


class ControllerProfile(HasMenu, Document):
    """A system controller: caps and switches for all devices together, what it meters."""

    version_tag: ClassVar[str] = "controller/1"

    ewerer: Literal["controller/1"]
    id: Identifier
    revision: Annotated[int, Field(ge=1)] = 1
    name: Title
    maker: Title
    meters_dc_loads: bool = False
    firmware: Annotated[list[Firmware], Field(max_length=40)] = []
    settings: Annotated[list[Setting], Field(min_length=1, max_length=200)]
    interlocks: Annotated[list[Interlock], Field(max_length=60)] = []
    modbus: RegisterMap | None = None
    unlock: Unlock | None = None
    keys: Keys | None = None
    wake: Annotated[str, Field(max_length=300, description="what wakes it before it takes an entry")] | None = None
    notes: Text | None = None

    def about(self) -> str:
        """Return one line of key figures."""
        return f"{len(self.settings)} settings" + (", meters DC loads" if self.meters_dc_loads else "")

    @model_validator(mode="after")
    def _references(self) -> ControllerProfile:
        self.check_menu()
        return self


MenuProfile = InverterProfile | SunChargerProfile | ModuleProfile | ControllerProfile
"""Profiles whose devices have a menu of settings."""
Profile = InverterProfile | ModuleProfile | SunChargerProfile | AdapterProfile | ControllerProfile


PROFILE_MODELS: dict[
    str, type[ModuleProfile] | type[InverterProfile] | type[SunChargerProfile] | type[AdapterProfile] | type[ControllerProfile]
] = {
    "module/1": ModuleProfile,
    "inverter/1": InverterProfile,
    "sun-charger/1": SunChargerProfile,
    "adapter/1": AdapterProfile,
    "controller/1": ControllerProfile,
}
