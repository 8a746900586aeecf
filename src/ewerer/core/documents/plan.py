"""The plan, ``plan/1``: every figure with its reason, every finding, every unit's sheet."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field


class PlanPart(BaseModel):
    """Base of all results: immutable, unknown keys refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Finding(PlanPart):
    """What was compared with what, in numbers and units, what to change, and where."""

    rule: str
    stage: str
    severity: Literal["stop", "caution", "note"]
    title: str
    at: str
    message: str
    numbers: dict[str, Any] = {}
    fix: str = ""
    source: str = ""
    status: str = ""


class BankFigures(PlanPart):
    """The bank's own figures. Limits are amperes at the bank; None where nothing is known."""

    series_cells: int
    capacity_ah: float
    energy_wh: float
    resistance_mohm: float
    charge_limit_a: float
    charge_limit_sum_a: float
    discharge_limit_a: float
    discharge_limit_sum_a: float
    reported_charge_a: float | None
    reported_discharge_a: float | None
    binding_module: str | None
    binding_module_discharge: str | None
    join_current_a: float | None


class WithoutOne(BankFigures):
    """The bank with the one module gone whose loss hurts most."""

    lost_module: str


class ModuleFigures(PlanPart):
    """One module as it counts in the bank; share is the part of the bank's current it carries."""

    id: str
    name: str
    series_cells: int
    capacity_ah: float
    resistance_mohm: float
    lead_mohm: float
    charge_a: float
    discharge_a: float
    cell_max_v: float
    cell_min_v: float
    resting_v: float | None
    share: float
    current_at_limit_a: float


class Bank(BankFigures):
    """The bank of the plan, with each module and the figures with one module gone."""

    nominal_v: float
    class_v: int
    chemistry: str
    cell_max_v: float
    cell_min_v: float
    path_mohm: float
    without_one: WithoutOne | None
    modules: list[ModuleFigures]


class Reason(PlanPart):
    """One line of a why: the rule and its formula with this job's numbers in it."""

    rule: str
    text: str
    bound: Literal["lowest", "highest", "value", "school"]


class Alternative(PlanPart):
    """Another school's figure for the same quantity."""

    school: str
    value: float | str
    text: str


class Rung(PlanPart):
    """One threshold: value, permitted range, margin to the next below, what it means in charge, why.

    ``value`` is volts of the pack or a fraction of charge. ``at_rest_soc`` and ``under_load_soc`` are
    fractions; the bands are the lowest and highest charge the reading may stand for.
    """

    word: str
    kind: Literal["volts", "soc"]
    value: float
    cell_v: float | None
    lowest: float
    highest: float
    step: float
    margin: float | None
    next_below: str | None
    at_rest_soc: float | None
    at_rest_soc_band: list[float] | None
    under_load_soc: float | None
    full_load_soc: float | None
    sag_v: float
    wished: float | None
    own: bool
    active: bool
    settable: bool
    why: list[str]
    reasons: list[Reason]
    alternatives: list[Alternative]


class Zone(PlanPart):
    """A forbidden stretch of the ladder in pack volts."""

    low: float
    high: float
    word: str


class SocMark(PlanPart):
    """Resting volts of the pack at a state of charge, for the band beside the ladder."""

    soc: float
    v: float


class LadderView(PlanPart):
    """What a drawing of the ladder needs beside the rungs."""

    solved_for: str
    feasible: bool
    low_v: float
    high_v: float
    zones: list[Zone]
    soc_marks: list[SocMark]
    design_load_a: float
    full_load_a: float
    path_mohm: float
    decide_by: Literal["volts", "soc"]
    conflict: list[str]
    way_out: str


class Cap(PlanPart):
    """One cap of a chain: name, amperes at the bank, why; rule it comes from."""

    cap: str
    word: str
    a: float
    why: str
    rule: str
    without_one_a: float | None = None


class UnitShare(PlanPart):
    """What one unit may carry, amperes."""

    unit: str
    a: float
    own_max_a: float
    kind: Literal["unit", "sun-charger"] = "unit"


class Chain(PlanPart):
    """The chain of caps in one direction, the binding one, the split to units."""

    bank_a: float
    binding: str | None
    caps: list[Cap]
    units: list[UnitShare]
    needed_a: float | None
    needed_peak_a: float | None
    without_one_a: float | None


class AcSource(PlanPart):
    """The charging budget of one AC source: free watts, safe amperes, the trade's short cut."""

    source: Literal["mains", "generator"]
    available_w: float
    loads_w: float
    free_w: float
    charge_a: float
    shortcut_a: float
    shortcut_draws_w: float


