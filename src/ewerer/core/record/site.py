"""Steps of a run up to the restored supply: before, as found, isolate, hardware, join, addresses, protocol, power, enter.

Source: common practice. Nothing here decides a figure: values come from the plan's solved facts.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..devices.wire.protocols import protocol_word
from ..documents.results.order import Step
from ..documents.results.run import GATE, StepLine
from ..stages.bank.joining import branches_of, steps_of
from ..stages.sheet.found import planned_entries
from ..stages.solved import Device
from ..trade.errors import DocumentError
from ..trade.margins import (
    BANK_SHOWN,
    BOOT_S,
    CAPACITORS_S,
    CLAMP_ZERO_A,
    DEAD_V,
    JOIN_AMPS_FACTOR,
    JOIN_AMPS_MORE_A,
    LEAST_CELL_V,
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
            ["found:photo"], devices=[d.id], why="the order of entry starts from here; what nobody notes is taken as it left the factory", minutes=12, kind="decision",
            asks=[choice_ask("noted", "Its settings", ["noted on the sheet", "not looked at"], ["noted on the sheet", "not looked at"], opens=["not looked at"])])  # fmt: skip
    known = {v.device: v for v in run.solved.link.firmware}
    parts = [*(u.id for u in run.job.units), *(m.id for m in run.job.bank.modules)]
    if parts:
        asks = [text_ask(id, "Firmware as displayed", row=id, column="firmware", expect=", ".join(known[id].known_good) if id in known else "") for id in dict.fromkeys(parts)]  # fmt: skip
        run.add("found:firmware", "found", "Firmware of all", "Read the firmware of each unit and module from its display.", ["found:photo"], kind="reading", devices=parts, asks=asks, columns=["firmware"],
            makes=[f"firmware_known({id})" for id in parts])  # fmt: skip
    for id, v in known.items():
        if v.verdict == "bad":
            way = f"Bring it to {' or '.join(v.known_good)}" if v.known_good else "Ask its maker for a good one"
            run.add(f"found:update:{id}", "found", f"{id} has a firmware to replace", f"{way}: {v.version} is known to be bad. Keep the file of the one that runs now: it is the way to return.", ["found:firmware"],
                kind="decision", devices=[id], why=v.why or "noted as bad", cautions=["Never switch off while it writes. Some families need another address for it: set it back after."],
                asks=[choice_ask("update", "Its firmware", ["replaced", "left, with a reason in the notes"], ["replaced", "left, with a reason in the notes"], opens=["left, with a reason in the notes"])], minutes=20)  # fmt: skip
    units = [u.id for u in run.job.units]
    if units:
        run.add("found:faults", "found", "Faults that are held", "List the faults that each unit holds with their times, in the logbook; do not clear them yet.", ["found:photo"], devices=units, minutes=4)  # fmt: skip


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
                    reverse=f"on:{id}", makes=[f"off({id})"], why="a follower is off before its host" if followers else "no inverter runs while its bank is opened")]  # fmt: skip
        sun = b.side == "sun"
        caution = {
            "load": "Whatever the loads carry goes dark: medical and safety loads need another supply first.",
            "sun": "Never under load at a plug: the breaker first. Direct current does not break an arc.",
            "grid": "The grid's side stays live.",
            "generator": "Lock out its automatic start.",
        }.get(b.side, SHOCK)
        needs = [run.add(f"isolate:{b.id}", "isolate", f"{b.name} open", f"Open {b.name}" + (f", which feeds {b.feeds}." if b.feeds else "."), needs,
            cautions=[caution], breaker=b.id, opens=True, reverse="" if b.id in run.feeds[1:] else "restore:feed" if b.id in run.feeds else f"restore:{b.id}", devices=[b.device] if b.device else [],
            wait_s=STRING_WAIT_S if sun else 0.0, makes=[f"open({b.id})"], why="strings one by one, while their charger still has the bank" if sun else "")]  # fmt: skip
    needs = [run.add("isolate:wait", "isolate", "Wait for capacitors", f"Wait until the capacitors of all units are empty: {CAPACITORS_S / 60:g} minutes, or as their labels say.", needs,
        kind="wait", wait_s=CAPACITORS_S, minutes=5, cautions=["They hold a deadly charge after everything is open."])]  # fmt: skip
    needs = [run.add("isolate:amps", "isolate", "No current anywhere", "Clamp every cable of the busbar: no current may flow.", needs, kind="reading",
        asks=[figure_ask("amps", "Largest current found", "A", -CLAMP_ZERO_A, CLAMP_ZERO_A, 0.0, "a clamp meter's own zero", meter="clamp")], firm=True,
        fails="Something is still closed: go through the breakers again.")]  # fmt: skip
    zones = [
        (DEAD_V, None, "It is not dead", "Keep away from the bars; find the breaker that is still closed, then measure again.")
    ]
    run.add("isolate:dead", "isolate", "Proved dead", "Prove the meter on a live post, measure across the busbar, prove the meter again.", needs,
        kind="reading", cautions=[SHOCK, ALONE], asks=[figure_ask("volts", "Volts across the busbar", "V", -DEAD_V, DEAD_V, 0.0, "what a dead bar picks up", zones=zones, meter="volts")], firm=True, makes=["dead(busbar)"],
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


def plan_gate(run: Steps) -> None:
    """Add the gate of a plan that stops: nothing is energised before it is mended, or a named person goes on with a reason."""
    if not run.stopped:
        return
    run.add(GATE, "join", "The plan stops", f"Mend the plan first: {'; '.join(run.stopped[:4])}.", run.of("hardware") or ["isolate:dead"], kind="decision",
        asks=[choice_ask("plan", "The plan", ["still stops"], ["is mended"])], why="what is energised now would do what the plan forbids",
        cautions=["Going on makes you answer for it: your name and reason stand beside the signature."], fails="When the plan is mended this step goes by itself.")  # fmt: skip


def join(run: Steps) -> None:
    """Add charging each module, measuring all of them beside each other, then closing one after the other."""
    ready = run.of("hardware") or ["isolate:dead"]
    modules = {m.id: m for m in run.solved.modules}
    if not modules:
        return
    lead = not run.lithium
    gas = ["Acid and hydrogen: air the room, no flame, eye protection, water at hand."] if lead else []
    run.add("join:torque", "join", "Lugs tightened", "Tighten every lug of the bank with the torque its maker names, and mark each.", ready, kind="decision", devices=list(modules),
        asks=[tick_ask("torque", "Every lug is tightened and marked")], why="a loose lug burns; a marked one shows when it moves", cautions=[SHOCK, *gas], minutes=8)  # fmt: skip
    if len(modules) > 1:
        run.add("join:full", "join", "Each module charged by itself", "Charge each module to full by itself, then let all of them rest.", ready, devices=list(modules), kind="wait", minutes=120, optional=True,
            why="equal by charge, not by chance of volts", cautions=["A charger for this chemistry, never unwatched.", *gas])  # fmt: skip
    tolerance = min(m.resting_tolerance_v for m in modules.values())
    top = max((m.resting_v for m in modules.values() if m.resting_v is not None), default=None)
    asks = [
        figure_ask(id, f"{id} at rest", "V", meter="volts", compared=True, row=id, column="volts at rest", least=m.series_cells * LEAST_CELL_V, most=m.series_cells * m.cell_max_v,
            expect=f"{figure(m.resting_v)} V" if m.resting_v is not None else "")
        for id, m in modules.items()
    ]  # fmt: skip
    given = {"tolerance_v": tolerance} | {f"ohm.{id}": m.branch_ohm for id, m in modules.items()}
    low = [
        m.id
        for m in modules.values()
        if m.resting_v is not None and top is not None and top - m.resting_v > m.resting_tolerance_v + 1e-9
    ]
    said = f" The plan has {', '.join(low)} too low: charge first." if low else ""
    run.add("join:rest", "join", "Modules at rest", f"Measure each module across its posts, rested, its switch off, with one meter.{said}", ["join:torque", "join:full"], kind="comparison", devices=list(modules),
        asks=asks, columns=["volts at rest"], figures="rest", given=given, why=f"all within {figure(tolerance)} V of each other: more would drive a current between them on closing",
        cautions=[SHOCK], fails="Charge the lowest by itself or let it rest longer; joining them now would drive a current between them.", makes=[f"level({id})" for id in modules])  # fmt: skip
    closing = [b for b in reversed(run.order) if b.side == "module"]
    branches = {b.id: b for b in branches_of(list(run.solved.modules))}
    measured = [branches[b.device] for b in closing if b.device in branches]
    amps = {s.module: s for s in steps_of(measured)} if len(measured) == len(closing) and len(closing) > 1 else {}
    needs = ["join:rest", GATE]
    for n, b in enumerate(closing):
        expected = amps.get(b.device or "")
        asks = []
        if n and expected is not None:
            high = max(JOIN_AMPS_FACTOR * expected.amps, expected.amps + JOIN_AMPS_MORE_A)
            asks = [figure_ask("amps", "Current on closing", "A", 0.0, high, expected.amps, "from the resting volts and both resistances, twice over", meter="clamp", needed=False)]  # fmt: skip
        elif n:
            asks = [figure_ask("amps", "Current on closing", "A", meter="clamp", needed=False)]
        onto = " onto the modules that are joined." if n else "."
        why = (
            f"{expected.amps:.1f} A should flow for a moment"
            if n and expected is not None
            else "what should flow for a moment stands with the volts at rest"
            if n
            else "one module after the other"
        )
        needs = [run.add(f"restore:{b.id}", "join", f"{b.name} closed", f"Close {b.name}{onto}", needs, kind="reading" if asks else "action",
            breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [], asks=asks, cautions=[SHOCK], why=why, makes=[f"closed({b.id})", f"joined({b.device})"],
            fails="Open it again at once; measure all modules at rest anew.")]  # fmt: skip


def addresses(run: Steps) -> None:
    """Add switches, power cycles, the chain and the ohms across the pair."""
    link = run.solved.link
    plan = link.addresses
    ready = run.last("join", "hardware", "isolate")
    speaking = [m.module for m in plan.modules] if plan else list(link.speaking)
    needs = list(ready)
    if plan and plan.modules:
        drawn = {m.module: " ".join("up" if x else "down" for x in m.switches) for m in plan.modules}
        hosts = ", ".join(m.module for m in plan.modules if m.host)
        asks = [tick_ask(m.module, f"{m.module}: {drawn[m.module]}, address {m.address}") for m in plan.modules]
        needs = [run.add("address:set", "address", "Switches as drawn" + (f", {hosts} the host" if hosts else ""), "Set the switches of each module as drawn, and photograph them.", ready, devices=list(drawn), kind="photo",
            asks=asks, why="switches are read only at start", cautions=["Some families need another address for a firmware update: set it back after."])]  # fmt: skip
    if len(speaking) > 1:
        needs = [run.add("address:cycle", "address", "Power cycle of each module", "Switch each module off and on again.", needs, devices=speaking, kind="decision",
            asks=[tick_ask(id, f"{id} was off and is on again") for id in speaking], why="an address counts from the next start on")]  # fmt: skip
        paths = (
            "; ".join(f"{p['from']} {p['from_port']} to {p['to']} {p['to_port']}" for p in plan.path)
            if plan
            else "from module to module"
        )
        run.add("address:chain", "address", "Module-to-module cable", f"Plug the cables between the modules: {paths}.", needs, devices=speaking,
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
    asks = []
    for m in run.solved.modules:
        if m.bms is None or m.id not in link.speaking:
            continue
        entry = next((p.entry for p in m.bms.protocols if p.name == (link.protocol or "").split(" ")[0]), None)
        asks.append(
            text_ask(m.id, f"Protocol that {m.id} shows", expect=entry, good=[entry])
            if entry is not None
            else choice_ask(m.id, f"{m.id} has no setting for it: was its port ever changed?", ["never changed", "set back now", "cannot be told"], ["never changed", "set back now"])
        )  # fmt: skip
    if asks:
        run.add("protocol:modules", "protocol", "Protocol of the modules", f"On each module, see that the protocol is the one for {protocol_word(link.protocol or '')}; set it where it is not.", needs, devices=[a.name for a in asks], kind="reading",
            asks=asks, why="each module answers for itself; one on another protocol is silent", makes=[f"protocol_set({a.name})" for a in asks])  # fmt: skip
    host = link.host_unit or "the host"
    bit = f" {link.bitrate // 1000} kbit/s" if link.bitrate else ""
    run.add("protocol:cable", "protocol", f"Cable to {host}", f"Plug the link cable from {link.bms_port_label or 'the BMS'} of the host module into {link.unit_port_label or link.unit_port} of {host}.",
        [*run.of("protocol"), *needs, "address:ohms"], devices=[host], why=f"{protocol_word(link.protocol or '')}{bit}", symptom="page-zeros", makes=["cable_in(link)"])  # fmt: skip
    adapters = [(link.adapter, host)] if link.adapter is not None else []
    adapters += [(c.adapter, c.charger) for c in link.chargers if c.adapter is not None]
    for adapter, device in adapters:
        if adapter is None:
            continue
        sets = "; ".join(x for x in (adapter.battery_entry, adapter.device_entry) if x)
        good = next((f"{r.shows}: {r.means}" for r in adapter.lamps[:1]), "")
        run.add(f"protocol:adapter:{device}", "protocol", f"{adapter.name} before {device}", f"Plug {adapter.name} between: its port {adapter.battery_port} to the battery, its port {adapter.device_port} to {device}."
            + (f" Set on it: {sets}." if sets else "") + " Look at its lamps.", [*run.of("protocol"), "protocol:cable"], kind="decision", devices=[device], expect=good,
            asks=[choice_ask("lamp", "Its lamps", ["as they should be", "otherwise"], ["as they should be"])], why=f"it turns {protocol_word(adapter.protocol)} into what {device} hears", symptom="page-zeros")  # fmt: skip


def power(run: Steps) -> None:
    """Add the bank's polarity, closing the bank, units and chargers; a single unit is switched on here, several each alone (:func:`enter`)."""
    needs = run.last("protocol", "address", "join", "hardware", "isolate")
    needs = list(dict.fromkeys([GATE, *needs, *run.of("protocol"), *run.of("address"), *run.of("hardware"), *run.of("join")])) or [
        "isolate:dead"
    ]
    bank = run.solved.bank
    if bank is not None and any(b.side == "bank" for b in run.order):
        low, high = bank.series_cells * bank.cell_min_v, bank.series_cells * bank.cell_max_v
        zones = [(None, -1.0, "The leads are swapped", "Nothing is closed: put them right, then measure again.")]
        needs = [run.add("power:polarity", "power", "Polarity and volts of the bank", "Measure at the open main of the bank: red lead to plus, black to minus.", needs, kind="reading", cautions=[SHOCK],
            asks=[figure_ask("volts", "Volts of the bank", "V", low, high, bank.nominal_v, f"{bank.series_cells} cells", meter="volts", zones=zones, least=-high, most=2 * high)],
            firm=True, makes=["polarity(bank)"], fails="Nobody closes it: look for swapped leads, a module that is off, another count of cells.")]  # fmt: skip
    for b in reversed(run.order):
        if b.side not in ("bank", "unit", "charger"):
            continue
        pre = " Through its pre-charge resistor first." if b.side == "bank" and run.job.bank.precharge_ohm else ""
        needs = [run.add(f"restore:{b.id}", "power", f"{b.name} closed", f"Close {b.name}.{pre}", needs, breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [],
            cautions=[SHOCK if b.side != "bank" else "A loud snap and a spark mean no pre-charge: stop, open, ask."], wait_s=BOOT_S if b.side == "charger" else 0.0, makes=[f"closed({b.id})"],
            why="it boots on the bank, before it sees any panel" if b.side == "charger" else "")]  # fmt: skip
    if len(run.job.units) == 1:
        _switch_on(run, run.job.units[0].id, "power", needs)


