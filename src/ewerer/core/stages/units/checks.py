"""Checks of the units: roles, phases, sizes, arrays."""

from __future__ import annotations

from collections.abc import Iterator

from ...documents.job import JobSunCharger, JobUnit
from ...documents.profiles import ModuleProfile
from ...trade.finding import Finding
from ...trade.margins import PHASES
from ...trade.rules import Rule, check
from ...trade.steps import figure
from ..solved import Solved
from .solve import planned_range_v


@check("device-ids", "units", "No two devices with a sheet have one id", "id_i != id_j")
def _ids(rule: Rule, solved: Solved) -> Iterator[Finding]:
    sheets = {u.id for u in solved.units} | {p.id for p in solved.parts}
    job = solved.job
    others = [(c.job.id, f"/sun/chargers/{c.index}", "sun-charger", bool(c.profile.settings)) for c in solved.sun_chargers]
    if job.controller is not None:
        others.append((job.controller.id, "/controller", "controller", True))
    for i, m in enumerate(job.bank.modules):
        profile = solved.library.get(m.profile, ModuleProfile) if m.profile else None
        others.append((m.id, f"/bank/modules/{i}", "module", profile is not None and bool(profile.settings)))
    for id, at, kind, has in others:
        if has and id in sheets and not any(p.id == id and p.kind == kind for p in solved.parts):
            yield rule.finding(
                "caution",
                f"Two devices are called {id}",
                f"A {kind.replace('-', ' ')} and another device share the id, so only one of them has a sheet.",
                f"{at}/id",
                "Give it an id of its own.",
            )


LOW_VOLTAGE_CLASS = 64
"""Up to here banks go by classes of 12, 24, 48 V; above it only the ranges of bank and unit count [V]."""


@check("units-empty", "units", "A plan needs at least one inverter-charger", "N >= 1")
def _empty(rule: Rule, solved: Solved) -> Iterator[Finding]:
    if not solved.units and not any(p.kind == "sun-charger" for p in solved.parts):
        yield rule.finding(
            "stop",
            "No unit yet",
            "No inverter-charger is listed, so there is nothing to type in.",
            "/units",
            "Add each unit with its profile.",
        )


@check("units-same-model", "units", "Units in parallel are of one model", "model_i = model_j")
def _same_model(rule: Rule, solved: Solved) -> Iterator[Finding]:
    models = {u.profile.id for u in solved.units}
    if len(models) > 1:
        odd = next(u for u in solved.units if u.profile.id != solved.units[0].profile.id)
        yield rule.finding(
            "stop",
            "Different models in parallel",
            f"{odd.id} is {odd.profile.name}, {solved.units[0].id} is {solved.units[0].profile.name}. Only equal models share a load.",
            f"{odd.at}/profile",
            "Use one model for all units on this bank.",
        )


@check("units-same-firmware", "units", "Units in parallel carry the same firmware", "firmware_i = firmware_j")
def _same_firmware(rule: Rule, solved: Solved) -> Iterator[Finding]:
    known = {u.job.firmware for u in solved.units if u.job.firmware}
    if len(known) > 1:
        odd = next(u for u in solved.units if u.job.firmware and u.job.firmware != solved.units[0].job.firmware)
        yield rule.finding(
            "caution",
            "Firmware differs",
            f"Units carry {', '.join(sorted(known))}. Differing versions may refuse to run together or decide differently.",
            f"/units/{odd.index}/firmware",
            "Bring all to the same known-good version before joining them.",
        )
    missing = [u for u in solved.units if not u.job.firmware]
    if missing and len(solved.units) > 1:
        yield rule.finding(
            "note",
            "Firmware not noted",
            f"{', '.join(u.id for u in missing)}: read the version from the display.",
            f"/units/{missing[0].index}/firmware",
        )


@check("units-one-host", "units", "Exactly one unit is the host", "count(host) = 1")
def _one_host(rule: Rule, solved: Solved) -> Iterator[Finding]:
    hosts = [u for u in solved.units if u.job.role == "host"]
    if solved.units and len(hosts) != 1:
        at = hosts[1] if len(hosts) > 1 else solved.units[0]
        said = f"{len(hosts)} hosts: {', '.join(u.id for u in hosts)}" if hosts else "No unit is the host"
        yield rule.finding(
            "stop",
            "One host is needed",
            f"{said}. One unit leads, the others follow it.",
            f"/units/{at.index}/role",
            "Make one unit the host and the rest followers.",
            hosts=len(hosts),
        )


@check("units-max-parallel", "units", "No more units in parallel than the model allows", "N <= N_max")
def _max_parallel(rule: Rule, solved: Solved) -> Iterator[Finding]:
    host = solved.host
    if host and len(solved.units) > host.profile.max_parallel:
        yield rule.finding(
            "stop",
            "Too many in parallel",
            f"{len(solved.units)} units; {host.profile.name} allows {host.profile.max_parallel}.",
            "/units",
            "Split them over separate systems, or use a model that allows more.",
            units=len(solved.units),
            max_parallel=host.profile.max_parallel,
        )


