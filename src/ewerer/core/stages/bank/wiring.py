"""Leads by length and section, the main fuse, a dead short, pre-charge."""

from __future__ import annotations

from ...documents.job import Job, Lead
from ...documents.results.bank import Bank
from ...documents.results.limits import LeadFigures, Wiring
from ...trade.copper import TABLE_C, ampacity_a, precharge, short_circuit_a
from ...trade.steps import clean
from .solve import lead_of, main_lead_mohm


def carries_a(lead: Lead | None, job: Job) -> float | None:
    """Return what a pair of leads carries for hours [A]; a cool place is not counted; None until a section is given. Source: CARRIES."""
    if lead is None or lead.section_mm2 is None:
        return None
    ambient = max(TABLE_C, job.site.bank_ambient_c or TABLE_C)
    return round(lead.side_by_side * ampacity_a(lead.section_mm2, job.bank.leads_place, ambient), 1)


def _figures(lead: Lead | None, job: Job) -> LeadFigures | None:
    carries = carries_a(lead, job)
    return None if carries is None else LeadFigures(mohm=lead_of(lead, job), ampacity_a=carries)


def plan_wiring(job: Job, bank: Bank, needed_a: float | None, low_v: float) -> Wiring:
    """Return leads, drop at the design load, prospective short-circuit current and pre-charge of a bank.

    ``needed_a`` is the design current [A] at ``low_v``, the shut-down voltage [V]. The short is counted at the cells'
    highest volts and with cold leads, the most that may flow.
    """
    mohm = main_lead_mohm(job)
    top_v = bank.series_cells * bank.cell_max_v
    drop = None if needed_a is None else needed_a * mohm / 1000
    charge = (
        precharge(top_v, job.bank.precharge_ohm, job.bank.inputs_uf)
        if job.bank.precharge_ohm is not None and job.bank.inputs_uf is not None
        else (None, None, None)
    )
    return Wiring(
        main=_figures(job.bank.main_lead, job),
        module=_figures(job.bank.lead, job),
        main_mohm=mohm,
        drop_v=None if drop is None else round(drop, 3),
        drop_part=None if drop is None else round(drop / low_v, 5),
        short_circuit_a=round(short_circuit_a(top_v, bank.resistance_mohm, mohm), 1),
        short_circuit_v=clean(round(top_v, 3)),
        precharge_a=None if charge[0] is None else round(charge[0], 2),
        precharge_s=None if charge[1] is None else round(charge[1], 3),
        precharge_j=None if charge[2] is None else round(charge[2], 2),
    )
