"""The tests of proof as steps: how, what should be seen, what is changed for a while and put back. Source: common practice."""

from __future__ import annotations

from ..devices.slots.single import PARKED
from ..documents.results.link import Display
from ..documents.results.run import Ask, Change, Temporary
from ..documents.results.sheet import SheetRow
from ..stages.solved import Device
from ..trade.margins import (
    CHARGER_EFFICIENCY,
    CONTINUOUS,
    COOLS_K,
    COOLS_MIN,
    DRAW_PART,
    HERTZ_PART,
    IDLE_EXPORT_W,
    LAWFUL_AC,
    LEGS,
    METER_AT_V,
    METER_V,
    MODE_PART,
    MODE_W,
    RAMP_HERTZ_PART,
    REFERENCE_C,
    SAME_SOC_PCT,
    SAME_TEMP_K,
    SHARE,
    SILENCE_S,
    THERMOMETERS_K,
    TRANSFER_MS,
    VOLTS_PART,
)
from ..trade.steps import figure
from .changes import owner, temporary, trial
from .steps import FOLLOW_UPS, LICENSED, Steps, choice_ask, figure_ask, full_charge_days, number_of, text_ask, tick_ask

RAMP_STEPS = 8
"""Rows of a ramp, at most: more steps of the entry are taken together."""


def proof(run: Steps) -> None:
    """Add every test that this job can make."""
    ready = list(run.of("live"))[-1:] or run.last("sensor", "together", "enter", "power", "join", "isolate")
    _link(run, ready)
    _temperature(run, ready)
    _electrical(run, ready)
    _sources(run, ready)
    _modes(run, ready)
    _faults(run, ready)


def clock(run: Steps) -> None:
    """Add the units' clocks and the edges of the windows."""
    ready = run.last("live", "sensor", "together", "enter", "power")
    slots = {u.unit: u.slots for u in run.solved.windows.units}
    if not run.job.windows:
        return
    units = [u.id for u in run.job.units]
    run.add("clock:units", "clock", "Clocks of the units", "Compare the clock of each unit with a good one; set it where it is off.", ready, kind="reading", devices=units, symptom="windows-nothing",
        asks=[figure_ask(id, f"{id}: seconds ahead, behind with a minus", "s", -60.0, 60.0, 0.0, "windows are told by the minute") for id in units], proof=True)  # fmt: skip
    edges: dict[str, dict[str, str]] = {}
    parked: dict[str, dict[str, str]] = {}
    for unit, held in slots.items():
        for slot in held[:6]:
            if slot.start != slot.end and slot.note == PARKED:
                parked.setdefault(f"{slot.start} to {slot.end}", {})[unit] = slot.kind
            elif slot.start != slot.end:
                edges.setdefault(slot.start, {})[unit] = f"{slot.kind} from {slot.start} to {slot.end}"
    for minute, told in edges.items():
        asks = []
        for unit in told:
            asks += [choice_ask(f"{unit}.before", f"{unit}, one minute before", ["outside the window", "as within it"], ["outside the window"]), choice_ask(f"{unit}.after", f"{unit}, one minute after", ["as within the window", "as before"], ["as within the window"])]  # fmt: skip
        run.add(f"clock:edge:{minute.replace(':', '')}", "clock", f"Window at {minute}", f"Watch {', '.join(told)} from a minute before {minute} until a minute after it.", ["clock:units"], kind="test", devices=list(told),
            asks=asks, expect="; ".join(dict.fromkeys(told.values())), symptom="windows-nothing", optional=True, minutes=3, proof=True)  # fmt: skip
    for stretch, told in parked.items():
        run.add(f"clock:parked:{stretch[:5].replace(':', '')}", "clock", f"Parked window {stretch}", f"Watch {', '.join(told)} from {stretch}: a window that is not wanted is parked there, since an empty one misbehaves.", ["clock:units"], kind="test", devices=list(told),
            asks=[choice_ask(unit, f"{unit} meanwhile", ["nothing changes", "it charges", "it discharges"], ["nothing changes"]) for unit in told], symptom="windows-nothing", optional=True, minutes=3, proof=True)  # fmt: skip


