"""Every field of the job document once: label, unit, factor on screens, choices in words, default, stage.

Keys are JSON pointers with ``*`` for an index or an id. The web draws and finds fields by this table; a test holds
it against the model, so that no field of the document is without its words.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from ..trade.chemistries import CHEMISTRIES
from ..trade.margins import USUAL_DAY

Choice = tuple[str | int, str]


@dataclass(frozen=True, slots=True)
class FieldWords:
    """What a person sees of one field. ``scale`` is the figure on screens over the stored one (100 for percent).

    ``default`` is what counts while nothing is given, as it is shown; empty where nothing is assumed.
    """

    pointer: str
    label: str
    stage: str
    unit: str = ""
    scale: float = 1.0
    choices: tuple[Choice, ...] = field(default=())
    default: str | int = ""


_P = 100.0


def _table() -> list[FieldWords]:
    out: list[FieldWords] = []

    def at(stage: str, root: str, *rows: tuple[Any, ...]) -> None:
        """Add fields of one stage below ``root``: (key, label, unit, default, scale or choices)."""
        for key, label, *rest in rows:
            unit, default, more = (*rest, "", "", None)[:3] if len(rest) < 3 else rest
            scale = more if isinstance(more, float) else 1.0
            choices = more if isinstance(more, tuple) else ()
            out.append(FieldWords(f"{root}/{key}" if key else root, label, stage, unit, scale, choices, default))

    at(
        "site",
        "",
        ("name", "Job name"),
        ("notes", "Notes"),
        ("site", "Site"),
        ("site/time_zone", "Time zone", "", "UTC"),
        ("site/latitude", "Latitude", "° north"),
        ("site/longitude", "Longitude", "° east"),
        ("site/ac", "AC system"),
        ("site/ac/volts", "Volts, phase to neutral", "V", "230"),
        ("site/ac/hz", "Frequency", "", 50, ((50, "50 Hz"), (60, "60 Hz"))),
        ("site/ac/topology", "Phases", "", "single", (("single", "One"), ("split", "Split"), ("three", "Three"))),
        ("site/bank_ambient_c", "Temperature at the bank", "°C", "not given"),
        ("site/sources", "Sources"),
        ("site/dc_loads_a", "DC loads not metered", "A", "none"),
        ("mains", "Mains"),
        ("mains/breaker_a", "Breaker, per phase", "A"),
        (
            "mains/breaker_school",
            "Part used continuously",
            "",
            "eighty",
            (("eighty", "80 % of it"), ("all", "All of it"), ("own", "Own part")),
        ),
        ("mains/breaker_part", "Own part of the breaker", "%", "80", _P),
        ("mains/shares_input", "The generator comes in", "", 0, ((0, "on its own input"), (1, "on the same input"))),
        ("mains/feeds", "Other feeds"),
        ("mains/feeds/*/name", "Name of the feed"),
        ("mains/feeds/*/breaker_a", "Breaker, or what it carries", "A"),
        ("mains/supply", "The grid is", "", "grid", (("grid", "Steady"), ("weak-grid", "Weak"))),
        ("mains/loads_while_charging_w", "Loads while it charges", "W", "continuous"),
        ("loads", "Loads"),
        ("loads/continuous_w", "Continuous", "W", "assumed"),
        ("loads/peak_w", "Peak, for seconds", "W"),
        ("loads/daily_wh", "Over a day", "Wh"),
        ("loads/other_daily_wh", "Other loads over a day", "Wh"),
        ("loads/shape", "Loads by the hour", "", ", ".join(f"{w:g}" for w in USUAL_DAY)),
    )
    at(
        "bank",
        "/bank",
        ("", "Bank"),
        ("modules", "Modules"),
        ("modules/*/id", "Name of the module"),
        ("modules/*/profile", "Profile"),
        ("modules/*/resting_v", "Resting volts", "V", "measure"),
        (
            "modules/*/chemistry",
            "Chemistry",
            "",
            "",
            (("", "by profile, else LFP"), *((c.name, c.word) for c in CHEMISTRIES.values())),
        ),
        ("modules/*/series_cells", "Cells in series"),
        ("modules/*/capacity_ah", "Capacity", "Ah"),
        ("modules/*/resistance_mohm", "Resistance", "mΩ"),
        ("modules/*/lead_mohm", "Lead", "mΩ", "bank's"),
        ("modules/*/charge_a", "Charge, data sheet", "A"),
        ("modules/*/discharge_a", "Discharge, data sheet", "A"),
        ("modules/*/charge_warranty_a", "Charge, warranty", "A"),
        ("modules/*/discharge_warranty_a", "Discharge, warranty", "A"),
        ("modules/*/discharge_peak_a", "Discharge, seconds", "A"),
        ("modules/*/cell_max_v", "Cell maximum", "V"),
        ("modules/*/cell_min_v", "Cell cut-off", "V"),
        ("modules/*/age_years", "Age", "years"),
        ("modules/*/firmware", "Firmware"),
        ("modules/*/serial", "Serial number"),
        ("modules/*/health", "Health", "%", "", _P),
        ("modules/*/rated_h", "Capacity is for", "h", "20, lead-acid"),
        ("modules/*/peukert", "Peukert exponent", "", "by chemistry"),
        ("modules/*/ocv", "Resting volts by charge"),
        ("modules/*/ocv/*/soc", "Charge", "%", "", _P),
        ("modules/*/ocv/*/cell_v", "Cell rests at", "V"),
        ("lead_mohm", "Lead of each module", "mΩ", "0.5"),
        ("main_lead_mohm", "Main leads, both ways", "mΩ", "0.5"),
        ("lead", "Leads of each module"),
        ("lead/length_m", "Module lead, one way", "m"),
        ("lead/section_mm2", "Module lead, copper", "mm²"),
        ("lead/side_by_side", "Module leads side by side", "", "1"),
        ("main_lead", "Main leads"),
        ("main_lead/length_m", "Main lead, one way", "m"),
        ("main_lead/section_mm2", "Main lead, copper", "mm²"),
        ("main_lead/side_by_side", "Main leads side by side", "", "1"),
        ("leads_place", "Leads lie", "", "free-air", (("free-air", "In free air"), ("conduit", "In conduit"))),
        ("fuse_a", "Main fuse", "A"),
        ("fuse_breaking_a", "Fuse breaks up to", "A"),
        ("precharge_ohm", "Pre-charge resistor", "Ω"),
        ("inputs_uf", "Capacitance of the DC inputs", "µF"),
        ("cable_a", "Main cable carries", "A"),
        ("shunt_a", "Shunt, rated", "A"),
        ("shunt_mv", "Shunt, at rated amps", "mV"),
    )
    at("bank", "/policy", ("new_bank", "The bank is", "", 0, ((0, "As before"), (1, "New"))))
    at("link", "/bank/modules", ("*/switches", "Switches as found"))
    at(
        "units",
        "",
        ("units", "Units"),
        ("units/*/id", "Name of the unit"),
        ("units/*/profile", "Model"),
        ("units/*/plate", "By plate"),
        *(
            (f"units/*/plate/{key}", label, unit, default)
            for key, label, unit, default in (
                ("continuous_w", "Continuous power", "W", ""),
                ("surge_w", "Surge", "W", "twice"),
                ("charge_max_a", "Charges at most", "A", ""),
                ("ac_charge_max_a", "Charges from AC at most", "A", "the same"),
                ("class_v", "Voltage class", "V", "48"),
                ("battery_v_min", "Battery volts from", "V", "assumed"),
                ("battery_v_max", "Battery volts to", "V", "assumed"),
                ("ac_volts", "Makes", "V", "any usual"),
                ("max_parallel", "Most in parallel", "", "10"),
                ("takes", "Its menu has", "", "the usual"),
                ("step_v", "Step of volts", "V", "0.1"),
                ("step_a", "Step of amps", "A", "1"),
            )
        ),
        ("units/*/plate/ac_phases", "AC phases by itself", "", 1, ((1, "One"), (2, "Two legs"), (3, "Three"))),
        ("units/*/role", "Role", "", "host", (("host", "host"), ("follower", "follower"))),
        ("units/*/firmware", "Firmware"),
        ("units/*/serial", "Serial number"),
        ("units/*/array_w", "Array on its own trackers", "W", "none"),
        ("units/*/array_v", "Open volts, coldest day", "V"),
        ("units/*/strings", "Strings"),
        ("units/*/tilt_deg", "Tilt", "°"),
        ("units/*/azimuth_deg", "Direction", "°"),
        ("units/*/phase", "Phase", "", "L1", (("L1", "L1"), ("L2", "L2"), ("L3", "L3"))),
        ("sun", "Sun chargers"),
        ("sun/chargers", "Sun chargers"),
        ("sun/on_output", "Arrays on the output side"),
        ("sun/on_output/*/id", "Name of the array"),
        ("sun/on_output/*/inverter_w", "Its inverter", "W"),
        ("sun/on_output/*/array_w", "Array", "W", "as the inverter"),
        ("sun/on_output/*/tilt_deg", "Tilt", "°"),
        ("sun/on_output/*/azimuth_deg", "Direction", "°"),
        ("sun/on_output/*/lowers_by_hz", "Lowers its power with the frequency", "", 1, ((1, "yes"), (0, "no"))),
        ("sun/chargers/*/id", "Name of the charger"),
        ("sun/chargers/*/profile", "Model"),
        ("sun/chargers/*/firmware", "Firmware"),
        ("sun/chargers/*/plate", "By plate"),
        ("sun/chargers/*/plate/charge_max_a", "Charges at most", "A"),
        ("sun/chargers/*/plate/battery_v_max", "Battery volts up to", "V"),
        ("sun/chargers/*/plate/array_v_max", "Array volts up to", "V", "150"),
        ("sun/chargers/*/plate/takes", "Its menu has", "", "the usual"),
        ("sun/chargers/*/plate/step_v", "Step of volts", "V", "0.1"),
        ("sun/chargers/*/plate/step_a", "Step of amps", "A", "1"),
        ("controller", "Controller"),
        ("controller/id", "Name of the controller"),
        ("controller/profile", "Model"),
        ("controller/firmware", "Firmware"),
        ("controller/meters_dc_loads", "DC loads are", "", "", ((0, "not metered"), (1, "metered"))),
        ("sun/chargers/*/array_w", "Array", "W"),
        ("sun/chargers/*/array_v", "Open volts, coldest day", "V"),
        ("sun/chargers/*/strings", "Strings"),
        ("sun/chargers/*/tilt_deg", "Tilt", "°"),
        ("sun/chargers/*/azimuth_deg", "Direction", "°"),
    )
    at(
        "link",
        "/link",
        ("", "Link"),
        ("choice", "Chosen link"),
        ("adapter", "Adapter at hand"),
        ("host_module", "Host module"),
        ("cable", "Cable", "", "auto", (("auto", "As fits"), ("patch", "Patch cable"), ("made", "Made"))),
        ("length_m", "Length of the bus", "m"),
        ("measured_ohm", "Measured, power off", "Ω"),
        ("taken_ports", "Ports that are taken"),
        ("firmware_notes", "Notes on firmware"),
        ("firmware_notes/*/profile", "Profile"),
        ("firmware_notes/*/version", "Version"),
        ("firmware_notes/*/verdict", "Verdict", "", "", (("good", "Good"), ("bad", "Bad"))),
        ("firmware_notes/*/why", "Why"),
    )
    at(
        "link",
        "/policy",
        ("loop", "Loop", "", "auto", (("auto", "As the devices allow"), ("closed", "Closed"), ("open", "Open"))),
        ("link_loss", "When the link is lost", "", "auto", (("auto", "As is safe"), ("stop", "Stop"), ("carry-on", "Carry on"))),
    )
    at(
        "limits",
        "/policy",
        ("max_c_rate", "Chosen rate, charging", "C", "none"),
        ("max_discharge_c_rate", "Chosen rate, discharging", "C", "none"),
    )
    at(
        "thresholds",
        "/policy",
        ("", "Choices"),
        ("charge_school", "Charge to", "", "everyday", (("everyday", "Everyday"), ("full", "Full"), ("limit", "Limit"))),
        ("charge_cell_v", "Own level, a cell", "V", "none"),
        ("float_school", "After absorption", "", "rest", (("same", "Hold"), ("rest", "Float"), ("none", "Stop"))),
        ("hold_school", "Hold until", "", "tail", (("tail", "Tail current"), ("per-ah", "By size"), ("short", "Short"))),
        ("control", "Decide by", "", "auto", (("auto", "As fits"), ("volts", "Volts"), ("soc", "Charge %"))),
        ("reserve_soc", "Reserve", "%", "20", _P),
        ("low_end_school", "Down to", "", "usual", (("deep", "Near the cut-off"), ("usual", "10 %"), ("careful", "20 %"))),
        ("shutdown_soc", "Shut-down level", "%", "low end", _P),
        ("overshoot_v", "Overshoot, measured", "V", "assumed"),
        ("imbalance_v", "Cell spread when full", "V", "0.03"),
        ("meter_error_v", "Meter error", "V", "assumed"),
        ("own_figures", "Own figures"),
        ("own_figures/*", "Own figure"),
    )
    at(
        "sources",
        "/policy",
        (
            "mode",
            "Operating mode",
            "",
            "off-grid",
            (
                ("off-grid", "off grid, mains or generator as backup"),
                ("essential-only", "beside the grid, essential loads only"),
                ("zero-export", "beside the grid, all loads, bank never sells"),
                ("feed-in", "beside the grid, surplus fed in"),
                ("peak-shaving", "beside the grid, shaving peaks"),
            ),
        ),
        ("priority", "Sun goes first to", "", "loads-first", (("loads-first", "Loads"), ("bank-first", "Bank"))),
        ("sell_surplus", "Surplus is", "", 0, ((0, "not sold"), (1, "sold"))),
        (
            "source_order",
            "Loads run on",
            "",
            "sun-bank-mains",
            (("sun-bank-mains", "Sun, bank, mains"), ("sun-mains", "Sun, mains"), ("mains-first", "Mains first")),
        ),
        (
            "charge_order",
            "Charge from",
            "",
            "sun-first",
            (("sun-only", "Sun"), ("sun-first", "Sun, else AC"), ("sun-and-mains", "Both"), ("mains-first", "AC first")),
        ),
        ("peak_cap_w", "Cap on the mains", "W"),
        ("export_limit_w", "Export at most", "W", "no limit"),
        ("outage_reserve_soc", "Kept for outages", "%", "shut-down", _P),
    )
    at("sources", "/site", ("altitude_m", "Height", "m", "not given"))
    at(
        "sources",
        "/generator",
        ("", "Generator"),
        ("continuous_w", "Continuous", "W"),
        ("start", "Start", "", "manual", (("manual", "By hand"), ("auto", "By itself"))),
        ("derate", "Left after heat and height", "%", "computed", _P),
        ("loads_while_charging_w", "Loads while it charges", "W", "continuous"),
        ("quiet_from", "Quiet hours from"),
        ("quiet_to", "Quiet hours to"),
        ("min_run_min", "Runs at least", "min", "30"),
        ("warm_up_min", "Warm-up", "min", "2"),
    )
    times = (("days", "Days", "", "all"), ("from", "From"), ("to", "To"))
    actions = (("charge", "charge from mains"), ("hold", "hold"), ("use", "use the bank"), ("export", "export"))
    at("windows", "", ("windows", "Windows"))
    at(
        "windows",
        "/windows/*",
        *times,
        ("action", "Do", "", "", actions),
        ("target_soc", "Target", "%", "", _P),
        ("power_w", "Power", "W"),
        ("season", "Season"),
        ("from_date", "First day"),
        ("to_date", "Last day"),
    )
    at("windows", "/seasons", ("", "Seasons"))
    at("windows", "/seasons/*", ("name", "Season"), ("from", "First day"), ("to", "Last day"))
    for tariff in ("/tariff", "/seasons/*/tariff"):
        at(
            "windows",
            tariff,
            ("", "Prices"),
            ("currency", "Currency", "", "EUR"),
            ("base", "Base, a kWh"),
            ("export", "Export, a kWh", "", "0"),
            ("demand_per_kw", "Demand, a kW and month", "", "0"),
            ("prices", "Prices by time"),
        )
        at("windows", f"{tariff}/prices/*", *times, ("price", "Bought, a kWh"), ("export", "Sold, a kWh"))
    at(
        "windows",
        "/flow",
        ("", "What the simulation rests on"),
        ("start", "First day", "", "2025-01-01"),
        ("seed", "Weather number", "", "1"),
        ("start_soc", "Charge at its start", "%", "50", _P),
        ("cloudiness", "Cloudiness", "%", "45", _P),
        ("sun", "Measured sun"),
        ("load", "Measured loads"),
        ("outages", "Outages"),
        ("outages/*/date", "Date"),
        ("outages/*/from", "From"),
        ("outages/*/to", "To"),
    )
    for series in ("sun", "load"):
        at("windows", f"/flow/{series}", ("step_min", "Step", "min", "60"), ("start", "First day"), ("values_w", "Watts", "W"))
    at(
        "sheet",
        "",
        ("as_found", "As found"),
        ("as_found/*/*", "As found"),
        ("extra_entries", "Copied entries"),
        ("extra_entries/*/*", "Copied entry"),
        ("sheet_marks", "Work done"),
        ("sheet_marks/*/*", "Work done"),
        ("profile_revisions", "Profile versions"),
        ("profile_revisions/*", "Profile version"),
    )
    at(
        "run",
        "",
        ("breakers", "Breakers"),
        ("breakers/*/id", "Breaker"),
        ("breakers/*/name", "Name of the breaker"),
        ("breakers/*/side", "Side of the breaker"),
        ("breakers/*/feeds", "What it feeds"),
        ("breakers/*/device", "Device it belongs to"),
    )
    return out


@lru_cache(maxsize=1)
def fields() -> dict[str, FieldWords]:
    """Return the words of every field by its pointer pattern."""
    return {f.pointer: f for f in _table()}


def field_at(pointer: str) -> FieldWords | None:
    """Return the words of the field at a pointer, or of the nearest that holds it."""
    known = fields()
    parts = pointer.split("/")[1:]
    while parts:
        for pattern, found in known.items():
            wanted = pattern.split("/")[1:]
            if len(wanted) == len(parts) and all(w in ("*", p) for w, p in zip(wanted, parts, strict=True)):
                return found
        parts.pop()
    return None