@check("units-topology", "units", "The units' phases make the site's AC system", "phases(units) = phases(site)")
def _topology(rule: Rule, solved: Solved) -> Iterator[Finding]:
    topology = solved.job.site.ac.topology
    host = solved.host
    if host is None:
        return
    if topology not in host.profile.topologies:
        yield rule.finding(
            "stop",
            "Topology not offered",
            f"The site is {topology}-phase; {host.profile.name} offers {', '.join(host.profile.topologies)}.",
            "/site/ac/topology",
            "Check the AC system, or choose another model.",
        )
        return
    wanted = PHASES[topology]
    short = next((u for u in solved.units if len(wanted) > 1 < u.profile.ratings.ac_phases != len(wanted)), None)
    if short is not None:
        yield rule.finding(
            "stop",
            "The unit makes other phases than the site",
            f"{short.id} makes {short.profile.ratings.ac_phases} by itself; a {topology}-phase site has {len(wanted)}.",
            f"{short.at}/profile",
            "Check the AC system, or choose another model.",
        )
        return
    if all(u.makes_all for u in solved.units):
        return
    on = [wanted if u.makes_all else (u.job.phase,) for u in solved.units]
    have = {p for phases in on for p in phases}
    if have != set(wanted):
        yield rule.finding(
            "stop",
            "Phases do not match the site",
            f"A {topology}-phase site needs units on {', '.join(wanted)}; they are on {', '.join(sorted(have))}.",
            "/units/0/phase",
            "Give each unit its place.",
            wanted=list(wanted),
            have=sorted(have),
        )
    else:
        counts = {p: sum(p in phases for phases in on) for p in wanted}
        if len(set(counts.values())) > 1:
            yield rule.finding(
                "caution",
                "Phases carry unequal numbers of units",
                ", ".join(f"{p}: {n}" for p, n in sorted(counts.items())) + ".",
                "/units/0/phase",
                "Most makes want the same number on each phase; see the manual.",
                **counts,
            )


@check("units-ac", "units", "Units make the site's volts and hertz", "V_site = one of V_unit, f_site = one of f_unit")
def _ac(rule: Rule, solved: Solved) -> Iterator[Finding]:
    host = solved.host
    ac = solved.job.site.ac
    if host and ac.volts not in host.profile.ac_volts:
        yield rule.finding(
            "stop",
            "AC volts not offered",
            f"The site has {figure(ac.volts)} V; {host.profile.name} makes {', '.join(figure(v) for v in host.profile.ac_volts)} V.",
            "/site/ac/volts",
            "Check the AC system, or choose another model.",
            site_v=ac.volts,
        )
    if host and ac.hz not in host.profile.ac_hz:
        yield rule.finding(
            "stop",
            "Frequency not offered",
            f"The site has {ac.hz} Hz; {host.profile.name} does not.",
            "/site/ac/hz",
            "Check the AC system, or choose another model.",
            site_hz=ac.hz,
        )


@check(
    "units-bank-class",
    "units",
    "The volts that are planned lie inside every unit's battery range, at both ends",
    "V_unit_min <= lowest planned volts, highest planned volts <= V_unit_max, class of the bank = class of the unit",
)
def _bank_class(rule: Rule, solved: Solved) -> Iterator[Finding]:
    bank = solved.bank
    if bank is None:
        return
    for profile in solved.profiles:
        ratings = profile.ratings
        unit = next(u for u in solved.units if u.profile.id == profile.id)
        if bank.class_v != ratings.class_v and min(bank.class_v, ratings.class_v) <= LOW_VOLTAGE_CLASS:
            yield rule.finding(
                "stop",
                "Bank and unit are of different voltage classes",
                f"{bank.series_cells} cells make a {bank.class_v} V bank; {profile.name} is for {ratings.class_v} V.",
                f"/units/{unit.index}/profile",
                "Count the cells again, or choose a unit of the bank's class.",
                bank_class_v=bank.class_v,
                unit_class_v=ratings.class_v,
            )
            continue
        low, high = planned_range_v(solved, profile.id)
        if high > ratings.battery_v_max + 1e-9 or low < ratings.battery_v_min - 1e-9:
            yield rule.finding(
                "stop",
                "The bank's voltage is outside the unit's range",
                f"{profile.name} bears {figure(ratings.battery_v_min)} to {figure(ratings.battery_v_max)} V; this bank is planned to work "
                f"from {figure(low)} to {figure(high)} V.",
                f"/units/{unit.index}/profile",
                "Choose a unit for this bank, or a gentler charging level and a higher shut-down.",
                lowest_v=round(low, 2),
                charge_v=round(high, 2),
                unit_min_v=ratings.battery_v_min,
                unit_max_v=ratings.battery_v_max,
            )