def handover(run: Steps) -> None:
    """Add what is left behind and what follows."""
    done = run.of("proof") + run.of("clock") or run.last("live", "enter", "power")
    run.add("handover:owner", "handover", "Explain to the owner", "Show the owner the alarm, the breakers in their order and the generator. Say what changes with the season, and what to do when a module is out.", done,
        kind="decision", asks=[choice_ask("owner", "The owner", ["was shown everything", "gets it in writing"], ["was shown everything", "gets it in writing"])], minutes=15)  # fmt: skip
    run.add("handover:covers", "handover", "Covers closed", "Close every cover, count tools, label breakers and cables; photograph the whole.", done, kind="photo", minutes=5, cautions=[LICENSED])  # fmt: skip
    run.add("handover:lock", "handover", "Levels locked", "Lock the installer level of every unit again.", done, why="nobody changes by chance what was proven")  # fmt: skip
    ready = run.of("handover")
    days = {id: after for id, (_, after) in FOLLOW_UPS.items()} | {"follow:full": full_charge_days(run.job)}
    run.add("follow:day", "follow", FOLLOW_UPS["follow:day"][0], "Look at yesterday: highest and lowest volts, charge, temperature; faults.", ready, after_days=days["follow:day"], kind="reading",
        asks=[figure_ask("high", "Highest volts", "V", needed=False), figure_ask("low", "Lowest volts", "V", needed=False), figure_ask("soc", "Charge shown", "%", 0.0, 100.0, needed=False)])  # fmt: skip
    run.add("follow:week", "follow", FOLLOW_UPS["follow:week"][0], "Look at the week: does the charge shown agree with the volts, does it reach full, are there new faults.", ready, after_days=days["follow:week"], kind="reading",
        figures="soc_trend", asks=[figure_ask(f"error{d}", f"Error of the charge after day {d}", "%", needed=d < 3) for d in range(1, 8)], minutes=10, symptom="soc-drifts")  # fmt: skip
    run.add("follow:full", "follow", FOLLOW_UPS["follow:full"][0], "See the bank reach full and the charge shown go to 100 %.", ready, after_days=days["follow:full"], kind="reading",
        asks=[choice_ask("full", "It was full", ["yes", "not yet"], ["yes"])], symptom="never-full")  # fmt: skip


def _shown(value: float | None, unit: str) -> str:
    return "nothing" if value is None else f"{figure(value, 1)} {unit}"


