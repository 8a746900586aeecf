"""Pages to print: PDF made from plain HTML, readable in black and white, on A4 or Letter.

WeasyPrint is imported only when a page is made. Everything written on a page is escaped.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape
from pathlib import Path
from typing import Literal

from .documents import DocumentError, Problem
from .documents.job import Job
from .documents.order import UnitOrder
from .documents.plan import AddressPlan, Cable, OpenPin, Plan, UnitSheet
from .steps import figure

Paper = Literal["A4", "Letter"]
FONTS = Path(__file__).with_name("fonts")
CAUTION = "Local electrical code, the makers' manuals and a licensed person come first."
_CONDUCTOR = {"orange": "#c9611a", "green": "#2e7d46", "blue": "#2b5fa8", "brown": "#6d4630"}


def style(paper: Paper) -> str:
    """Return the style of all printed pages."""
    return f"""
@font-face {{ font-family: Page; src: url("{(FONTS / "source-sans-3.woff2").as_uri()}"); font-weight: 200 900 }}
@page {{ size: {paper}; margin: 14mm 14mm 16mm; @bottom-left {{ content: "{CAUTION}"; font: 8pt Page, sans-serif }}
  @bottom-right {{ content: counter(page) " of " counter(pages); font: 8pt Page, sans-serif }} }}
