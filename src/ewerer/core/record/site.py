"""Steps of a run up to the restored supply: before, as found, isolate, hardware, join, addresses, protocol, power, enter.

Source: common practice. Nothing here decides a figure: values come from the plan's solved facts.
"""

from __future__ import annotations

from statistics import median

from ..documents.results.order import Step
from ..stages.bank.joining import branches_of, steps_of
from ..stages.sheet.found import planned_entries
from ..trade.errors import DocumentError
from ..trade.margins import (
    BANK_SHOWN,
    BOOT_S,
    CAPACITORS_S,
    CLAMP_ZERO_A,
    DEAD_V,
    JOIN_AMPS_FACTOR,
    JOIN_AMPS_MORE_A,
    LEAST_SHUNT_A,
    LIGHT_A,
    LOADED_PART,
    METER_AT_V,
    OHM_TOLERANCE,
    OHM_ZONES,
    OWN_DRAW_A,
    STRING_WAIT_S,
    TERMINATOR_OHM,
    USUAL_SHUNT_A,
    ZERO_A,
)
from ..trade.steps import figure
from ..visit.working_list import order_of
from .steps import ALONE, LICENSED, SHOCK, Steps, choice_ask, figure_ask, number_of, text_ask, tick_ask


def before(run: Steps) -> None:
    """Add what must be there before anything is touched."""
    job = run.job
    run.add("before:people", "before", "Two people", "See that two people are here, and that both know where the breakers are.",
        cautions=[ALONE, LICENSED], why="one works, one watches and can cut off", minutes=2)  # fmt: skip
    run.add("before:meters", "before", "Instruments", "Lay out voltmeter, clamp meter and thermometer; look at their calibration dates.",
        why="a reading is worth what its meter is worth; note each under Instruments", minutes=3)  # fmt: skip
    gear = "insulated tools, gloves, eye protection, a fire extinguisher that may be used on batteries"
    run.add("before:gear", "before", "Protective equipment", f"Lay out {gear}.", cautions=[SHOCK], minutes=3)
    papers = "manuals of every device, the working lists" + (
        ", the made cable, terminators" if run.solved.link.loop == "closed" else ""
    )
    run.add("before:papers", "before", "Papers and parts", f"Have at hand: {papers}.", minutes=3)
    if job.mains is not None and (job.policy.mode != "off-grid"):
        run.add("before:permission", "before", "Permission of the grid operator",
            "See the written permission for working parallel to the grid, and for export where it is wanted.",
            cautions=[f"Without it nothing may feed the grid. {LICENSED}"], kind="decision",
            asks=[choice_ask("permission", "Permission", ["seen", "not needed here", "not there"], ["seen", "not needed here"])])  # fmt: skip


def found(run: Steps) -> None:
    """Add what is noted before anything is changed."""
    ready = run.of("before")
    run.add("found:photo", "found", "Photographs", "Photograph the whole, every cover taken off, every display as it is.", ready,
        kind="photo", why="what was there cannot be asked later", minutes=5)  # fmt: skip
    for d in run.solved.devices:
        run.add(f"found:settings:{d.id}", "found", f"Settings of {d.id}", f"Note every setting of {d.id} as its display shows it, on the sheet under As found.",
            ["found:photo"], devices=[d.id], why="the order of entry starts from here", minutes=12)  # fmt: skip
    firmware = [(u.id, "unit") for u in run.job.units] + [(m.id, "module") for m in run.job.bank.modules]
    for id, word in firmware:
        known = next((v for v in run.solved.link.firmware if v.device == id), None)
        run.add(f"found:firmware:{id}", "found", f"Firmware of {id}", f"Read the firmware of the {word} {id} from its display.", ["found:photo"],
            kind="reading", devices=[id], asks=[text_ask("firmware", "Firmware as displayed", expect=", ".join(known.known_good) if known else "")])  # fmt: skip
    for u in run.job.units:
        run.add(f"found:faults:{u.id}", "found", f"Faults of {u.id}", f"List the faults that {u.id} holds with their times, in the logbook; do not clear them yet.",
            ["found:photo"], devices=[u.id], minutes=4)  # fmt: skip


