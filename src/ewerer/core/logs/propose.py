"""What a log would change in a job: overshoot, leads, loads of a day and their hours."""

from __future__ import annotations

import numpy as np

from ..documents.job import Job
from ..documents.results.log import LogProposal
from ..documents.results.plan import Plan
from ..stages.bank.solve import main_lead_mohm
from ..trade.log_margins import LOG_DAY, WORTH_DAY, WORTH_HOUR, WORTH_PATH, WORTH_V
from ..trade.margins import USUAL_DAY
from .find import Found
from .table import Log

__all__ = ["proposals"]

DAY_S, HOURS = 86_400.0, 24


def proposals(log: Log, found: Found, job: Job, plan: Plan) -> list[LogProposal]:
    """Return the figures of a job that a log says otherwise."""
    out: list[LogProposal] = []
    over = found.figures.get("overshoot_v")
    if over is not None and over.error is not None and float(over.value) > WORTH_V:
        value = round(float(over.value), 2)
        if value != job.policy.overshoot_v:
            out.append(
                LogProposal(
                    pointer="/policy/overshoot_v",
                    label="Overshoot",
                    value=value,
                    before=job.policy.overshoot_v,
                    unit="V",
                    error=round(float(over.error), 3),
                )
            )
    path = found.figures.get("resistance_mohm")
    if path is not None and plan.bank is not None:
        rest = plan.bank.path_mohm - main_lead_mohm(job)
        measured, error = float(path.value), float(path.error or 0.0)
        lead = round(measured - rest, 2)
        if measured - plan.bank.path_mohm > max(error, WORTH_PATH * plan.bank.path_mohm) and lead > 0:
            out.append(
                LogProposal(
                    pointer="/bank/main_lead_mohm",
                    label="Main leads",
                    value=lead,
                    before=job.bank.main_lead_mohm,
                    unit="mohm",
                    error=round(error, 3),
                )
            )
    load = log.columns.get("load_w", log.columns.get("ac_out_w"))
    if load is not None and log.t_s[-1] >= LOG_DAY * DAY_S:
        ok = np.isfinite(load)
        hours = (log.minute_of_day // 60).astype(int)
        number = np.bincount(hours[ok], minlength=HOURS)
        if (number > 0).all():
            mean = np.bincount(hours[ok], np.clip(load[ok], 0, None), minlength=HOURS) / number
            daily = float(round(float(mean.sum()), -1))
            if daily > 0 and (job.loads.daily_wh is None or abs(daily - job.loads.daily_wh) > WORTH_DAY * daily):
                out.append(
                    LogProposal(
                        pointer="/loads/daily_wh", label="Loads of a day", value=daily, before=job.loads.daily_wh, unit="Wh"
                    )
                )
            if daily > 0:
                shape = [round(float(w) / float(mean.max()) * 10, 1) for w in mean]
                before = list(job.loads.shape) if job.loads.shape is not None else None
                usual = np.array(before if before is not None else USUAL_DAY, float)
                apart = np.abs(mean / mean.sum() - usual / (usual.sum() or 1.0)) * HOURS
                if float(apart.max()) > WORTH_HOUR:
                    out.append(LogProposal(pointer="/loads/shape", label="Loads by the hour", value=shape, before=before, unit=""))
    return out