class Ac(PlanPart):
    """The tightest AC source, and all of them. None where no AC source exists."""

    free_w: float | None
    charge_a: float | None
    shortcut_a: float | None
    source: str | None
    sources: list[AcSource]


class Limits(PlanPart):
    """Charge and discharge chains and the AC budget."""

    charge: Chain
    discharge: Chain
    ac: Ac
    temperature_c: float | None


class LinkProblem(PlanPart):
    """What stands in the way of one link candidate: rule, severity, words."""

    rule: str
    severity: Literal["stop", "caution", "note"]
    text: str


class LinkCandidate(PlanPart):
    """One way to link a module family with the units. ``key`` is what a job chooses by."""

    key: str
    loop: Literal["closed", "open"]
    word: str
    family: str | None
    protocol: str | None
    version: str | None
    bus: Literal["can", "rs485"] | None
    bitrate: int | None
    unit_port: str | None
    bms_port: str | None
    entry: str | None
    possible: bool
    chosen: bool
    speaks_for: list[str]
    speaks_against: list[LinkProblem]


class Wire(PlanPart):
    """One conductor: pin at the BMS plug, pin at the unit plug, signal, T568B colour and pair of the conductor."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, serialize_by_alias=True)

    from_: int = Field(alias="from")
    to: int
    signal: str
    colour: str
    conductor: int
    pair: int


class OpenPin(PlanPart):
    """A pin that must stay unconnected, and why."""

    end: Literal["bms", "unit"]
    pin: int
    signal: str
    why: str


class Cable(PlanPart):
    """The cable between BMS and host unit."""

    straight: bool
    kind: Literal["patch", "made", "terminal"]
    wires: list[Wire]
    open_pins: list[OpenPin]
    length_limit_m: float
    length_m: float | None
    advice: list[str]


class ModuleAddress(PlanPart):
    """The address of one module: planned switches (True is up), what was found, the verdict."""

    module: str
    host: bool
    address: int
    switches: list[bool]
    found: list[bool] | None
    found_address: int | None
    ok: bool | None


class AddressPlan(PlanPart):
    """Switches of every speaking module, the cables between them, and the words to go with them."""

    family: str
    least_first: bool
    on_is: Literal["up", "down"]
    modules: list[ModuleAddress]
    path: list[dict[str, str]]
    steps: list[str]


class Terminators(PlanPart):
    """Expected ohms across the pair at the plug, power off, with 0..3 terminators; what was measured."""

    needed: int
    each_ohm: float
    expected_ohm: list[float | None]
    measured_ohm: float | None
    found: int | None


class Display(PlanPart):
    """What the inverter should show in one case. None: nothing is shown."""

    case: str
    word: str
    volts: float | None
    charge_v: float | None
    charge_a: float | None
    discharge_a: float | None
    note: str = ""


class UnitLink(PlanPart):
    """What the link means for one unit: cable or not, battery type, protocol entry."""

    unit: str
    cable: bool
    battery_type: str
    entry: str | None


class FirmwareVerdict(PlanPart):
    """What is known of the firmware of one device."""

    device: str
    profile: str
    version: str | None
    verdict: Literal["good", "bad", "unknown", "not-noted"]
    why: str
    yours: bool
    known_good: list[str]
    known_bad: list[str]


class Link(PlanPart):
    """How BMS and inverter talk; open loop when they do not."""

    loop: Literal["closed", "open"]
    protocol: str | None
    host_unit: str | None
    unit_port: str | None
    bms_port: str | None
    bitrate: int | None
    why: str
    key: str | None = None
    family: str | None = None
    speaking: list[str] = []
    silent: list[str] = []
    candidates: list[LinkCandidate] = []
    cable: Cable | None = None
    addresses: AddressPlan | None = None
    terminators: Terminators | None = None
    displays: list[Display] = []
    units: list[UnitLink] = []
    firmware: list[FirmwareVerdict] = []
    silence_s: float | None = None
    unit_port_label: str = ""
    bms_port_label: str = ""


class Derived(PlanPart):
    """A figure or choice that is not a threshold: value, unit, range where it has one, why."""

    word: str
    value: float | str | bool
    unit: str
    lowest: float | None = None
    highest: float | None = None
    why: list[str]
    reasons: list[Reason]
    alternatives: list[Alternative] = []


class SheetRow(PlanPart):
    """One line to type into one unit. ``entry`` is what the display shall show."""

    setting: str
    menu: list[str]
    label: str
    quantity: str
    word: str
    entry: str
    unit: str
    value: float | str | bool
    target: float | str | bool
    scope: Literal["same-on-all", "host", "own"]
    level: Literal["user", "installer"]
    needs: Literal["any", "standby", "off"]
    takes_effect: Literal["at-once", "restart"]
    after: list[str]
    resets: list[str]
    encoding: str
    note: str
    caution: str
    why: list[str]


class LeftAlone(PlanPart):
    """A setting that stays at factory, and why."""

    setting: str
    menu: list[str]
    label: str
    why: str


class UnitSheet(PlanPart):
    """The sheet of one unit in order of entry."""

    id: str
    name: str
    role: str
    settings: list[SheetRow]
    leave_alone: list[LeftAlone]


class AcWindow(PlanPart):
    """The AC input window in volts, from where it lets go to where it takes back."""

    range: Literal["narrow", "wide"]
    low_off_v: float
    low_on_v: float
    nominal_v: float
    high_on_v: float
    high_off_v: float


class SourceOrder(PlanPart):
    """An order as one model calls it; None where it does not offer it. ``idle`` are settings it makes idle."""

    profile: str
    quantity: str
    wanted: str
    label: str
    entry: str | None
    offers: list[str]
    idle: list[str]


class GeneratorPlan(PlanPart):
    """The generator's budget, its load, quiet hours, ramp test and recipe."""

    available_w: float
    derate: float
    loads_w: float
    safe_charge_a: float
    loaded: float
    least_charge_a: float
    quiet_h: float
    quiet_needs_wh: float
    quiet_has_wh: float
    ramp_a: list[float]
    recipe: list[str]