def _switch_on(run: Steps, id: str, section: str, needs: list[str]) -> str:
    """Add switching a unit on for good, with the bank's volts on its display."""
    unit = next(u for u in run.job.units if u.id == id)
    bank_v = run.solved.bank.nominal_v if run.solved.bank else None
    asks = []
    if bank_v is not None:
        asks = [figure_ask("volts", "Bank volts on its display", "V", bank_v * BANK_SHOWN[0], bank_v * BANK_SHOWN[1], bank_v, "anywhere a bank of so many cells may stand", needed=False)]  # fmt: skip
    waits = unit.role == "follower"
    return run.add(f"on:{id}", section, f"{id} switched on", f"Switch {id} on" + (", and wait until it says that it waits for its host." if waits and section == "together" else "."), needs,
        kind="reading" if asks else "action", devices=[id], asks=asks, reverse=f"off:{id}", symptom="waits-for-host" if waits else "", makes=[f"on({id})"])  # fmt: skip


def together(run: Steps) -> None:
    """Add switching several units on together, in the profile's order, once role and phase of each are entered and read back."""
    units = run.job.units
    if len(units) < 2:
        return
    profiles = {u.id: u.profile for u in run.solved.units}
    followers_first = any(p.start_order == "followers-first" for p in profiles.values())
    needs = list(dict.fromkeys([*run.of("enter"), *run.last("power", "join", "isolate")]))
    for u in sorted(units, key=lambda u: (u.role != "follower") if followers_first else (u.role == "follower")):
        needs = [_switch_on(run, u.id, "together", needs)]


