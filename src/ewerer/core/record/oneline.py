"""The site as a one-line picture of Ewerer's own: sources and loads above the busbar, the bank below, breakers between.

Only places and words are worked out here; screen and paper draw the same picture, and colour what is live by which
breakers are closed.
"""

from __future__ import annotations

from collections.abc import Sequence

from ..documents.job import Breaker, Job
from ..documents.results.run import OneLine, PictureBreaker, PictureDevice, PictureLine, PictureWord

STEP, TOP, LEFT = 46.0, 30.0, 34.0


def one_line(job: Job, breakers: Sequence[Breaker], order: Sequence[str]) -> OneLine:
    """Return the picture of a site's breakers; ``order`` gives each its number."""
    number = {id: i for i, id in enumerate(order, 1)}
    chargers = list(dict.fromkeys(b.device for b in breakers if b.side in ("charger", "unit") and b.device))
    segments: list[PictureLine] = []
    contacts: list[PictureBreaker] = []
    labels: list[PictureWord] = []
    blocks: list[PictureDevice] = []
    bank_ways = _bank_ways(breakers)
    ac_ways = [[b.id] for b in breakers if b.side in ("grid", "generator")]
    x = LEFT
    bus_y, mid_y, box_y = TOP + 190, TOP + 66, TOP + 96
    unit_columns: dict[str, float] = {}
    bus: list[list[str]] = list(bank_ways)

    def drop(b: Breaker, at: float, side: str, top: float, bottom: float, above: list[list[str]], below: list[list[str]]) -> None:
        middle = (top + bottom) / 2
        segments.append(PictureLine(path=f"M{at:g} {top:g}V{middle - 15:g}", side=side, ways=above))
        segments.append(PictureLine(path=f"M{at:g} {middle + 15:g}V{bottom:g}", side=side, ways=below))
        contacts.append(PictureBreaker(breaker=b.id, x=at, y=middle, no=number.get(b.id, 0)))

    for device in chargers:
        own = next(b for b in breakers if b.side in ("charger", "unit") and b.device == device)
        strings = [b for b in breakers if b.side == "sun" and b.device == device]
        begin = x
        for s in strings:
            labels.append(PictureWord(x=x, y=TOP - 8, text="sun", side="sun", small=True))
            drop(s, x, "sun", TOP, mid_y + 14, [[]], [[s.id]])
            x += STEP
        width = max(1, len(strings)) * STEP
        if not strings:
            x += STEP
        centre = begin + (width - STEP) / 2
        if len(strings) > 1:
            segments.append(
                PictureLine(path=f"M{begin:g} {mid_y + 14:g}H{begin + width - STEP:g}", side="sun", ways=[[s.id] for s in strings])
            )
        if strings:
            segments.append(PictureLine(path=f"M{centre:g} {mid_y + 14:g}V{box_y:g}", side="sun", ways=[[s.id] for s in strings]))
        blocks.append(
            PictureDevice(x=centre - 19, y=box_y, w=38, h=24, text=device, side="sun" if own.side == "charger" else "bank")
        )
        feeds = [[s.id] for s in strings] + (ac_ways if own.side == "unit" else [])
        bus += [[*way, own.id] for way in feeds]
        unit_columns[device] = centre
        x += 8
    ac_from = x
    units = [b for b in breakers if b.side == "unit"]
    bus_live = bus
    for device in chargers:
        own = next(b for b in breakers if b.side in ("charger", "unit") and b.device == device)
        ways = [[b.id] for b in breakers if b.side == "sun" and b.device == device]
        above = ways + (ac_ways if own.side == "unit" else []) + [[*w, own.id] for w in bus_live if own.id not in w]
        drop(own, unit_columns[device], "bank", box_y + 24, bus_y, above, bus_live)
    ac_sources = [b for b in breakers if b.side in ("grid", "generator")]
    loads = [b for b in breakers if b.side == "load"]
    unit_ways = [[*w, u.id] for u in units for w in bank_ways] + ac_ways
    for i, b in enumerate(ac_sources):
        labels.append(PictureWord(x=x, y=TOP - 8 - 11 * (i % 2), text=_word(b), side=b.side, small=True))
        drop(b, x, b.side, TOP, box_y + 12, [[]], ac_ways if ac_ways else [[b.id]])
        x += STEP
    for i, b in enumerate(loads, len(ac_sources)):
        if b.id == "dc-loads":
            labels.append(PictureWord(x=x, y=TOP - 8 - 11 * (i % 2), text="DC loads", side="load", small=True))
            drop(b, x, "load", TOP, bus_y, [[*w, b.id] for w in bus_live], bus_live)
        else:
            labels.append(PictureWord(x=x, y=TOP - 8 - 11 * (i % 2), text=_word(b), side="load", small=True))
            drop(b, x, "load", TOP, box_y + 12, [[*w, b.id] for w in unit_ways], unit_ways)
        x += STEP
    ends = [*ac_sources, *(b for b in loads if b.id != "dc-loads")]
    if ends and units:
        first = unit_columns[units[0].device or ""]
        last = ac_from + (len(ends) - 1) * STEP
        segments.append(PictureLine(path=f"M{first + 19:g} {box_y + 12:g}H{last:g}", side="ac", ways=unit_ways))
    right = max(x - STEP, LEFT + 3 * STEP)
    segments.append(PictureLine(path=f"M{LEFT - 14:g} {bus_y:g}H{right + 14:g}", side="bus", ways=bus_live, wide=True))
    labels.append(PictureWord(x=right + 14, y=bus_y - 8, text="busbar", anchor="end", small=True))
    centre = (LEFT + right) / 2
    modules = [b for b in breakers if b.side == "module"]
    for b in (b for b in breakers if b.side == "bank"):
        drop(b, centre, "bank", bus_y, bus_y + 66, bus_live, [[m.id] for m in modules] or [[]])
        break
    shown = modules[:10]
    names = [b.device or b.name for b in shown] or [m.id for m in job.bank.modules[:10]]
    pitch = min(STEP + 6, (right - LEFT + 60) / max(1, len(names)))
    left = centre - pitch * (len(names) - 1) / 2
    bars = [[m.id] for m in modules] or [[]]
    if len(names) > 1:
        segments.append(PictureLine(path=f"M{left:g} {bus_y + 66:g}H{left + pitch * (len(names) - 1):g}", side="bank", ways=bars))
    for i, name in enumerate(names):
        at = left + i * pitch
        if i < len(shown):
            drop(shown[i], at, "bank", bus_y + 66, bus_y + 116, bars, [[]])
        blocks.append(
            PictureDevice(x=at - min(20, pitch / 2 - 2), y=bus_y + 116, w=min(40, pitch - 4), h=24, text=name, side="bank")
        )
    if len(modules) > len(shown):
        labels.append(PictureWord(x=right + 10, y=bus_y + 132, text=f"+{len(modules) - len(shown)}", anchor="start"))
    labels.append(PictureWord(x=centre, y=bus_y + 158, text="posts stay live, whatever is open", side="bank", small=True))
    width = max(right, left + pitch * (len(names) - 1)) + 44
    return OneLine(width=width, height=bus_y + 168, segments=segments, contacts=contacts, labels=labels, blocks=blocks)


def _word(b: Breaker) -> str:
    return {"grid": "grid", "generator": "generator", "loads": "loads"}.get(b.id, b.name if len(b.name) < 12 else b.name[:11] + "…")


def _bank_ways(breakers: Sequence[Breaker]) -> list[list[str]]:
    """Return the ways in which the bank reaches the busbar: one of its modules and its main breaker."""
    main = [b.id for b in breakers if b.side == "bank"]
    modules = [b.id for b in breakers if b.side == "module"]
    return [[m, *main] for m in modules] or [main]


def live(segment: PictureLine, open_: set[str]) -> bool:
    """Return whether a line is live while the breakers of ``open_`` are open."""
    return any(not set(way) & open_ for way in segment.ways)