class SourcesPlan(PlanPart):
    """What stage Sources works out."""

    ac_window: AcWindow | None
    orders: list[SourceOrder]
    generator: GeneratorPlan | None


class Slot(PlanPart):
    """One time slot as the unit writes it; in a form of six every slot has all flags."""

    kind: Literal["charge", "discharge", "slot"]
    start: str
    end: str
    target_soc: float | None
    power_w: float | None
    charge_allowed: bool
    holds: bool = False
    exports: bool = False
    free: bool = False
    note: str = ""


class Segment(PlanPart):
    """A stretch in which slots and intent differ: what is wanted, what the unit does."""

    days: str
    start: str
    end: str
    wanted: str
    gets: str


class UnitWindows(PlanPart):
    """The slots of one unit and how they differ from the intent, in minutes and kWh a week."""

    unit: str
    form: Literal["pairs", "six", "single"]
    slots: list[Slot]
    differs_minutes: int
    differs_kwh: float
    where: list[Segment]


class WindowsPlan(PlanPart):
    """The intent, and every unit's slots for it."""

    intent: list[dict[str, Any]]
    units: list[UnitWindows]


class FoundValue(PlanPart):
    """What a unit was found to show for one setting: decoded, beside what is planned."""

    setting: str
    label: str
    quantity: str | None
    shown: str
    value: float | str | bool | None
    planned: str | None
    same: bool | None
    dangerous: bool
    problem: str


class AgreementRow(PlanPart):
    """One setting over all units of a model: what each shows, whether they agree as the scope asks."""

    profile: str
    setting: str
    label: str
    menu: list[str]
    scope: Literal["same-on-all", "host", "own"]
    shown: dict[str, str | None]
    planned: dict[str, str | None]
    agrees: bool | None
    text: str


class Misfit(PlanPart):
    """Why a preset does not do: the quantity, what the preset sets, what is permitted or planned."""

    quantity: str
    word: str
    preset: float
    lowest: float | None
    highest: float | None
    text: str


class PresetVerdict(PlanPart):
    """Whether a shipped preset of a unit passes the same rules as the plan."""

    profile: str
    preset: str
    fits: bool
    misfits: list[Misfit]


class ReadBack(PlanPart):
    """The verdict on a value read back after entry."""

    key: str
    ok: bool
    text: str


class StageState(PlanPart):
    """The state of one stage of the work and its key figure in words."""

    stage: str
    word: str
    state: Literal["ok", "note", "caution", "stop", "open"]
    key: str


class Plan(PlanPart):
    """A whole plan. Pure function of a job and a library."""

    version_tag: ClassVar[str] = "plan/1"

    ewerer: Literal["plan/1"] = "plan/1"
    job: str
    bank: Bank | None
    ladder: dict[str, Rung]
    ladder_view: LadderView | None
    quantities: dict[str, Derived]
    limits: Limits | None
    link: Link
    units: list[UnitSheet]
    sources: SourcesPlan
    windows: WindowsPlan
    found: dict[str, list[FoundValue]] = {}
    agreement: list[AgreementRow] = []
    presets: list[PresetVerdict] = []
    readbacks: dict[str, list[ReadBack]] = {}
    findings: list[Finding]
    stages: list[StageState]

    def worst(self) -> str:
        """Return the worst severity among the findings, or ``none``."""
        found = {f.severity for f in self.findings}
        return next((s for s in ("stop", "caution", "note") if s in found), "none")