def enter(run: Steps) -> None:
    """Add the working list of every device, a page of its menu a step, then reading it again.

    Units that share an output are switched on each alone until role and phase are entered and read back.
    """
    group = len(run.job.units) > 1
    turn: list[str] = []
    entered: dict[str, tuple[str, dict[str, str]]] = {}
    for d in run.devices:
        target = planned_entries(d, run.solved)
        try:
            order = order_of(d, run.solved, target)
        except DocumentError:
            continue
        ways = [f"restore:{b.id}" for b in run.breakers if b.device == d.id and b.side in ("charger", "module", "unit")]
        needs = [r for r in (f"on:{d.id}", *ways) if r in run.ids] or run.last("power", "join", "isolate")
        needs = [*needs, GATE]
        alone = group and d.kind == "unit" and run.moves
        if alone:
            needs = [run.add(f"alone:on:{d.id}", "enter", f"{d.id} switched on alone", f"Switch {d.id} on. Every other unit stays off.", [*needs, *turn, *run.last("power")], devices=[d.id], makes=[f"alone({d.id})"],
                why="two units on one output before each knows its place work against each other", cautions=["Never two of them on one output before role and phase of both are entered."])]  # fmt: skip
        begun = needs
        held = {x.key: x.enter or "" for x in order.steps if x.kind == "entry"}
        like = entered.get(d.profile.id)
        entered.setdefault(d.profile.id, (d.id, held))
        needs = _pages(run, d, order.steps, needs, like)
        sheet = run.solved.sheets[d.id]
        if sheet.decide and run.moves:
            asks = [
                choice_ask(h.setting, h.label, ["as it is", *h.choices]) if h.choices else text_ask(h.setting, h.label, unit=h.unit, expect="as it is, or what was decided")
                for h in sheet.decide
            ]  # fmt: skip
            known = " ".join(dict.fromkeys(h.known for h in sheet.decide if h.known and not h.known.startswith("Nothing")))
            needs = [run.add(f"decide:{d.id}", "enter", f"Decide on {d.id}", f"No rule plans these settings of {d.id}: decide each with the owner and its manual, and note what it is now.", needs, kind="decision", devices=[d.id],
                asks=asks, why=known or "the maker's manual decides", cautions=[LICENSED, *dict.fromkeys(h.caution for h in sheet.decide if h.caution)])]  # fmt: skip
        rows = list(sheet.settings)
        blocked = {b.setting for b in order.blocked.nearest} if order.blocked else set()
        rows = [r for r in rows if r.setting not in blocked and r.quantity not in ("new_bank", "soc_now")]
        if rows and (needs is not begun or run.visit in ("full", "check", "part")):
            asks = [
                choice_ask(
                    "rest",
                    "All other values",
                    ["as planned", "not looked at"],
                    ["as planned", "not looked at"],
                    opens=["not looked at"],
                )
            ]
            asks += [
                text_ask(r.setting, r.label, unit=r.unit, expect=r.entry, good=[r.entry], row=r.label, column="shows", needed=False)
                for r in rows
            ]
            needs = [run.add(f"recheck:{d.id}", "enter", f"{d.id} read again", f"Leave the menu of {d.id}, let it start anew where that is needed, and read every value again: note only what differs, then say that all others are as planned.", needs, kind="comparison",
                devices=[d.id], asks=asks, columns=["shows"], minutes=8, symptom="reverted", makes=[f"entered({d.id})", f"read_back({d.id})", *([f"role_set({d.id})"] if d.kind == "unit" else [])],
                why="a value may fall back after a restart; its output goes off meanwhile, and it begins in bulk although full: expected",
                cautions=["The loads lose their supply while it restarts."], fails="Enter it again; if it falls back, something overrides it.")]  # fmt: skip
        if alone:
            turn = [
                run.add(
                    f"alone:off:{d.id}",
                    "enter",
                    f"{d.id} switched off again",
                    f"Switch {d.id} off; the next one comes alone.",
                    needs,
                    devices=[d.id],
                    makes=[f"off({d.id})"],
                )
            ]


