"""What the plan's own settings make of the watts of a moment: for comparison on site."""

from __future__ import annotations

from ..devices.library import Library
from ..documents.job import Job, Outage, Series


def predict(
    job: Job, library: Library, load_w: float, soc: float, sun_w: float = 0.0, clock: str = "12:00", mains: bool = True
) -> dict[str, float]:
    """Return the watts into the bank (out with a minus) and from the grid (to it with a minus) at a moment, by the simulation's own decisions.

    ``sun_w`` and ``load_w`` stand still [W]; ``soc`` is 0..1; ``clock`` HH:MM says which windows rule.
    """
    from .results import simulate  # with the first prediction, not with the start of the server

    start = job.flow.start
    flow = job.flow.model_copy(
        update={
            "sun": Series(values_w=[max(0.0, sun_w)]),
            "load": Series(values_w=[max(0.0, load_w)]),
            "start_soc": min(1.0, max(0.0, soc)),
            "outages": [] if mains else [Outage.model_validate({"date": start, "from": "00:00", "to": "24:00"})],
        }
    )
    still = job.model_copy(update={"flow": flow, "windows": _from(job, clock)})
    series = simulate(still, library, 1).series
    assert series is not None
    at = {name: values[0] for name, values in series.columns.items()}
    bank = at["sun_bank_w"] + at["mains_bank_w"] - at["bank_load_w"] - at["bank_other_w"] - at["bank_grid_w"]
    grid = at["mains_load_w"] + at["mains_other_w"] + at["mains_bank_w"] - at["sun_grid_w"] - at["bank_grid_w"]
    return {"predicted_bank_w": float(bank), "predicted_grid_w": float(grid), "predicted_curtailed_w": float(at["curtailed_w"])}


def _from(job: Job, clock: str) -> list[object]:
    """Return the windows that rule at a time of day, each as one that lasts all day, so that the first minute lies within."""
    return [
        w.model_copy(update={"from_": "00:00", "to": "24:00", "days": "all"})
        for w in job.windows
        if (w.from_ <= clock < w.to if w.from_ < w.to else not w.to <= clock < w.from_)
    ]