def _link(run: Steps, ready: list[str]) -> None:
    link = run.solved.link
    displays = {d.case: d for d in link.displays}
    everything = displays.get("all")
    if link.loop != "closed" or everything is None:
        return
    host = link.host_unit or "the unit"
    scale = (run.solved.bank.nominal_v if run.solved.bank else METER_AT_V) / METER_AT_V
    asks: list[Ask] = []
    for column in ("BMS", host):
        one = "bms" if column == "BMS" else "unit"
        rows = [("volts", "Volts", "V", None), ("temp", "Temperature", "degC", None), ("soc", "Charge", "%", None), ("soh", "Health", "%", None), ("asked", "Asked volts", "V", everything.charge_v),
            ("charge", "Charge limit", "A", everything.charge_a), ("discharge", "Discharge limit", "A", everything.discharge_a)]  # fmt: skip
        for name, label, unit, exact in rows:
            asks.append(figure_ask(f"{one}.{name}", label, unit, exact, exact, exact, "limits are floor to the step of k times the sum, exactly" if exact is not None else "",
                row=label, column=column, needed=name in ("volts", "charge", "discharge"), expect=_shown(exact, unit) if exact is not None else "", zones=[(0.0, 0.0, "All zeros: there is no link", "Port, pins, terminators, protocol.")] if exact else []))  # fmt: skip
    run.add("proof:same", "proof", "Same on both sides", f"Read the BMS's own page and the battery page of {host} at the same time, line by line.", ready, kind="comparison", devices=[host, *link.speaking],
        asks=asks, columns=["BMS", host], figures="same", given={"volts_v": METER_V * scale, "soc_pct": SAME_SOC_PCT, "temp_k": SAME_TEMP_K}, minutes=5, symptom="page-zeros", proof=True,
        why="what the unit believes is what the BMS says, or the link is not what it seems")  # fmt: skip
    cases = [d for d in link.displays if d.case != "all" and d.case != "asks-full-charge"]
    if len(link.speaking) > 1:
        rows_asked = [a for d in cases for a in _case_row(d, everything)]
        run.add("proof:without-one", "proof", "One module's part taken out", "Take each out in turn, and put it back: one module's charging, its discharging, the module, the host; read the limits each time.", ["proof:same"],
            kind="test", devices=list(link.speaking), asks=rows_asked, columns=["charge A", "discharge A"], minutes=15, symptom="one-of-several", proof=True,
            temporary=Temporary(device=link.speaking[0], setting="", label="Modules and cable", back_to="all in, link back by itself"),
            why="only the direction taken out changes; without host or cable nothing is shown, and it comes back by itself", cautions=["Loads low: the modules left carry everything."])  # fmt: skip
    menus = [
        d for d in run.devices if d.kind == "module" and d.id in link.speaking and d.profile.setting_for("absorb_v") is not None
    ]
    if len(menus) > 1:
        setting = menus[1].profile.setting_for("absorb_v")
        assert setting is not None
        in_host = Change(id=f"proof:dictates:{menus[0].id}", **_asked_volts(run, menus[0], f"{menus[0].id}: ").model_dump())
        run.add("proof:dictates", "proof", "Who dictates the volts", f"Raise {setting.label} in {menus[1].id} by one step, look at {host}, set it back; then the same in the host module.", ["proof:same"], kind="test",
            devices=[m.id for m in menus], symptom="follower-voltage", minutes=6, proof=True,
            asks=[choice_ask("follower", "Change in a follower module", ["no effect", "effect"], ["no effect"]), choice_ask("host", "Change in the host module", ["effect", "no effect"], ["effect"])],
            temporary=_asked_volts(run, menus[1]), changes=[in_host])  # fmt: skip
    for m in run.solved.modules:
        timed = [t for t in (m.bms.timed_requests if m.bms else []) if t.lasts_min]
        if timed and m.id in link.speaking:
            minutes = float(timed[0].lasts_min or 0)
            run.add("proof:timed", "proof", "Timed requests", f"Watch what the BMS asks for ({timed[0].ask}); press the stopwatch when it asks and when it ends.", ["proof:same"], kind="test", devices=[m.id], stopwatch=["asked", "ended"],
                figures="timed", given={"lasts_s": minutes * 60.0}, expect=f"{figure(minutes)} min", minutes=minutes, optional=True, proof=True)  # fmt: skip
            break
    row = _row(run, "link_loss_action")
    action = row.value if row else None
    good = {"stop": "it stops", "carry-on": "it carries on with its own settings"}.get(str(action), "")
    run.add("proof:link-loss", "proof", "Loss of link", f"Pull the link cable at {host} and wait for {figure(link.silence_s or SILENCE_S)} s.", ["proof:same"], kind="test", devices=[host], wait_s=link.silence_s or SILENCE_S, proof=True,
        asks=[choice_ask("did", "What it does", ["it stops", "it carries on with its own settings", "it notices nothing"], [good] if good else [])], expect=good,
        temporary=Temporary(device=host, setting="", label="Link cable", back_to="plugged in, page shows again"), cautions=["The output may go off."], minutes=3)  # fmt: skip


def _case_row(d: Display, everything: Display) -> list[Ask]:
    if d.charge_a is None:
        return [tick_ask(f"{d.case}.nothing", d.word, row=d.word, column="charge A", expect="nothing is shown")]
    out = []
    for name, column, value in (("charge", "charge A", d.charge_a), ("discharge", "discharge A", d.discharge_a)):
        if value is not None:
            whole = everything.charge_a if name == "charge" else everything.discharge_a
            zones = (
                [(whole, whole, "It did not change", "It is not the module you think, or it was not taken out.")]
                if whole is not None and whole != value
                else []
            )
            out.append(figure_ask(f"{d.case}.{name}", d.word, "A", value, value, value, "exact", row=d.word, column=column, expect=_shown(value, "A"), zones=zones))  # fmt: skip
    return out


