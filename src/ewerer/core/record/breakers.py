"""The breakers of a site: derived from the job where it lists none, in the order that leaves no charger without a bank.

Order of isolating: loads, AC inputs, sun strings one by one, then each charger's way to the bank, the units', the bank's,
the modules' own. Restoring is the exact reverse. Source: common practice; a sun charger that sees panels without a bank
may be destroyed.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..documents.job import Breaker, Job
from ..documents.profiles import MenuProfile

ORDER = ("load", "grid", "generator", "sun", "charger", "unit", "bank", "module")


def _own_trackers(job: Job, profiles: dict[str, MenuProfile]) -> Iterator[tuple[str, int]]:
    for u in job.units:
        profile = profiles.get(u.id)
        if u.array_w or u.strings or (profile is not None and profile.own_sun_a > 0 and "sun" in job.site.sources):
            yield u.id, u.strings or 1


def breakers_of(job: Job, profiles: dict[str, MenuProfile]) -> list[Breaker]:
    """Return the job's own breakers, or those that a job like it has; ``profiles`` are the units' by id."""
    if job.breakers:
        return list(job.breakers)
    out = [Breaker(id="loads", name="Loads", side="load", feeds="everything on the output side")]
    if job.site.dc_loads_a:
        out.append(Breaker(id="dc-loads", name="DC loads", side="load", feeds="what hangs on the busbar"))
    out += [Breaker(id=f"ac-{a.id}", name=f"AC array {a.id}", side="grid", feeds="its own inverter") for a in job.sun.on_output]
    if job.mains is not None or "mains" in job.site.sources:
        out.append(Breaker(id="grid", name="Grid input", side="grid", feeds="AC inputs of the units"))
        for i, feed in enumerate(job.mains.feeds if job.mains else [], 1):
            out.append(Breaker(id=f"feed-{i}", name=feed.name, side="grid", feeds="AC inputs of the units"))
    if job.generator is not None or "generator" in job.site.sources:
        out.append(Breaker(id="generator", name="Generator input", side="generator", feeds="AC inputs of the units"))
    strings = [(c.id, c.strings or 1) for c in job.sun.chargers] + list(_own_trackers(job, profiles))
    for device, count in strings:
        for n in range(1, count + 1):
            name = f"{device} string {n}" if count > 1 else f"{device} string"
            out.append(Breaker(id=f"sun-{device}-{n}"[:40], name=name, side="sun", feeds=f"{device} from the sun", device=device))
    for c in job.sun.chargers:
        out.append(Breaker(id=f"charger-{c.id}"[:40], name=f"{c.id} to bank", side="charger", feeds="busbar", device=c.id))
    for u in job.units:
        out.append(Breaker(id=f"unit-{u.id}"[:40], name=f"{u.id} to bank", side="unit", feeds=u.id, device=u.id))
    out.append(Breaker(id="bank", name="Bank main", side="bank", feeds="busbar"))
    for m in job.bank.modules:
        out.append(Breaker(id=f"module-{m.id}"[:40], name=f"{m.id} switch", side="module", feeds="bank bars", device=m.id))
    return [b.model_copy(update={"id": id}) for b, id in zip(out, _each_its_own([b.id for b in out]), strict=True)]


def _each_its_own(ids: Sequence[str]) -> list[str]:
    """Return ids made different where they are not: long names of devices are cut, and may then be alike."""
    taken: set[str] = set()
    out = []
    for id in ids:
        made, n = id, 2
        while made in taken:
            made, n = f"{id[:36]}-{n}", n + 1
        taken.add(made)
        out.append(made)
    return out


def isolating(breakers: Sequence[Breaker], followers: Sequence[str] = ()) -> list[Breaker]:
    """Return the breakers in the order of isolating; followers' before the hosts' within their side."""
    rank = {side: i for i, side in enumerate(ORDER)}
    return sorted(breakers, key=lambda b: (rank[b.side], b.device not in followers if b.side == "unit" else False))


def broken(breakers: Sequence[Breaker], closed: frozenset[str], moved: str) -> str:
    """Return what is unsafe about moving one breaker while ``closed`` are closed, empty where nothing is.

    No sun breaker is moved while its charger is without the bank: its own way to the busbar and the bank's must be closed.
    """
    by_id = {b.id: b for b in breakers}
    b = by_id[moved]
    if b.side != "sun":
        return ""
    own = [o.id for o in breakers if o.side in ("charger", "unit") and o.device == b.device]
    bank = [o.id for o in breakers if o.side == "bank"]
    modules = [o.id for o in breakers if o.side == "module"]
    open_ = [i for i in (*own, *bank) if i not in closed]
    if modules and not any(m in closed for m in modules):
        open_ += modules[:1]
    return f"{b.name} would move while {by_id[open_[0]].name} is open: {b.device} is without the bank" if open_ else ""