@check("units-power", "units", "The units together carry the design loads", "P_load <= sum(P_i), P_peak <= sum(P_surge_i)")
def _power(rule: Rule, solved: Solved) -> Iterator[Finding]:
    loads = solved.job.loads
    total = sum(u.profile.ratings.continuous_w for u in solved.units)
    surge = sum(u.profile.ratings.surge_w for u in solved.units)
    if not solved.units:
        return
    if loads.continuous_w is not None and loads.continuous_w > total:
        yield rule.finding(
            "caution",
            "Units are too small for the load",
            f"Continuous load {figure(loads.continuous_w)} W; together they give {figure(total)} W.",
            "/loads/continuous_w",
            "Add a unit, or shed load.",
            load_w=loads.continuous_w,
            units_w=total,
        )
    if loads.peak_w is not None and loads.peak_w > surge:
        yield rule.finding(
            "caution",
            "Peaks are above the units' surge",
            f"Peak load {figure(loads.peak_w)} W; together they give {figure(surge)} W for seconds.",
            "/loads/peak_w",
            "Stagger the starts, or add a unit.",
            peak_w=loads.peak_w,
            surge_w=surge,
        )
    if loads.continuous_w is None:
        yield rule.finding(
            "note",
            "Design load assumed",
            f"No continuous load is given; half of the units' {figure(total)} W is assumed.",
            "/loads/continuous_w",
            "Measure or add up the loads that run continuously.",
            assumed_w=total / 2,
        )


def _arrays(solved: Solved) -> Iterator[tuple[str, str, JobUnit | JobSunCharger, float, int, float]]:
    """Yield every array: id, place, job's part, most volts, trackers, most watts (0 where the profile does not say)."""
    for c in solved.sun_chargers:
        yield c.job.id, f"/sun/chargers/{c.index}", c.job, c.profile.array_v_max, c.profile.trackers, 0.0
    for u in solved.units:
        r = u.profile.ratings
        if u.job.array_w or u.job.array_v or u.job.strings:
            yield u.id, u.at, u.job, r.array_v_max, r.trackers, r.trackers * r.tracker_w


@check(
    "sun-array-voltage",
    "units",
    "A string bears down on its input also on the coldest day",
    "V_oc,cold <= V_input_max",
    "NEC 690.7",
    "S, M",
)
def _array_volts(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for id, at, job, most_v, _, _ in _arrays(solved):
        if job.array_v is not None and most_v and job.array_v > most_v:
            yield rule.finding(
                "stop",
                f"The array of {id} has too many volts",
                f"{figure(job.array_v)} V open on the coldest day; its input bears {figure(most_v)} V.",
                f"{at}/array_v",
                "Fewer modules in a string. Panels are live by day: isolate before changing them.",
                array_v=job.array_v,
                most_v=most_v,
            )


@check("sun-array-trackers", "units", "Arrays fit the trackers they hang on", "W <= trackers * W_tracker, strings <= trackers")
def _array_fits(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for id, at, job, _, trackers, most_w in _arrays(solved):
        if isinstance(job, JobUnit) and solved.units and next(u for u in solved.units if u.id == id).profile.own_sun_a == 0:
            yield rule.finding(
                "caution",
                f"{id} has no tracker for its array",
                "This model has no sun charger of its own.",
                f"{at}/array_w",
                "List the separate sun charger instead.",
            )
        elif most_w and job.array_w and job.array_w > most_w:
            yield rule.finding(
                "note",
                f"Array of {id} is larger than its trackers",
                f"{figure(job.array_w)} W on {trackers} trackers of {figure(most_w / trackers)} W: what is above {figure(most_w)} W is lost.",
                f"{at}/array_w",
                array_w=job.array_w,
                trackers_w=most_w,
            )
        if trackers and job.strings is not None and job.strings > trackers:
            yield rule.finding(
                "note",
                f"Strings of {id} share a tracker",
                f"{job.strings} strings on {trackers} tracker{'s' if trackers > 1 else ''}: those that share one must be alike in number, make and direction.",
                f"{at}/strings",
                strings=job.strings,
                trackers=trackers,
            )


@check("sun-charger-voltage", "units", "A sun charger bears the bank's charging voltage", "n * V_charge <= V_charger_max")
def _sun(rule: Rule, solved: Solved) -> Iterator[Finding]:
    for charger in solved.sun_chargers:
        if solved.bank and solved.charge_v > charger.profile.battery_v_max:
            yield rule.finding(
                "stop",
                f"{charger.job.id} is for a lower bank voltage",
                f"It bears {figure(charger.profile.battery_v_max)} V; this bank is charged to {figure(solved.charge_v)} V.",
                f"/sun/chargers/{charger.index}/profile",
                "Choose a sun charger for this voltage class.",
            )