def _temperature(run: Steps, ready: list[str]) -> None:
    run.add("proof:temperature", "proof", "Temperature", "Read the bank's temperature on the display and with a second thermometer at the same place, at rest.", ready, kind="test", figures="temperature", symptom="hot-but-cool", proof=True,
        asks=[figure_ask("shown", "Shown", "degC"), figure_ask("second", "Second thermometer", "degC", meter="temperature"), figure_ask("ambient", "Air around", "degC", needed=False, meter="temperature")],
        why=f"within {figure(THERMOMETERS_K)} K at rest; a constant {REFERENCE_C} is a default, not a sensor")  # fmt: skip
    run.add("proof:probe", "proof", "Which probe", "Warm one probe at a time with a hand; see which one the display follows.", ["proof:temperature"], kind="test", optional=True, proof=True,
        asks=[choice_ask("follows", "The display follows", ["the probe at the bank", "another probe", "none"], ["the probe at the bank"])])  # fmt: skip
    run.add("proof:shade", "proof", "Sensor in the sun", "Where the sun may reach the sensor: shade it and wait.", ["proof:temperature"], kind="test", figures="shade", optional=True, proof=True,
        asks=[figure_ask("before", "Before", "degC"), figure_ask("after", "After", "degC"), figure_ask("minutes", "Minutes between", "min")], why=f"a bank cannot cool more than {figure(COOLS_K)} K in {figure(COOLS_MIN)} minutes: if it falls faster, the sensor lied; move it, not the limit")  # fmt: skip


def _electrical(run: Steps, ready: list[str]) -> None:
    solved, bank = run.solved, run.solved.bank
    ladder = solved.ladder.rungs if solved.ladder else {}
    if bank is not None:
        run.add("proof:resistance", "proof", "Path resistance", "Read volts and amps of the bank, switch a large load on, read both again within 2 s.", ready, kind="test", figures="resistance", proof=True,
            given={"expected_mohm": bank.path_mohm}, asks=[figure_ask("v1", "Volts before", "V", meter="volts"), figure_ask("i1", "Amps out before", "A", meter="clamp"), figure_ask("v2", "Volts after", "V", meter="volts"), figure_ask("i2", "Amps out after", "A", meter="clamp")],
            why=f"nameplates and leads make {figure(bank.path_mohm, 2)} mΩ", fails="Feel every lug for warmth, load off first: a loose one burns.")  # fmt: skip
    absorb = ladder.get("absorb_v")
    if absorb is not None:
        derived = solved.derived_for(solved.host.profile if solved.host else None)
        hold, tail = (derived.get(n) for n in ("absorb_min", "tail_a"))
        given = {"absorb_v": float(absorb.value), "capacity_ah": bank.capacity_ah if bank else 100.0}
        given |= {"hold_min": float(hold.value)} if hold is not None and isinstance(hold.value, float) else {}
        given |= {"tail_a": float(tail.value)} if tail is not None and isinstance(tail.value, float) else {}
        given |= {"float_v": float(ladder["float_v"].value)} if "float_v" in ladder else {}
        points = [a for n in range(1, 12 + 1) for a in (figure_ask(f"m{n}", "Minute", "min", row=str(n), column="minute", needed=n < 4), figure_ask(f"v{n}", "Volts", "V", row=str(n), column="volts", needed=n < 4), figure_ask(f"a{n}", "Amps", "A", row=str(n), column="amps", needed=False))]  # fmt: skip
        run.add("proof:charge", "proof", "Full charge", f"Let it charge to {figure(absorb.value, 1)} V and on; note minute, volts and amps, often near the top.", ready, kind="test", figures="charge", given=given, asks=points,
            columns=["minute", "volts", "amps"], minutes=120, optional=True, proof=True, symptom="trips-at-end", cautions=["Stay while it is new. Above the cells' limit: open the sun and AC inputs."])  # fmt: skip
    dc = run.job.site.dc_loads_a
    if dc and solved.limits is not None:
        cap = solved.limits.charge.bank_a
        run.add("proof:cap", "proof", "What the cap caps", "Charge at the cap with the DC loads running; read what goes into the bank.", ready, kind="test", figures="cap", given={"cap_a": cap, "dc_loads_a": dc}, proof=True,
            asks=[figure_ask("bank", "Into the bank", "A", meter="clamp"), figure_ask("dc", "DC loads", "A", meter="clamp")], optional=True)  # fmt: skip
    if len(run.job.units) > 1:
        ids = [u.id for u in run.job.units]
        run.add("proof:share", "proof", "Units share", "Under a steady load, read the amps of each unit.", ready, kind="test", devices=ids, figures="share", given={"part": SHARE}, symptom="amps-differ", proof=True,
            asks=[figure_ask(id, f"Amps of {id}", "A") for id in ids], why=f"within {figure(SHARE * 100)} %: leads of one length, settings alike")  # fmt: skip
    alarm, shut = ladder.get("alarm_v"), ladder.get("shutdown_v")
    row = _row(run, "shutdown_v")
    made = None
    if alarm is not None and shut is not None and row is not None:
        made = trial(run, "proof:cut-off", row, {"shutdown_v": (1, "above the present volts", True), "alarm_v": (2, "above the raised shut-down", True), "restart_v": (3, "above the raised alarm", False), "unit_off_v": (0, "below the raised shut-down", False)})  # fmt: skip
    if made is not None:
        run.add("proof:cut-off", "proof", "Two-step cut-off", f"Raise {made.told} above the present volts; watch what happens in which order. Put them back the other way round.", ready, kind="test", devices=[made.device], optional=True, proof=True,
            asks=[made.now, tick_ask("alarm", "First the alarm"), tick_ask("off", "Then the output goes off"), tick_ask("charging", "It still charges"), tick_ask("back", "It comes back above the restart")],
            temporary=made.first, changes=made.others, fails=made.fails, cautions=["Loads go dark: medical and safety loads on another supply first."], minutes=10)  # fmt: skip


