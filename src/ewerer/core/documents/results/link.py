"""Results of stage Link: candidates, cable, addresses, expected displays."""

from __future__ import annotations

from typing import Literal

from pydantic import ConfigDict, Field

from .base import PlanPart


class LinkProblem(PlanPart):
    """What stands in the way of one link candidate: rule, severity, words."""

    rule: str = Field(description="id of the rule")
    severity: Literal["stop", "caution", "note"] = Field(description="stop: not possible; caution; note")
    text: str = Field(description="what stands in the way")


class LinkCandidate(PlanPart):
    """One way to link a module family with the units. ``key`` is what a job chooses by."""

    key: str = Field(description="what a job chooses it by")
    loop: Literal["closed", "open"] = Field(description="closed: the BMS tells the inverter; open: settings alone decide")
    word: str = Field(description="its name on screens")
    family: str | None = Field(description="module family that would speak")
    protocol: str | None = Field(description="protocol both ends speak")
    version: str | None = Field(description="its version")
    bus: Literal["can", "rs485"] | None = Field(description="physical layer")
    bitrate: int | None = Field(description="bits a second [bit/s]")
    unit_port: str | None = Field(description="port of the unit")
    bms_port: str | None = Field(description="port of the BMS")
    entry: str | None = Field(description="what to choose in the unit's menu")
    adapter: str | None = Field(default=None, description="adapter between battery and device")
    bms_protocol: str | None = Field(default=None, description="what the BMS speaks, where an adapter translates it")
    possible: bool = Field(description="whether nothing stops it")
    chosen: bool = Field(description="whether it is the plan's link")
    speaks_for: list[str] = Field(description="what speaks for it")
    speaks_against: list[LinkProblem] = Field(description="what speaks against it")