def _pages(
    run: Steps, d: Device, steps: Sequence[Step], needs: list[str], like: tuple[str, dict[str, str]] | None = None
) -> list[str]:
    """Add the entries of a device: those that follow each other on one page of its menu are one step with a line each.

    A device that takes what another of its model took before (its id and entries: ``like``) has them in one step between its actions.
    """
    keys = d.profile.keys
    page: list[Step] = []

    def close() -> None:
        nonlocal needs, page
        if page:
            needs = [_page(run, d.id, page, needs, keys.opens if keys else "", keys.commits if keys else "", like)]
            page = []

    for step in steps:
        if step.kind != "entry":
            close()
            needs = [_action(run, d.id, step, needs)]
            continue
        if page and like is None and (page[-1].menu != step.menu or page[-1].needs != step.needs):
            close()
        page.append(step)
    close()
    return needs


def _action(run: Steps, device: str, step: Step, needs: list[str]) -> str:
    what, label = step.label, step.label
    if step.key == "action.resume":
        label = "Inputs closed again later"
        what = f"Take {device} out of standby. Its AC and sun inputs stay open until their own steps."
    return run.add(f"enter:{device}:{step.key}", "enter", label if len(label) < 48 else label[:46] + "…", what, needs, devices=[device], why=step.why,
        cautions=[step.caution] if step.caution else [])  # fmt: skip