def _sources(run: Steps, ready: list[str]) -> None:
    job, solved = run.job, run.solved
    ac = job.site.ac
    host = solved.host
    volts = figure_ask(
        "volts",
        "Volts from the bank",
        "V",
        ac.volts * (1 - VOLTS_PART),
        ac.volts * (1 + VOLTS_PART),
        ac.volts,
        f"within {figure(VOLTS_PART * 100)} %",
        meter="volts",
    )
    hertz = figure_ask(
        "hertz",
        "Hertz from the bank",
        "Hz",
        ac.hz * (1 - HERTZ_PART),
        ac.hz * (1 + HERTZ_PART),
        float(ac.hz),
        f"within {figure(HERTZ_PART * 100)} %",
        meter="volts",
    )
    if job.mains is not None:
        run.add("proof:mains-fail", "proof", "The mains fail", "Open the breaker of the mains with the loads on, and close it again after.", ready, kind="test", proof=True, minutes=5,
            asks=[choice_ask("carried", "The loads", ["carried on", "went off"], ["carried on"]), figure_ask("gap", "Gap", "ms", 0.0, TRANSFER_MS, why="what a unit promises, 10 to 20 ms", needed=False, meter="scope"), volts, hertz],
            temporary=Temporary(device="", setting="", label="Breaker of the mains", back_to="closed"), cautions=["Medical and safety loads on another supply first."])  # fmt: skip
    to = next((r for q in ("to_mains_v", "to_mains_soc") if (r := _row(run, q)) is not None), None)
    back = next((r for q in ("return_bank_v", "return_bank_soc") if (r := _row(run, q)) is not None), None)
    over = None
    if to is not None and host is not None and (job.mains is not None or job.generator is not None):
        most = (
            back.value
            if back is not None and isinstance(back.value, float) and back.quantity.endswith("_v") == to.quantity.endswith("_v")
            else None
        )
        over = trial(run, "proof:transfer", to, {to.quantity: (1, "one step above the present", True)}, most=most)
    if over is not None and host is not None and to is not None:
        limit = f", below {back.label} ({back.entry} {back.unit})" if back is not None else ""
        run.add("proof:transfer", "proof", "Transfer", f"Set {to.label} one step above what the bank shows now{limit}; watch it go over, then put it back.", ready, kind="test", devices=[over.device], stopwatch=["set", "went over"], proof=True,
            asks=[over.now, choice_ask("went", "It went over", ["yes", "no"], ["yes"])], temporary=over.first, changes=over.others, symptom="transfer-no-effect",
            why="it returns by itself once the value is put back", fails=f"The source order makes it idle, or a condition is not met. {over.fails}", minutes=4)  # fmt: skip
    for source in solved.limits.ac.sources if solved.limits else []:
        if source.source == "generator":
            _generator(run, ready, source.charge_a, source.loads_w)
    ac_limits = solved.limits.ac if solved.limits else None
    if ac_limits is not None and ac_limits.charge_a:
        eta = min((u.profile.ratings.charger_efficiency for u in solved.units), default=CHARGER_EFFICIENCY)
        given = {"efficiency": eta} | (
            {"breaker_w": job.mains.breaker_a * ac.volts * CONTINUOUS * LEGS[ac.topology]} if job.mains else {}
        )
        run.add("proof:ac-draw", "proof", "Draw from AC", "Charge from AC at the cap: read the bank's volts and amps, the loads, and what comes in.", ready, kind="test", figures="ac_draw", given=given, proof=True,
            asks=[figure_ask("amps", "Into the bank", "A", meter="clamp"), figure_ask("volts", "Bank", "V", meter="volts"), figure_ask("loads", "Loads", "W"), figure_ask("input", "From AC", "W")], why=f"amps × volts / efficiency + loads, within {figure(DRAW_PART * 100)} %, and below {figure(CONTINUOUS)} of the breaker")  # fmt: skip