class Wire(PlanPart):
    """One conductor: pin at the BMS plug, pin at the unit plug, signal, T568B colour and pair of the conductor."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, serialize_by_alias=True)

    from_: int = Field(alias="from", description="pin at the BMS plug")
    to: int = Field(description="pin at the unit's plug")
    signal: str = Field(description="signal on it")
    colour: str = Field(description="colour of the conductor by TIA-568 B")
    conductor: int = Field(description="position of the conductor in the cable")
    pair: int = Field(description="pair of the cable")


class OpenPin(PlanPart):
    """A pin that must stay unconnected, and why."""

    end: Literal["bms", "unit"] = Field(description="which plug")
    pin: int = Field(description="pin number")
    signal: str = Field(description="signal on it")
    why: str = Field(description="why it stays open")


class Cable(PlanPart):
    """The cable between BMS and host unit."""

    straight: bool = Field(description="whether a patch cable fits")
    kind: Literal["patch", "made", "terminal"] = Field(description="patch, made, or to terminals")
    wires: list[Wire] = Field(description="pin to pin")
    open_pins: list[OpenPin] = Field(description="pins that stay unconnected")
    length_limit_m: float = Field(description="longest bus at this bit rate [m]")
    length_m: float | None = Field(description="length given [m]")
    advice: list[str] = Field(description="what to mind while making it")


class ModuleAddress(PlanPart):
    """The address of one module: planned switches (True is up), what was found, the verdict."""

    module: str = Field(description="the module")
    host: bool = Field(description="whether it speaks for the others")
    address: int = Field(description="planned address")
    switches: list[bool] = Field(description="switches as planned, up is true, the first switch first")
    found: list[bool] | None = Field(description="switches as found")
    found_address: int | None = Field(description="address they stand for")
    ok: bool | None = Field(description="whether they are as planned")


class AddressPlan(PlanPart):
    """Switches of every speaking module, the cables between them, and the words to go with them."""

    family: str = Field(description="module family")
    least_first: bool = Field(description="whether switch 1 counts least")
    on_is: Literal["up", "down"] = Field(description="which way is on")
    modules: list[ModuleAddress] = Field(description="each speaking module")
    path: list[dict[str, str]] = Field(description="cables between modules, from port to port")
    steps: list[str] = Field(description="what to do, in order")


class Terminators(PlanPart):
    """Expected ohms across the pair at the plug, power off, with 0..3 terminators; what was measured."""

    needed: int = Field(description="terminators the bus needs")
    each_ohm: float = Field(description="ohms of one [ohm]")
    expected_ohm: list[float | None] = Field(description="ohms across the pair with 0, 1, 2, 3 of them [ohm]; none is open")
    measured_ohm: float | None = Field(description="what was measured [ohm]")
    found: int | None = Field(description="how many that stands for")


class Display(PlanPart):
    """What the inverter should show in one case. None: nothing is shown."""

    case: str = Field(description="name of the case")
    word: str = Field(description="what was done")
    volts: float | None = Field(description="volts shown [V]")
    charge_v: float | None = Field(description="asked charge volts shown [V]")
    charge_a: float | None = Field(description="charge limit shown [A]")
    discharge_a: float | None = Field(description="discharge limit shown [A]")
    note: str = Field(default="", description="what to know of it")


class UnitLink(PlanPart):
    """What the link means for one unit: cable or not, battery type, protocol entry."""

    unit: str = Field(description="the unit")
    cable: bool = Field(description="whether the BMS cable goes there")
    battery_type: str = Field(description="battery type to choose")
    entry: str | None = Field(description="protocol entry to choose")


class LampRow(PlanPart):
    """What a lamp shows and means."""

    shows: str = Field(description="what it shows")
    means: str = Field(description="what that means")


class AdapterLink(PlanPart):
    """The adapter in the link: which of its ports faces what, the cable from the battery to it, its lamps."""

    id: str = Field(description="its profile")
    name: str = Field(description="its name")
    protocol: str = Field(description="what it hears from the battery, with version")
    battery_port: str = Field(description="its port towards the battery, as labelled")
    device_port: str = Field(description="its port towards the device, as labelled")
    bitrate: int = Field(description="bits a second on the battery's side [bit/s]")
    battery_entry: str = Field(default="", description="what to set on it for the battery's side")
    device_entry: str = Field(default="", description="what to set on it for the device's side")
    cable: Cable = Field(description="the cable from the battery to it")
    lamps: list[LampRow] = Field(default=[], description="its lamps")


class ChargerLink(PlanPart):
    """How one sun charger hears of the bank."""

    charger: str = Field(description="the sun charger")
    role: str = Field(description="alone, host or follower among the chargers")
    follows: bool = Field(description="whether it obeys the BMS")
    through: str = Field(description="bms: a cable of its own; host: through the first charger; none")
    protocol: str | None = Field(description="protocol with version it obeys")
    port: str | None = Field(description="its port, as labelled")
    bms_port: str | None = Field(description="port of the BMS, as labelled")
    cable: Cable | None = Field(description="the cable to it; none where it has none")
    adapter: AdapterLink | None = Field(default=None, description="the adapter between, where there is one")
    why: str = Field(description="why")


class FirmwareVerdict(PlanPart):
    """What is known of the firmware of one device."""

    device: str = Field(description="unit or module")
    profile: str = Field(description="its profile")
    version: str | None = Field(description="version noted")
    verdict: Literal["good", "bad", "unknown", "not-noted"] = Field(description="what is known of it")
    why: str = Field(description="reason of the verdict")
    yours: bool = Field(description="whether the verdict is the person's own note")
    known_good: list[str] = Field(description="versions known good")
    known_bad: list[str] = Field(description="versions known bad")


class Link(PlanPart):
    """How BMS and inverter talk; open loop when they do not."""

    loop: Literal["closed", "open"] = Field(description="closed: the BMS tells the inverter; open: settings alone decide")
    protocol: str | None = Field(description="protocol with its version")
    host_unit: str | None = Field(description="unit the cable goes to")
    unit_port: str | None = Field(description="its port")
    bms_port: str | None = Field(description="port of the BMS")
    bitrate: int | None = Field(description="bits a second [bit/s]")
    why: str = Field(description="why this link")
    key: str | None = Field(default=None, description="key of the chosen candidate")
    family: str | None = Field(default=None, description="module family that speaks")
    speaking: list[str] = Field(default=[], description="modules the inverter hears")
    silent: list[str] = Field(default=[], description="modules it does not hear")
    candidates: list[LinkCandidate] = Field(default=[], description="all links, the best first")
    cable: Cable | None = Field(default=None, description="the cable; none in open loop")
    addresses: AddressPlan | None = Field(default=None, description="address plan; none where nothing is addressed")
    terminators: Terminators | None = Field(default=None, description="terminators of the bus")
    displays: list[Display] = Field(default=[], description="what the inverter shows in each case")
    units: list[UnitLink] = Field(default=[], description="what the link means for each unit")
    firmware: list[FirmwareVerdict] = Field(default=[], description="what is known of each firmware")
    silence_s: float | None = Field(default=None, description="time without a message that counts as loss of link [s]")
    unit_port_label: str = Field(default="", description="the unit's port as labelled")
    bms_port_label: str = Field(default="", description="the BMS's port as labelled")
    adapter: AdapterLink | None = Field(default=None, description="the adapter between BMS and device; none without one")
    chargers: list[ChargerLink] = Field(default=[], description="how each sun charger hears of the bank")