def _page(
    run: Steps,
    device: str,
    page: Sequence[Step],
    needs: list[str],
    opens: str,
    commits: str,
    like: tuple[str, dict[str, str]] | None = None,
) -> str:
    lines = []
    for step in page:
        resets = ", ".join(f"{r.label} to {r.to}" for r in step.resets)
        why = step.why + (f"; it resets {resets}" if resets else "")
        where = " › ".join(step.menu)
        lines.append(
            StepLine(
                id=f"enter:{device}:{step.key}", label=step.label, menu=where if like else "", shows=step.shows or "", enter=step.enter or "", unit=step.unit, why=why,
                cautions=[step.caution] if step.caution else [], temporary=step.temporary,
                differs=like is not None and like[1].get(step.key) != (step.enter or ""),
            )
        )  # fmt: skip
    first, menu = page[0], " › ".join(page[0].menu)
    states = {"standby": "These are taken only in standby.", "off": "These are taken only with the output off."}
    state = [states[n] for n in dict.fromkeys(x.needs for x in page) if n in states]
    many = f"{len(page)} settings" if len(page) > 1 else first.label
    more: dict[str, Any] = {
        "kind": "entry", "devices": [device], "lines": lines, "cautions": state, "minutes": max(1.0, len(page) / 2), "symptom": "not-accepted", "why": "in this order",
        "keys": [k for k in (opens, "set each line", commits) if k and (opens or commits)],
        "fails": "It will not take it: asleep, wrong level or state, an interlock, or another host.",
    }  # fmt: skip
    if like is not None:
        apart = [x.label for x in lines if x.differs]
        but = f", except {', '.join(apart[:4])}{' …' if len(apart) > 4 else ''}" if apart else ""
        return run.add(f"page:{device}:{first.key}", "enter", f"{device}: as {like[0]}{but}"[:60], f"On {device}, set the same as on {like[0]}{but}.", needs, menu=first.menu if len(page) == 1 else [], **more)  # fmt: skip
    return run.add(f"page:{device}:{first.key}", "enter", f"{device}: {menu or many}"[:60], f"On {device}, page {menu}: set {many}." if menu else f"On {device}: set {many}.", needs, menu=first.menu, **more)  # fmt: skip


