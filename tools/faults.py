"""Forty faults, each a few lines: where, what stands there, what stands there instead, and the tests that are asked first."""

from __future__ import annotations

from typing import NamedTuple


class Fault(NamedTuple):
    """One fault: its name, the file, the text that is replaced (it stands there once), what replaces it, and the tests asked first."""

    name: str
    file: str
    before: str
    after: str
    tests: str


CORE, SERVER, WEB = "src/ewerer/core/", "src/ewerer/server/", "web/src/"
FAULTS = [
    # Numbers of the trade
    Fault("a breaker is drawn on in full", CORE + "trade/margins.py", "CONTINUOUS = 0.8", "CONTINUOUS = 1.0", "tests/core/test_ac_budget.py tests/core/test_pins.py"),
    Fault("a fuse of the load's own amps", CORE + "trade/margins.py", "FUSE_FACTOR = 1.25", "FUSE_FACTOR = 1.0", "tests/core/test_bank.py tests/outside tests/core/test_pins.py"),
    Fault("branches in series, not in parallel", CORE + "stages/bank/solve.py", "    return 1 / sum(1 / r for r in branches_mohm)", "    return sum(branches_mohm)", "tests/core/test_bank.py"),
    Fault("the strongest module binds", CORE + "stages/bank/solve.py", "        if limit / share < best - 1e-9:", "        if limit / share > best + 1e-9 or best == float('inf'):", "tests/core/test_bank.py tests/core/test_limits.py"),
    Fault("a BMS reports without its buffer", CORE + "stages/bank/solve.py", "    return floor_to_step(buffer * sum(limits_a), step_a)", "    return floor_to_step(sum(limits_a), step_a)", "tests/core/test_bank.py tests/core/test_limits_restated.py"),
    Fault("one module gone, the best case", CORE + "stages/limits/solve.py", "    return min(limits_without(limits_a, branches)) if len(limits_a) > 1 else None", "    return max(limits_without(limits_a, branches)) if len(limits_a) > 1 else None", "tests/core/test_limits_restated.py tests/core/test_limits.py"),
    Fault("a module is joined with one other only", CORE + "stages/bank/joining.py", "    amps = abs(one.volts - volts) / (one.ohm + 1 / conductance)", "    amps = abs(one.volts - volts) / (one.ohm + others[0].ohm)", "tests/core/test_joining.py"),
    Fault("each unit gets the whole limit", CORE + "stages/limits/ac.py", "    return [floor_to_step(min(limit_a / n, top), step) for top, step in zip(maxima, steps, strict=True)]", "    return [floor_to_step(min(limit_a, top), step) for top, step in zip(maxima, steps, strict=True)]", "tests/core/test_limits.py"),
    Fault("the efficiency is on the wrong side", CORE + "stages/limits/solve.py", "    return power_w / (efficiency * low_v)", "    return power_w * efficiency / low_v", "tests/outside/test_facts.py tests/core/test_limits.py"),
    Fault("the sag is added", CORE + "stages/thresholds/solve.py", "        load = soc_at(chem, (value + sag) / b.n)", "        load = soc_at(chem, (value - sag) / b.n)", "tests/core/test_ladder.py tests/core/test_pins.py"),
    Fault("an engine bears all of its plate at height", CORE + "stages/limits/ac.py", "over_m / 100 * DERATE_PER_100M", "over_m / 1000 * DERATE_PER_100M", "tests/core/test_ac_budget.py tests/core/test_pins.py"),
    Fault("steps are rounded up", CORE + "trade/steps.py", "    return clean(math.floor(value / step + _GUARD) * step)", "    return clean(math.ceil(value / step - _GUARD) * step)", "tests/core/test_steps.py"),
    Fault("a cell bears more than its sheet says", CORE + "trade/chemistries/lfp.json", '"absolute_max_v": 3.65', '"absolute_max_v": 3.75', "tests/core/test_pins.py tests/outside/test_open_circuit.py tests/core/test_ladder.py"),
    # Devices
    Fault("entries are cut on the unsafe side", CORE + "devices/codec.py", '        if side == "down":', '        if side == "up":', "tests/core/test_devices.py tests/core/test_sheet.py"),
    Fault("twice as many 2-V cells", CORE + "devices/codec.py", "        return profile.menu_class_v / 2", "        return profile.menu_class_v", "tests/core/test_devices.py"),
    Fault("a write's side effects are forgotten", CORE + "devices/model.py", "        shown |= effects\n", "", "tests/core/test_devices.py tests/core/test_entry_order.py tests/core/test_order_safe.py"),
    Fault("an interlock looks at what is written only", CORE + "devices/model.py", "        for id in (setting, *effects):", "        for id in effects:", "tests/core/test_devices.py tests/core/test_entry_order.py"),
    Fault("switches are read from the other end", CORE + "devices/addresses.py", "    on = [bool(address >> i & 1) for i in range(rule.switches)]\n    if not rule.least_first:", "    on = [bool(address >> i & 1) for i in range(rule.switches)]\n    if rule.least_first:", "tests/core/test_link.py"),
    Fault("two colours of the cable are swapped", CORE + "devices/cable.py", '    1: "white/orange",', '    1: "white/green",', "tests/outside/test_wire.py tests/core/test_link.py"),
    # The record
    Fault("a failed putting back counts as put back", CORE + "record/fold.py", '            if event.get("verdict") != "fail":\n                step["open"] = None', '            step["open"] = None', "tests/core/test_fold.py"),
    Fault("the clamp's own draw is added", CORE + "record/figures.py", "    ref = abs(clamp) - draw", "    ref = abs(clamp) + draw", "tests/core/test_verdicts.py"),
    Fault("a member of a sealed file is not looked at", CORE + "record/signing.py", "        elif name in digests and digests[name] != digest_listed:", "        elif name in digests and not digests[name]:", "tests/core/test_handover.py"),
    Fault("what lies between the members is not looked at", CORE + "record/signing.py", "    if not problems and not _between(held, file, infos):", "    if not problems and not infos:", "tests/core/test_handover.py"),
    Fault("an event of next year is taken", CORE + "record/intake.py", '        if event["at"] > latest:', '        if event["at"] > "9999":', "tests/server/test_record.py tests/server/attack/test_record.py"),
    # The server
    Fault("another crew's job is found", SERVER + "api/asking.py", ".get(pk=id, crew=crew_of(request))", ".get(pk=id)", "tests/server/test_api.py tests/server/test_record.py"),
    Fault("a member deletes for good", SERVER + "api/rights.py", '("POST", "jobs/<id>/delete-for-good"), ', "", "tests/server/test_rights.py"),
    Fault("a stale save overwrites", SERVER + "jobs/actions.py", "        if base_revision != job.revision:\n            raise StaleSave(job, latest)\n", "", "tests/server/test_api.py"),
    Fault("the same document makes a revision", SERVER + "jobs/actions.py", "    if not _holds(latest, parts[0]):", "    if latest is not None:", "tests/server/test_api.py tests/server/test_history.py"),
    Fault("a used invitation is good again", SERVER + "crews/actions.py", "found and found.used_by_id is None and found.until", "found and found.until", "tests/server/test_crew.py"),
    Fault("the last lead may leave", SERVER + "crews/actions.py", "    if not stays_lead and member.role == Role.LEAD and", "    if not stays_lead and member.role == Role.READER and", "tests/server/test_crew.py"),
    Fault("a weak new password is taken", SERVER + "api/session.py", '    actions.check_password(body.new, user, "/new")\n', "", "tests/server/test_crew.py"),
    Fault("a calendar outlives the membership", SERVER + "crews/models.py", 'models.OneToOneField(Member, on_delete=models.CASCADE, related_name="feed")', 'models.OneToOneField(Member, on_delete=models.DO_NOTHING, db_constraint=False, related_name="feed")', "tests/server/test_crew.py"),
    Fault("one crew has every thread", SERVER + "ops/limits.py", "        self.running[asker] += 1\n", "", "tests/server/attack/test_limits.py"),
    Fault("a body of any size is read", SERVER + "ops/limits.py", "            self.error = RequestEntityTooLarge", "            RequestEntityTooLarge", "tests/server/attack/test_limits.py"),
    Fault("long work is never ended", SERVER + "work/pool.py", "            future.cancel()  # type: ignore[no-untyped-call]\n", "", "tests/server/test_pool.py"),
    Fault("a damaged copy is put back", SERVER + "ops/backup.py", "    check(source)\n", "", "tests/server/test_backup.py"),
    # The front end
    Fault("what was typed is not kept while the server is away", WEB + "job/autosave.ts", "    if (state.value !== 'conflict') state.value = 'unsaved'\n    draft()\n", "    if (state.value !== 'conflict') state.value = 'unsaved'\n", "web:tests/use-job.test.ts"),
    Fault("a save that failed is not tried again", WEB + "job/autosave.ts", "      if (error.status !== 401) retry()", "      if (error.status === 401) retry()", "web:tests/use-job.test.ts"),
    Fault("the other's change is lost in a merge", WEB + "job/merge.ts", "    if (same(m, b)) return t\n", "    if (same(m, b)) return m\n", "web:tests/merge.test.ts"),
    Fault("an event that was taken back still counts", WEB + "record/fold.ts", "  return line.filter((e) => !dead.has(e.id) && e.kind !== 'undo')", "  return line.filter((e) => e.kind !== 'undo')", "web:tests/record.test.ts"),
]  # fmt: skip