def isolate(run: Steps) -> None:
    """Add the breakers in the order of isolating, each ticked, then proof that it is dead."""
    needs = run.of("before") + run.of("found")
    units_off = False
    for b in run.order:
        if b.side in ("unit", "bank", "module") and not units_off:
            units_off = True
            followers = [u.id for u in run.job.units if u.role == "follower"]
            for id in [*followers, *(u.id for u in run.job.units if u.id not in followers)]:
                needs = [run.add(f"off:{id}", "isolate", f"{id} switched off", f"Switch {id} off at its own switch.", needs, devices=[id],
                    reverse=f"on:{id}", why="a follower is off before its host" if followers else "no inverter runs while its bank is opened")]  # fmt: skip
        sun = b.side == "sun"
        caution = {
            "load": "Whatever the loads carry goes dark: medical and safety loads need another supply first.",
            "sun": "Never under load at a plug: the breaker first. Direct current does not let go of an arc.",
            "grid": "The grid's side stays live.",
            "generator": "Lock out its automatic start.",
        }.get(b.side, SHOCK)
        needs = [run.add(f"isolate:{b.id}", "isolate", f"{b.name} open", f"Open {b.name}" + (f", which feeds {b.feeds}." if b.feeds else "."), needs,
            cautions=[caution], breaker=b.id, opens=True, reverse=f"restore:{b.id}", devices=[b.device] if b.device else [],
            wait_s=STRING_WAIT_S if sun else 0.0, why="strings one by one, while their charger still has the bank" if sun else "")]  # fmt: skip
    needs = [run.add("isolate:wait", "isolate", "Wait for capacitors", f"Wait until the capacitors of all units are empty: {CAPACITORS_S / 60:g} minutes, or as their labels say.", needs,
        kind="wait", wait_s=CAPACITORS_S, minutes=5, cautions=["They hold a deadly charge after everything is open."])]  # fmt: skip
    needs = [run.add("isolate:amps", "isolate", "No current anywhere", "Clamp every cable of the busbar: no current may flow.", needs, kind="reading",
        asks=[figure_ask("amps", "Largest current found", "A", -CLAMP_ZERO_A, CLAMP_ZERO_A, 0.0, "a clamp meter's own zero", meter="clamp")],
        fails="Something is still closed: go through the breakers again.")]  # fmt: skip
    zones = [
        (DEAD_V, None, "It is not dead", "Keep away from the bars; find the breaker that is still closed, then measure again.")
    ]
    run.add("isolate:dead", "isolate", "Proved dead", "Prove the meter on a live post, measure across the busbar, prove the meter again.", needs,
        kind="reading", cautions=[SHOCK, ALONE], asks=[figure_ask("volts", "Volts across the busbar", "V", -DEAD_V, DEAD_V, 0.0, "what a dead bar picks up", zones=zones, meter="volts")],
        fails="It is live: nobody touches it. Find what feeds it.")  # fmt: skip