body {{ font: 10pt/1.35 Page, sans-serif; color: #000; font-variant-numeric: tabular-nums; margin: 0 }}
h1 {{ font-size: 16pt; margin: 0 }} h2 {{ font-size: 12pt; margin: 12pt 0 4pt; border-top: 1pt solid #000; padding-top: 4pt }}
p {{ margin: 2pt 0 }} .soft {{ color: #444 }} ul, ol {{ margin: 2pt 0; padding-left: 14pt }}
table {{ border-collapse: collapse; width: 100% }} th {{ text-align: left; font-size: 8.5pt; border-bottom: 1pt solid #000 }}
th, td {{ padding: 2.5pt 5pt 2.5pt 0; vertical-align: top }} td {{ border-bottom: .4pt solid #888 }} tr {{ break-inside: avoid }}
.num {{ text-align: right }} .big {{ font-size: 13pt; font-weight: 700; white-space: nowrap }}
.box {{ display: inline-block; width: 9pt; height: 9pt; border: 1pt solid #000 }} .blank {{ border: .6pt solid #000; height: 14pt }}
.list td {{ padding-top: 4pt; padding-bottom: 4pt }} .menu td {{ font-weight: 700; border-bottom: 1pt solid #000; padding-top: 7pt }}
.act td {{ background: #e6e6e6 }} .box {{ text-align: center; line-height: 9pt }}
.warn {{ border: 1.2pt solid #000; padding: 4pt 6pt; margin: 6pt 0; font-weight: 600 }}
"""


def pdf(title: str, body: str, paper: Paper = "A4") -> bytes:
    """Return a PDF of an HTML body. Raises :class:`DocumentError` where the machine cannot make PDF pages."""
    try:
        from weasyprint import HTML
    except OSError:
        raise DocumentError(
            [Problem(pointer="/format", message="this machine cannot make PDF pages: libpango is missing", expected="csv or xlsx")]
        ) from None
    html = f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title><style>{style(paper)}</style><body>{body}</body></html>'
    made: bytes = HTML(string=html, base_url=str(FONTS)).write_pdf()
    return made


def table(head: Sequence[str], rows: Iterable[Sequence[str]], classes: Sequence[str] = ()) -> str:
    """Return an HTML table; cells are escaped unless they start with a tag made here."""
    kinds = [*classes, *[""] * (len(head) - len(classes))]

    def cell(value: str, kind: str) -> str:
        inner = value if value.startswith(("<span", "<b")) else escape(value)
        return f'<td class="{kind}">{inner}</td>'

    lines = "".join("<tr>" + "".join(cell(v, k) for v, k in zip(row, kinds, strict=True)) + "</tr>" for row in rows)
    return f"<table><thead><tr>{''.join(f'<th>{escape(h)}</th>' for h in head)}</tr></thead><tbody>{lines}</tbody></table>"


def cable_svg(cable: Cable, bms_label: str, unit_label: str) -> str:
    """Return the cable as a drawing: both plugs with their eight positions, each conductor a line in its colour and by its name."""
    left, right, top, step = 150, 490, 34, 30
    parts = [
        f'<svg viewBox="0 0 640 {top + 8 * step + 12}" width="640" font-family="Page, sans-serif" font-size="12" xmlns="http://www.w3.org/2000/svg">'
    ]
    parts.append(f'<text x="{left}" y="16" text-anchor="end" font-weight="700">BMS {escape(bms_label)}</text>')
    parts.append(f'<text x="{right}" y="16" font-weight="700">unit {escape(unit_label)}</text>')
    used = {**{("bms", w.from_): w for w in cable.wires}, **{("unit", w.to): w for w in cable.wires}}
    shut: dict[tuple[str, int], OpenPin] = {(o.end, o.pin): o for o in cable.open_pins}

    def y(pin: int) -> float:
        return top + (pin - 0.5) * step

    for end, x in (("bms", left), ("unit", right)):
        for pin in range(1, 9):
            side = -1 if end == "bms" else 1
            parts.append(f'<rect x="{x - 11}" y="{y(pin) - 10}" width="22" height="20" fill="#fff" stroke="#000"/>')
            parts.append(f'<text x="{x}" y="{y(pin) + 4}" text-anchor="middle">{pin}</text>')
            wire, barred = used.get((end, pin)), shut.get((end, pin))
            word = wire.signal if wire else f"{barred.signal}, leave open" if barred else ""
            anchor = "end" if side < 0 else "start"
            parts.append(f'<text x="{x + side * 17}" y="{y(pin) + 4}" text-anchor="{anchor}">{escape(word)}</text>')
            if barred:
                parts.append(f'<path d="M{x - 8} {y(pin) - 7}l16 14m0 -14l-16 14" stroke="#000"/>')
    for w in cable.wires:
        solid = w.colour.removeprefix("white/")
        a, b = y(w.from_), y(w.to)
        path = f"M{left + 11} {a}C{left + 150} {a} {right - 150} {b} {right - 11} {b}"
        parts.append(f'<path d="{path}" fill="none" stroke="{_CONDUCTOR[solid]}" stroke-width="4"/>')
        if w.colour.startswith("white/"):
            parts.append(f'<path d="{path}" fill="none" stroke="#fff" stroke-width="2" stroke-dasharray="6 5"/>')
        parts.append(f'<text x="{left + 18}" y="{a - 6}" font-size="11">{escape(w.colour)}</text>')
    return "".join([*parts, "</svg>"])


def switches_svg(up: Sequence[bool]) -> str:
    """Return a row of switches as they stand: the knob up or down, numbered."""
    parts = [
        f'<svg viewBox="0 0 {len(up) * 18 + 4} 40" width="{len(up) * 18 + 4}" height="40" font-family="Page, sans-serif" font-size="10" xmlns="http://www.w3.org/2000/svg">'
    ]
    for i, is_up in enumerate(up):
        x = 3 + i * 18
        parts.append(
            f'<rect x="{x}" y="2" width="13" height="24" fill="#fff" stroke="#000"/><rect x="{x + 2}" y="{4 if is_up else 15}" width="9" height="9" fill="#000"/>'
        )
        parts.append(f'<text x="{x + 6.5}" y="37" text-anchor="middle">{i + 1}</text>')
    return "".join([*parts, "</svg>"])


def _addresses(plan: AddressPlan) -> str:
    rows = "".join(
        f"<tr><td><b>{escape(m.module)}</b>{' host' if m.host else ''}</td><td class='num'>{m.address}</td><td>{switches_svg(m.switches)}</td></tr>"
        for m in plan.modules
    )
    first = "least" if plan.least_first else "most"
    return (
        f"<h2>Addresses</h2><p class='soft'>Switch 1 counts {first}; on is {plan.on_is}.</p><table><thead><tr><th>Module</th><th class='num'>Address</th><th>Switches</th></tr></thead>"
        f"<tbody>{rows}</tbody></table><ol>{''.join(f'<li>{escape(s)}</li>' for s in plan.steps)}</ol>"
    )


def cable_page(job: Job, made: Plan, paper: Paper = "A4") -> bytes:
    """Return the cable card of a job as one PDF page: drawing, table, ohms, addresses.

    Raises :class:`DocumentError` where the plan is in open loop: there is no cable then.
    """
    link = made.link
    if link.cable is None:
        raise DocumentError([Problem(pointer="/link", message=f"there is no cable to draw: {link.why}", expected="a closed loop")])
    cable, labels = link.cable, (link.bms_port_label, link.unit_port_label)
    kind = {"patch": "Straight patch cable", "made": "Made cable", "terminal": "Cable to terminals"}[cable.kind]
    rows = [(w.signal, str(w.from_), str(w.to), w.colour) for w in cable.wires]
    ohms = link.terminators.expected_ohm if link.terminators else []
    body = [
        f"<h1>Cable card: {escape(job.name)}</h1>",
        f"<p>{escape(link.protocol or '')}, {figure((link.bitrate or 0) / 1000, 1)} kbit/s. {kind} from {escape(labels[0])} of the BMS of {escape(link.speaking[0])} to {escape(labels[1])} of {escape(link.host_unit or '')}.</p>",
        "<p class='warn'>Link cables stay off until addresses are set. Power off while measuring.</p>",
        cable_svg(cable, *labels),
        table(["Signal", "BMS pin", "Unit pin", "Conductor (TIA-568 B)"], rows),
        "".join(
            f"<p><b>Leave open:</b> pin {o.pin} at the {'BMS' if o.end == 'bms' else 'unit'}, {escape(o.signal)}: {escape(o.why)}.</p>"
            for o in cable.open_pins
        ),
        "<ul>" + "".join(f"<li>{escape(a)}</li>" for a in cable.advice) + "</ul>",
        "<p>Ohms across the pair, power off: "
        + ", ".join(f"{'open' if o is None else figure(o)} with {n}" for n, o in enumerate(ohms))
        + " terminators; two are right.</p>",
        _addresses(link.addresses) if link.addresses else "",
    ]
    return pdf(f"Cable card {job.name}", "".join(body), paper)


def sheet_page(job: Job, sheet: UnitSheet, order: UnitOrder, paper: Paper = "A4") -> bytes:
    """Return one unit's working list as PDF: ticks and blank boxes to write the read-back in, readable in black and white."""
    marks = job.sheet_marks.get(sheet.id, {})
    rows = []
    menu: list[str] = []
    for step in order.steps:
        mark = marks.get(step.key)
        tick = "&#10003;" if mark and mark.state == "done" else "&#8211;" if mark and mark.state == "skipped" else ""
        if step.kind == "action":
            caution = f" <i>{escape(step.caution)}</i>" if step.caution else ""
            rows.append(
                f"<tr class='act'><td class='num'>{step.no}</td><td colspan='5'><b>{escape(step.label)}</b>{caution}</td><td><span class='box'></span></td></tr>"
            )
            continue
        if step.menu != menu:
            menu = step.menu
            rows.append(f"<tr class='menu'><td></td><td colspan='6'>{escape(' › '.join(menu))}</td></tr>")
        notes = [step.why] if step.why else []
        if step.temporary:
            notes.insert(0, "temporary")
        if step.resets:
            notes.append("resets " + ", ".join(f"{r.label} to {r.to}" for r in step.resets))
        if step.encoding:
            notes.append(step.encoding)
        if step.caution:
            notes.append(step.caution)
        rows.append(
            f"<tr><td class='num'>{step.no}</td><td>{escape(step.label)}</td><td>{escape(step.shows or '')}</td>"
            f"<td class='big'>{escape(step.enter or '')} <small>{escape(step.unit)}</small></td><td class='soft'>{escape('; '.join(notes))}</td>"
            f"<td><div class='blank'>{escape((mark.read_back or '') if mark else '')}</div></td><td><span class='box'>{tick}</span></td></tr>"
        )
    head = "<tr><th>No</th><th>Setting</th><th>Shows</th><th>Type</th><th>Mind</th><th>Read back</th><th>Done</th></tr>"
    widths = "".join(f"<col style='width:{w}%'>" for w in (5, 20, 11, 16, 30, 13, 5))
    alone = "".join(
        f"<li><b>{escape(x.label)}</b> <span class='soft'>{escape(' › '.join(x.menu))}</span> {escape(x.why)}</li>"
        for x in sheet.leave_alone
    )
    source = (
        "Nobody noted what the unit shows; factory values are assumed."
        if order.assumed
        else f"{order.noted} settings noted as found; {len(order.fits_already)} fit already."
    )
    blocked = ""
    if order.blocked:
        near = "; ".join(f"{n.label}: {n.nearest} instead of {n.wanted} {n.unit}" for n in order.blocked.nearest)
        blocked = (
            f"<p class='warn'>Not all can be entered: {escape('; '.join(order.blocked.reasons))}. Nearest: {escape(near)}.</p>"
        )
    body = [
        f"<h1>{escape(sheet.id)}: what to type</h1>",
        f"<p>{escape(job.name)} · {escape(sheet.name)} · {escape(sheet.role)}. {escape(source)}</p>",
        "<p class='warn'>Note what a unit shows before changing it. Installer settings are for licensed people.</p>",
        blocked,
        f"<table class='list'><colgroup>{widths}</colgroup><thead>{head}</thead><tbody>{''.join(rows)}</tbody></table>",
        f"<h2>Leave alone</h2><ul>{alone}</ul>" if alone else "",
        "<p style='margin-top:14pt'>Entered by: ______________________ &nbsp; Date: ______________ &nbsp; Firmware read: ______________</p>",
    ]
    return pdf(f"{sheet.id} {job.name}", "".join(body), paper)