def sensor(run: Steps) -> None:
    """Add the current sensor: type, zero, gain."""
    shunt = _shunt(run)
    if shunt is None:
        return
    device, rated = shunt
    sheet = run.sheet(device)
    row = next((r for r in sheet.settings if r.quantity == "shunt_a"), None) if sheet else None
    needs = run.last("together", "enter", "power")
    idle = max((u.profile.ratings.idle_w for u in run.solved.units), default=0.0)
    own = round(idle / (run.solved.bank.nominal_v if run.solved.bank else METER_AT_V), 2) if idle else OWN_DRAW_A
    run.add("sensor:type", "sensor", "Sensor entered", f"See that {device} shows the sensor's type, amps and millivolts as its plate says.", needs, devices=[device],
        why="declaring a new bank or another capacity makes some units forget it", expect=f"{row.entry} {row.unit}" if row else "")  # fmt: skip
    run.add("sensor:zero", "sensor", "Current sensor: zero offset", "Chargers, loads and followers off: read the bank's current on the display.", ["sensor:type"], kind="reading", devices=[device],
        figures="zero", given={"own_draw_a": own, "capacity_ah": run.solved.bank.capacity_ah if run.solved.bank else 100.0},
        asks=[figure_ask("amps", "Current shown", "A", -(own + ZERO_A), own + ZERO_A, own, f"the host's own draw of about {own:g} A remains, and {ZERO_A:g} A")], fails="Zero the sensor as its manual says; read again.")  # fmt: skip
    run.add("sensor:gain", "sensor", "Current sensor: gain", "Under load, read display and clamp at the same moment.", ["sensor:zero"], kind="test", devices=[device], figures="gain",
        given={"rated_a": rated, "entry": number_of(row.entry, rated) if row else rated, "entry_step": _step_of(run, device, "shunt_a"), "own_draw_a": own},
        asks=[figure_ask("shown", "Current on the display", "A"), figure_ask("reference", "Current on the clamp, same place", "A", meter="clamp"),
            figure_ask("own_draw", "Own draw between the two places", "A", needed=False)],
        why=f"within {LIGHT_A:g} A on light load and {LOADED_PART * 100:g} % under load", cautions=["A clamp reads nonsense near a bar that carries another current."], fails="Type the corrected entry, then read again.")  # fmt: skip