def hardware(run: Steps) -> None:
    """Add sensors, current transformers, cables between units."""
    job, dead = run.job, ["isolate:dead"]
    modules = [m.id for m in job.bank.modules]
    if modules:
        middle = modules[len(modules) // 2]
        run.add("hardware:probe", "hardware", "Temperature sensor", f"Fix the sensor to the negative post of {middle}, its lead through a knock-out that is there.", dead,
            devices=[middle], kind="photo", why="a module in the middle is the warmest; a post tells more than a case", minutes=8, cautions=[SHOCK])  # fmt: skip
    if job.policy.mode not in ("off-grid", "feed-in") or job.policy.peak_cap_w is not None:
        run.add("hardware:ct", "hardware", "Current transformers", "Fit each transformer on its own phase, the arrow as its maker says, the meter side shorted until it is connected.", dead,
            kind="photo", why="reversed or swapped, the unit works against the grid", minutes=10, cautions=["An open transformer makes deadly volts."])  # fmt: skip
    if len(job.units) > 1:
        run.add("hardware:intercable", "hardware", "Cable between units", "Plug the cable between the units as their manual draws it; the link cable to the bank not yet.", dead,
            devices=[u.id for u in job.units], minutes=4)  # fmt: skip
    if _has(run, "shunt_a") or job.bank.shunt_a is not None:
        run.add("hardware:shunt", "hardware", "Shunt", "Fit the shunt in the bank's negative lead so that everything but the bank is on its far side.", dead,
            kind="photo", why="what goes past it is never counted", minutes=10, cautions=[SHOCK])  # fmt: skip


def join(run: Steps) -> None:
    """Add charging and measuring each module, then closing one after the other."""
    ready = run.of("hardware") or ["isolate:dead"]
    modules = {m.id: m for m in run.solved.modules}
    for id in modules:
        run.add(f"join:full:{id}", "join", f"{id} charged by itself", f"Charge {id} to full by itself, then let it rest.", ready, devices=[id], kind="wait", minutes=120, optional=True,
            why="equal by charge, not by chance of volts", cautions=["A charger for this chemistry, never unwatched."])  # fmt: skip
    usual = [m.resting_v for m in modules.values() if m.resting_v is not None]
    for id, m in modules.items():
        middle = median(usual) if usual else None
        tolerance = m.resting_tolerance_v
        low, high = (middle - tolerance / 2, middle + tolerance / 2) if middle is not None and len(modules) > 1 else (None, None)
        run.add(f"join:rest:{id}", "join", f"{id} rests at", f"Measure {id} across its posts, rested, its switch off.", [f"join:full:{id}"], kind="reading", devices=[id],
            asks=[figure_ask("volts", "Volts at rest", "V", low, high, middle, f"all modules within {tolerance:g} V of each other", meter="volts", compared=True)],
            cautions=[SHOCK], fails="Charge the lowest or rest longer; joining them now would drive a current between them.")  # fmt: skip
    closing = [b for b in reversed(run.order) if b.side == "module"]
    branches = {b.id: b for b in branches_of(list(run.solved.modules))}
    measured = [branches[b.device] for b in closing if b.device in branches]
    amps = {s.module: s for s in steps_of(measured)} if len(measured) == len(closing) and len(closing) > 1 else {}
    needs = [f"join:rest:{id}" for id in modules]
    needs += _level(run)
    for b in closing:
        expected = amps.get(b.device or "")
        asks = []
        if expected is not None:
            high = max(JOIN_AMPS_FACTOR * expected.amps, expected.amps + JOIN_AMPS_MORE_A)
            asks = [figure_ask("amps", "Current on closing", "A", 0.0, high, expected.amps, "from the resting volts and both resistances, twice over", meter="clamp", needed=False)]  # fmt: skip
        needs = [run.add(f"restore:{b.id}", "join", f"{b.name} closed", f"Close {b.name}" + (" onto the modules that are joined." if expected else "."), needs, kind="reading" if asks else "action",
            breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [], asks=asks, cautions=[SHOCK],
            why=f"{expected.amps:.1f} A should flow for a moment" if expected else "one module after the other",
            fails="Open it again at once; measure all modules at rest anew.")]  # fmt: skip


def _level(run: Steps) -> list[str]:
    """Add charging those modules that rest too low beside the highest, and measuring them again; return the steps to wait for."""
    measured = {m.id: m for m in run.solved.modules if m.resting_v is not None}
    if len(measured) < 2:
        return []
    top = max(measured.values(), key=lambda m: m.resting_v or 0.0)
    out = []
    for id, m in measured.items():
        low = (top.resting_v or 0.0) - (m.resting_v or 0.0)
        if low > m.resting_tolerance_v + 1e-9:
            want = top.resting_v or 0.0
            out.append(run.add(f"join:level:{id}", "join", f"{id} rests too low", f"Do not join {id}: it rests {figure(low)} V below {top.id}. Charge it by itself, let it rest, measure again.", [f"join:rest:{id}"], kind="reading", devices=[id],
                asks=[figure_ask("volts", "Volts at rest, again", "V", want - m.resting_tolerance_v, want + m.resting_tolerance_v, want, f"within {m.resting_tolerance_v:g} V of {top.id}", meter="volts", compared=True)],
                cautions=[SHOCK, "Joined now, the higher one would pour into it."], fails="Charge it on, or let it rest longer.", symptom=""))  # fmt: skip
    return out


def addresses(run: Steps) -> None:
    """Add switches, power cycles, the chain and the ohms across the pair."""
    link = run.solved.link
    plan = link.addresses
    ready = run.last("join", "hardware", "isolate")
    speaking = [m.module for m in plan.modules] if plan else list(link.speaking)
    needs = list(ready)
    if plan:
        for m in plan.modules:
            drawn = " ".join("up" if s else "down" for s in m.switches)
            run.add(f"address:set:{m.module}", "address", f"Switches of {m.module}" + (": host" if m.host else ""), f"Set the switches of {m.module} as drawn: {drawn}; photograph them.", ready,
                devices=[m.module], kind="photo", expect=f"address {m.address}", asks=[tick_ask("set", "Set as drawn")],
                why="switches are read only at start", cautions=["Some families need another address for a firmware update: set it back after."])  # fmt: skip
            needs.append(f"address:set:{m.module}")
    if len(speaking) > 1:
        for id in speaking:
            run.add(f"address:cycle:{id}", "address", f"Power cycle {id}", f"Switch {id} off and on again.", needs, devices=[id], why="an address counts from the next start on")  # fmt: skip
        paths = (
            "; ".join(f"{p['from']} {p['from_port']} to {p['to']} {p['to_port']}" for p in plan.path)
            if plan
            else "from module to module"
        )
        run.add("address:chain", "address", "Module-to-module cable", f"Plug the cables between the modules: {paths}.", [f"address:cycle:{id}" for id in speaking], devices=speaking,
            cautions=["Not in the port that looks alike: it is another circuit on the same kind of plug."])  # fmt: skip
    if link.loop == "closed" and link.cable is not None and link.terminators is not None:
        ends = list(link.terminators.expected_ohm)
        good = ends[2] if len(ends) > 2 and ends[2] else TERMINATOR_OHM / 2
        low, high = good * (1 - OHM_TOLERANCE), good * (1 + OHM_TOLERANCE)
        one, three = good * 2, good * 2 / 3
        pins = [str(w.from_) for w in link.cable.wires if w.signal.upper().endswith(("-H", "-L", "-A", "-B"))]
        last = speaking[-1] if speaking else ""
        run.add("address:ohms", "address", "Ohms across the pair", "Measure ohms across the pair at the free plug of the link cable, the unit's end open.", run.last("address") or ready,
            kind="reading", devices=speaking, keys=["meter on Ω", *pins], why="two terminators in parallel; a bus with one or three talks badly, or only on good days",
            cautions=["Power off at both ends. A live pair reads nonsense and can harm the meter."], symptom="page-zeros",
            asks=[figure_ask("ohms", "Ohms across the pair", "Ω", low, high, good, f"terminators ±{OHM_TOLERANCE * 100:g} %", meter="ohms",
                marks=[(three, "three in"), (one, "one in")],
                zones=[(one * OHM_ZONES["one"][0], one * OHM_ZONES["one"][1], "One terminator is missing", f"Look at {last}: its plug belongs in the free port at the end of the chain." if last else "Put it in."),
                    (three * OHM_ZONES["three"][0], three * OHM_ZONES["three"][1], "One terminator too many", "Take out the one that is not at an end."),
                    (one * OHM_ZONES["ends"][1], None, "No terminator, or the pair is open", "Look at both ends of the chain and at the plug."),
                    (None, good * OHM_ZONES["ends"][0], "The pair is shorted, or powered", "Switch off both ends; look for a crushed plug.")])],
            fails="Measure again after each change.")  # fmt: skip


def protocol(run: Steps) -> None:
    """Add the protocol on the side of the modules, then the link cable."""
    link = run.solved.link
    if link.loop != "closed":
        return
    needs = [i for i in run.of("address") if i != "address:ohms"][-1:] or run.last("join", "hardware", "isolate")
    for m in run.solved.modules:
        if m.bms is None or m.id not in link.speaking:
            continue
        entry = next((p.entry for p in m.bms.protocols if p.name == (link.protocol or "").split(" ")[0]), None)
        what = f"On {m.id}, see that the protocol is {entry or link.protocol}." + (
            " It has no setting for it: see the label of its port." if entry is None else ""
        )
        run.add(f"protocol:module:{m.id}", "protocol", f"Protocol of {m.id}", what, needs, devices=[m.id], kind="decision",
            asks=[choice_ask("protocol", "Was it ever changed?", ["never changed", "set back now", "cannot be told"], ["never changed", "set back now"])],
            why="each module answers for itself; one on another protocol is silent")  # fmt: skip
    host = link.host_unit or "the host"
    bit = f" {link.bitrate // 1000} kbit/s" if link.bitrate else ""
    run.add("protocol:cable", "protocol", f"Cable to {host}", f"Plug the link cable from {link.bms_port_label or 'the BMS'} of the host module into {link.unit_port_label or link.unit_port} of {host}.",
        [*run.of("protocol"), *needs, "address:ohms"], devices=[host], why=f"{link.protocol}{bit}", symptom="page-zeros")  # fmt: skip


def power(run: Steps) -> None:
    """Add closing the bank, units and chargers, then switching on in the profile's order."""
    needs = run.last("protocol", "address", "join", "hardware", "isolate")
    needs = list(dict.fromkeys([*needs, *run.of("protocol"), *run.of("address"), *run.of("hardware"), *run.of("join")])) or [
        "isolate:dead"
    ]
    for b in reversed(run.order):
        if b.side not in ("bank", "unit", "charger"):
            continue
        pre = " Through its pre-charge resistor first." if b.side == "bank" and run.job.bank.precharge_ohm else ""
        needs = [run.add(f"restore:{b.id}", "power", f"{b.name} closed", f"Close {b.name}.{pre}", needs, breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [],
            cautions=[SHOCK if b.side != "bank" else "A loud snap and a spark mean no pre-charge: stop, open, ask."], wait_s=BOOT_S if b.side == "charger" else 0.0,
            why="it boots on the bank, before it sees any panel" if b.side == "charger" else "")]  # fmt: skip
    profiles = {u.id: u.profile for u in run.solved.units}
    followers_first = any(p.start_order == "followers-first" for p in profiles.values())
    units = sorted(run.job.units, key=lambda u: (u.role != "follower") if followers_first else (u.role == "follower"))
    bank_v = run.solved.bank.nominal_v if run.solved.bank else None
    for u in units:
        asks = []
        if bank_v is not None:
            asks = [figure_ask("volts", "Bank volts on its display", "V", bank_v * BANK_SHOWN[0], bank_v * BANK_SHOWN[1], bank_v, "anywhere a bank of so many cells may stand", needed=False)]  # fmt: skip
        needs = [run.add(f"on:{u.id}", "power", f"{u.id} switched on", f"Switch {u.id} on" + (", and wait until it says that it waits for its host." if u.role == "follower" else "."), needs,
            kind="reading" if asks else "action", devices=[u.id], asks=asks, reverse=f"off:{u.id}", symptom="waits-for-host" if u.role == "follower" else "")]  # fmt: skip


def enter(run: Steps) -> None:
    """Add the working list of every device, entry by entry, then looking again after the restart."""
    for d in run.devices:
        target = planned_entries(d, run.solved)
        try:
            order = order_of(d, run.solved, target)
        except DocumentError:
            continue
        ways = [f"restore:{b.id}" for b in run.breakers if b.device == d.id and b.side in ("charger", "module")]
        needs = [r for r in (f"on:{d.id}", *ways) if r in run.ids] or run.last("power", "join", "isolate")
        profile = d.profile
        for step in order.steps:
            needs = [
                _entry(
                    run, d.id, step, needs, profile.keys.opens if profile.keys else "", profile.keys.commits if profile.keys else ""
                )
            ]
        rows = list(run.solved.sheets[d.id].settings)
        blocked = {b.setting for b in order.blocked.nearest} if order.blocked else set()
        rows = [r for r in rows if r.setting not in blocked and r.quantity not in ("new_bank", "soc_now")]
        if rows:
            asks = [
                text_ask(r.setting, r.label, unit=r.unit, expect=r.entry, good=[r.entry], row=r.label, column="shows", needed=False)
                for r in rows
            ]
            run.add(f"recheck:{d.id}", "recheck", f"{d.id} read again", f"Leave the menu of {d.id}, let it start anew where that is needed, and read every value again.", needs, kind="comparison",
                devices=[d.id], asks=asks, columns=["shows"], minutes=8, symptom="reverted",
                why="a value may fall back after a restart; its output goes off meanwhile, and it begins in bulk although full: expected",
                cautions=["The loads lose their supply while it restarts."], fails="Enter it again; if it falls back, something overrides it.")  # fmt: skip


def _entry(run: Steps, device: str, step: Step, needs: list[str], opens: str, commits: str) -> str:
    what = step.label
    keys: list[str] = []
    cautions = [step.caution] if step.caution else []
    if step.kind == "entry":
        what = f"Set {step.label} to {step.enter} {step.unit}".strip() + ("; for now only." if step.temporary else ".")
        keys = [k for k in (opens, f"{step.enter} {step.unit}".strip(), commits) if k]
        if step.needs != "any":
            cautions.append(f"It takes this only {'in standby' if step.needs == 'standby' else 'with the output off'}.")
    resets = ", ".join(f"{r.label} to {r.to}" for r in step.resets)
    label = "Inputs closed again later" if step.key == "action.resume" else step.label
    if step.key == "action.resume":
        what = f"Take {device} out of standby. Its AC and sun inputs stay open until their own steps."
    return run.add(
        f"enter:{device}:{step.key}", "enter", label if len(label) < 48 else label[:46] + "…", what, needs,
        kind="entry" if step.kind == "entry" else "action", devices=[device], menu=step.menu, keys=keys, shows=step.shows or "", enter=step.enter or "", unit=step.unit,
        cautions=cautions, why=step.why + (f"; it resets {resets}" if resets else ""), expect=f"{step.enter} {step.unit}".strip() if step.kind == "entry" else "",
        asks=[text_ask("back", "Read back", unit=step.unit, expect=step.enter or "", good=[step.enter or ""], needed=False)] if step.kind == "entry" else [],
        fails="It will not take it: asleep, wrong level or state, an interlock, or another host." if step.kind == "entry" else "", symptom="not-accepted" if step.kind == "entry" else "",
    )  # fmt: skip


def sensor(run: Steps) -> None:
    """Add the current sensor: type, zero, gain."""
    shunt = _shunt(run)
    if shunt is None:
        return
    device, rated = shunt
    sheet = run.sheet(device)
    row = next((r for r in sheet.settings if r.quantity == "shunt_a"), None) if sheet else None
    needs = run.last("recheck", "enter", "power")
    idle = max((u.profile.ratings.idle_w for u in run.solved.units), default=0.0)
    own = round(idle / (run.solved.bank.nominal_v if run.solved.bank else METER_AT_V), 2) if idle else OWN_DRAW_A
    run.add("sensor:type", "sensor", "Sensor entered", f"See that {device} shows the sensor's type, amps and millivolts as its plate says.", needs, devices=[device],
        why="declaring a new bank or another capacity makes some units forget it", expect=f"{row.entry} {row.unit}" if row else "")  # fmt: skip
    run.add("sensor:zero", "sensor", "Zero", "Chargers, loads and followers off: read the bank's current on the display.", ["sensor:type"], kind="reading", devices=[device],
        figures="zero", given={"own_draw_a": own, "capacity_ah": run.solved.bank.capacity_ah if run.solved.bank else 100.0},
        asks=[figure_ask("amps", "Current shown", "A", -(own + ZERO_A), own + ZERO_A, own, f"the host's own draw of about {own:g} A remains, and {ZERO_A:g} A")], fails="Zero the sensor as its manual says; read again.")  # fmt: skip
    run.add("sensor:gain", "sensor", "Gain", "Under load, read display and clamp at the same moment.", ["sensor:zero"], kind="test", devices=[device], figures="gain",
        given={"rated_a": rated, "entry": number_of(row.entry, rated) if row else rated, "entry_step": _step_of(run, device, "shunt_a"), "own_draw_a": own},
        asks=[figure_ask("shown", "Current on the display", "A"), figure_ask("reference", "Current on the clamp, same place", "A", meter="clamp"),
            figure_ask("own_draw", "Own draw between the two places", "A", needed=False)],
        why=f"within {LIGHT_A:g} A on light load and {LOADED_PART * 100:g} % under load", cautions=["A clamp reads nonsense near a bar that carries another current."], fails="Type the corrected entry, then read again.")  # fmt: skip


def live(run: Steps) -> None:
    """Add closing the rest in the reverse of isolating: strings one by one, AC inputs, loads."""
    needs = [*run.of("recheck"), *run.of("sensor")] or run.last("enter", "power", "join", "isolate")
    needs = list(dict.fromkeys([*needs, *(i for i in run.of("enter") if i.endswith((".restart", ".resume")))]))
    for b in reversed(run.order):
        if b.side not in ("sun", "grid", "generator", "load"):
            continue
        cautions = {
            "sun": ["The charger is on the bank, and its display says so: only then."],
            "grid": [f"Back-feed and islanding: {LICENSED.lower()}"],
            "generator": ["Exhaust: never in or near a room with people."],
            "load": ["See that nobody works on what comes alive now."],
        }[b.side]
        needs = [run.add(f"restore:{b.id}", "live", f"{b.name} closed", f"Close {b.name}.", needs, breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [],
            cautions=cautions, wait_s=STRING_WAIT_S if b.side == "sun" else 0.0)]  # fmt: skip


def _has(run: Steps, quantity: str) -> bool:
    return any(r.quantity == quantity for s in run.solved.sheets.values() for r in s.settings)


def _shunt(run: Steps) -> tuple[str, float] | None:
    """Return the device with a current sensor and its rated amps; None where there is none."""
    for id, sheet in run.solved.sheets.items():
        for r in sheet.settings:
            if r.quantity == "shunt_a":
                return id, run.job.bank.shunt_a or max(number_of(r.entry, USUAL_SHUNT_A), LEAST_SHUNT_A)
    host = run.solved.host
    return (host.id, run.job.bank.shunt_a) if run.job.bank.shunt_a is not None and host is not None else None


def _step_of(run: Steps, device: str, quantity: str) -> float:
    profile = run.profile(device)
    setting = profile.setting_for(quantity) if profile is not None else None
    return setting.step or 1.0 if setting is not None else 1.0