def _generator(run: Steps, ready: list[str], charge_a: float, loads_w: float) -> None:
    job = run.job
    ac = job.site.ac
    row = _row(run, "mains_charge_max_a") or _row(run, "charge_max_a")
    top = number_of(row.entry, charge_a) if row else charge_a
    step = 1.0
    if row is not None and run.solved.host is not None:
        setting = run.solved.host.profile.setting_for(row.quantity)
        step = (
            (setting.step or 1.0) if setting is not None and setting.encoding.kind == "plain" else max(1.0, round(top / RAMP_STEPS))
        )
    each = max(1, -int(-(top / step) // RAMP_STEPS))
    amps = [round(n * step, 3) for n in range(each, int(top / step) + 1, each)]
    if not amps or amps[-1] < top - 1e-9:
        amps.append(top)
    low_v, high_v = _window(run, ac.volts)
    asks = []
    for a in amps[: RAMP_STEPS + 1]:
        word = f"{figure(a, 1)} A"
        asks += [figure_ask(f"{a:g}.volts", word, "V", low_v, high_v, ac.volts, "the unit's own AC window", row=word, column="volts", needed=False), figure_ask(f"{a:g}.hertz", word, "Hz", ac.hz * (1 - RAMP_HERTZ_PART), ac.hz * (1 + RAMP_HERTZ_PART), float(ac.hz), f"within {figure(RAMP_HERTZ_PART * 100)} %", row=word, column="hertz", needed=False)]  # fmt: skip
    run.add("proof:ramp", "proof", "Generator under load", f"Raise {row.label if row else 'the charging amps'} in its own steps, not beyond {figure(top, 1)} A; read volts and hertz at each; stop at the first that is not good.", ready, kind="test",
        figures="ramp", asks=asks, columns=["volts", "hertz"], minutes=20, symptom="generator-hunts", proof=True, given={"loads_w": loads_w, "low_v": low_v, "high_v": high_v, "nominal_hz": float(ac.hz)},
        temporary=temporary(owner(run, row), row, "step by step") if row is not None else None, cautions=["Exhaust, hot parts. Feel plug and cord by hand after 15 min: warm is a warning, hot is a stop."])  # fmt: skip
    start = next((r for q in ("gen_start_soc", "gen_start_v") if (r := _row(run, q)) is not None), None)
    if job.generator is None or job.generator.start != "auto" or start is None:
        return
    stop = "gen_stop_soc" if start.quantity == "gen_start_soc" else "gen_stop_v"
    made = trial(run, "proof:generator-auto", start, {start.quantity: (1, "above the present charge", True), stop: (2, "above the raised start, then below the present charge", False)}, after={stop: "below the present charge, once the start is back"})  # fmt: skip
    if made is not None:
        run.add("proof:generator-auto", "proof", "Generator by itself", f"Raise {start.label} above the present charge: it must start, warm up, take over, charge. Put it back, then lower the stop point below the present charge: it must stop; put that back too.", ["proof:ramp"], kind="test", devices=[made.device],
            stopwatch=["set", "started", "took over"], asks=[made.now, tick_ask("starts", "It starts"), tick_ask("takes", "It takes over and charges"), tick_ask("stops", "It stops")],
            temporary=made.first, changes=made.others, cautions=["It starts without warning: nobody at the engine."], minutes=15, proof=True, why="three failed starts lock it out", fails=made.fails)  # fmt: skip


def _modes(run: Steps, ready: list[str]) -> None:
    job = run.job
    if not job.units:
        return
    phase = job.policy.mode in ("essential-only", "zero-export", "peak-shaving") or job.policy.export_limit_w is not None
    if phase:
        run.add("proof:ct", "proof", "Current transformers", "Switch a known load of about 1 kW on one phase; read what the unit shows at the grid, before and after.", ready, kind="test", figures="ct", proof=True,
            asks=[figure_ask("known", "The load", "W"), figure_ask("before", "Grid before", "W"), figure_ask("after", "Grid after", "W"), figure_ask("other", "Another phase changed by", "W", needed=False)],
            why="+1 kW on its phase; −1 kW: reversed; on another phase: swapped", cautions=["Never open a transformer that carries current."])  # fmt: skip
    words = {
        "off-grid": "off-grid",
        "feed-in": "feeding in",
        "essential-only": "essential loads only",
        "zero-export": "no export",
        "peak-shaving": "peak shaving",
    }
    cases = [("sun", "Sun above loads"), ("dim", "Sun below loads"), ("night", "No sun, bank above its reserve")]
    sun_there = "sun" in job.site.sources or bool(job.sun.chargers)
    for key, word in cases if sun_there else cases[2:]:
        grid = job.mains is not None
        asks = [figure_ask("soc", "Charge shown", "%", 0.0, 100.0)]
        asks += [figure_ask("sun", "Sun", "W", 0.0, None)] if key != "night" else []
        asks += [figure_ask("load", "Loads", "W", 0.0, None), figure_ask("bank", "Into the bank, out with a minus", "W")]
        asks += [figure_ask("grid", "From the grid, to it with a minus", "W")] if grid else []
        asks += [text_ask("clock", "Clock", expect="HH:MM", needed=False)]
        run.add(f"proof:mode:{key}", "proof", f"{words[job.policy.mode]}: {word.lower()}", f"{word}: read sun, loads, bank and grid over two minutes while they stand still.", ready, kind="test", figures="mode", asks=asks, optional=True, proof=True, minutes=3,
            why=f"what the plan's own settings make of these watts, within max({figure(MODE_W)} W, {figure(MODE_PART * 100)} %)")  # fmt: skip
    if job.policy.mode == "zero-export" and not job.policy.sells and job.mains is not None:
        run.add("proof:zero-export", "proof", "No export", "With sun above the loads and the bank full or capped, read the grid for two minutes.", ready, kind="reading", optional=True, proof=True,
            asks=[figure_ask("grid", "Grid", "W", -IDLE_EXPORT_W, IDLE_EXPORT_W, 0.0, f"the unit's idle offset, about {figure(IDLE_EXPORT_W)} W")], fails="The transformer is reversed, or on another phase.")  # fmt: skip
    cap = job.policy.export_limit_w
    if cap is not None and job.policy.sells and job.mains is not None:
        run.add("proof:export-cap", "proof", "Cap on export", "With the sun well above loads and cap and the bank full, read the grid for two minutes.", ready, kind="reading", optional=True, proof=True, minutes=3,
            asks=[figure_ask("grid", "Grid, to it with a minus", "W", -cap - IDLE_EXPORT_W, IDLE_EXPORT_W, -cap, f"never more out than {figure(cap)} W, and the unit's idle offset")], fails="Turn the sun off: more than is permitted goes out. Look for the cap, its switch, and where it is measured.", cautions=["Beyond the permission the grid's operator may cut the site off."])  # fmt: skip
    backup = _row(run, "backup_output")
    if backup is not None and backup.value in ("slow", "fast") and job.mains is not None:
        run.add("proof:backup", "proof", "Backup output", "Note what is fed by the backup output, open the breaker of the mains, close it again after.", ready, kind="test", optional=True, proof=True, minutes=4,
            asks=[choice_ask("on", "Loads on the backup output", ["stayed on", "went off"], ["stayed on"]), choice_ask("others", "Loads before it", ["went off", "stayed on"], ["went off"]), figure_ask("gap", "Gap", "ms", 0.0, None, needed=False, meter="scope")],
            temporary=Temporary(device="", setting="", label="Breaker of the mains", back_to="closed"), fails="A load on the wrong output, or one that never was islanded: stop, and have the wiring looked at.", cautions=["Medical and safety loads on another supply first.", "Before the mains' side counts as dead, prove it dead."])  # fmt: skip
    ends = _row(run, "ac_charge_stop_soc") or _row(run, "ac_charge_stop_v")
    if ends is not None and isinstance(ends.value, float):
        percent = ends.quantity.endswith("_soc")
        at = round(ends.value * 100, 3) if percent else round(ends.value, 3)
        near, unit = (2.0, "%") if percent else (METER_V * 2, "V")
        run.add("proof:charge-up-to", "proof", "Charging from AC ends", f"With the sun's breakers open or at night, charge from AC and wait until it ends: {ends.label} says {ends.entry} {ends.unit}.", ready, kind="test", optional=True, proof=True, minutes=60,
            asks=[figure_ask("ended", "The bank showed when it ended", unit, at - near, at + near, at, "the planned end, as the display rounds it"), choice_ask("loads", "The loads went on", ["from the bank or the sun", "from AC", "went off"], ["from the bank or the sun", "from AC"])], fails="It charges on: look whether another condition holds it, or another unit has another end.")  # fmt: skip


def _faults(run: Steps, ready: list[str]) -> None:
    units = [u.id for u in run.job.units]
    if units:
        run.add("proof:faults", "proof", "Faults cleared", "Clear the faults of each unit and look again.", ready, kind="test", devices=units, symptom="fault-returns", proof=True,
            asks=[choice_ask(id, f"{id}, after clearing", ["none there", "stays away", "back at once"], ["none there", "stays away"]) for id in units], why="stays away: past; back at once with a present time: present")  # fmt: skip


def _row(run: Steps, quantity: str) -> SheetRow | None:
    """Return the host's row of a quantity, or of whoever has one."""
    host = run.solved.host
    ids = [host.id] if host is not None else []
    for id in dict.fromkeys([*ids, *run.solved.sheets]):
        sheet = run.sheet(id)
        row = next((r for r in sheet.settings if r.quantity == quantity), None) if sheet else None
        if row is not None:
            return row
    return None


def _asked_volts(run: Steps, module: Device, whose: str = "") -> Temporary:
    """Return the change of the volts that a module asks for: one step up, or down where its menu ends."""
    s = module.profile.setting_for("absorb_v")
    assert s is not None
    row = next((r for r in run.solved.sheets[module.id].settings if r.setting == s.id), None)
    back = row.entry if row else s.factory or ""
    up = s.max is None or number_of(back, 0.0) + (s.step or 0.0) <= s.max + 1e-9
    return Temporary(device=module.id, setting=s.id, label=whose + s.label, menu=s.menu, back_to=back, to="one step up" if up else "one step down", unit=s.unit)  # fmt: skip


def _window(run: Steps, nominal: float) -> tuple[float, float]:
    window = run.solved.sources.ac_window if run.solved.sources else None
    low, high = (getattr(window, n, None) for n in ("low_off_v", "high_off_v")) if window is not None else (None, None)
    return (low if isinstance(low, float) else nominal * LAWFUL_AC[0], high if isinstance(high, float) else nominal * LAWFUL_AC[1])