def live(run: Steps) -> None:
    """Add closing the rest in the reverse of isolating: strings one by one, AC inputs, loads."""
    needs = [*run.of("enter"), *run.of("together")] or run.last("power", "join", "isolate")
    needs = list(dict.fromkeys([*needs, *([GATE] if GATE in run.ids else [])]))
    feeds = run.feeds
    for b in reversed(run.order):
        if b.side not in ("sun", "grid", "generator", "load") or (b.id in feeds and b.id != feeds[0]):
            continue
        if b.id in feeds:
            names = [next(x.name for x in run.breakers if x.id == i) for i in feeds]
            needs = [run.add("restore:feed", "live", "One feed closed", "Close the breaker of the feed that is used today, and only that one.", needs, kind="decision", breaker=b.id, reverse=f"isolate:{b.id}", makes=["closed(feed)"],
                asks=[choice_ask("feed", "Used today", names, names)], cautions=[f"Back-feed and islanding: {LICENSED.lower()}", "Never two feeds at once."], why="feeds of one inlet are alternatives")]  # fmt: skip
            for i, (name, rows) in enumerate(_feed_rows(run).items(), 1):
                run.add(f"feed:{i}", "live", f"Card of {name}", f"Make a card for the day that {name} is used: {'; '.join(rows)}. Test it on that day.", needs, kind="decision", optional=True,
                    asks=[tick_ask("card", "The card hangs at the units")], why="its own entries count while it is in use")  # fmt: skip
            continue
        cautions = {
            "sun": ["The charger is on the bank, and its display says so: only then."],
            "grid": [f"Back-feed and islanding: {LICENSED.lower()}"],
            "generator": ["Exhaust: never in or near a room with people."],
            "load": ["See that nobody works on what comes alive now."],
        }[b.side]
        needs = [run.add(f"restore:{b.id}", "live", f"{b.name} closed", f"Close {b.name}.", needs, breaker=b.id, reverse=f"isolate:{b.id}", devices=[b.device] if b.device else [],
            cautions=cautions, wait_s=STRING_WAIT_S if b.side == "sun" else 0.0, makes=[f"closed({b.id})"])]  # fmt: skip


def _feed_rows(run: Steps) -> dict[str, list[str]]:
    """Return what is typed while each other feed is in use, by its name."""
    out: dict[str, list[str]] = {}
    for id, sheet in run.solved.sheets.items():
        for r in sheet.feeds:
            out.setdefault(r.feed, []).append(f"{id} {r.label} {r.entry} {r.unit}".strip())
    return out


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
