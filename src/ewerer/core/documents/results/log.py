"""A log judged (``log/1``)."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from .base import PlanPart


class LogGap(PlanPart):
    """Nothing was logged between two rows."""

    from_: str = Field(alias="from", description="last row before, the file's own clock")
    to: str = Field(description="first row after")


class LogSegment(PlanPart):
    """One stretch of a log."""

    kind: Literal["bulk", "absorption", "hold", "float", "rebulk", "discharge", "idle"] = Field(description="what the bank did")
    from_: str = Field(alias="from", description="first row, the file's own clock")
    to: str = Field(description="last row")
    from_s: float = Field(description="seconds since the first row of the file")
    to_s: float = Field(description="seconds since the first row of the file")


class LogFigure(PlanPart):
    """A figure with its error."""

    value: float | int | str = Field(description="the figure; a time where it says when")
    error: float | None = Field(description="two standard deviations, in the figure's unit; of a time in seconds")


class LogFinding(PlanPart):
    """One finding, held against the plan where there is one."""

    what: str = Field(description="what it is about")
    verdict: Literal["good", "caution", "bad"] = Field(description="good, caution or bad")
    from_: str = Field(alias="from", description="where it begins, the file's own clock")
    to: str = Field(description="where it ends")
    from_s: float = Field(description="seconds since the first row of the file")
    to_s: float = Field(description="seconds since the first row of the file")
    figure: float | None = Field(description="the figure")
    planned: float | None = Field(description="what it is held against")
    message: str = Field(description="in a sentence")


class LogProposal(PlanPart):
    """A figure of the job that a log measured."""

    pointer: str = Field(description="place in the job")
    label: str = Field(description="its word")
    value: float | list[float] = Field(description="what was measured; a list for the loads of 24 hours")
    before: float | list[float] | None = Field(description="what the job says")
    unit: str = Field(description="unit of the figure")
    error: float | None = Field(default=None, description="two standard deviations")


class LogReport(PlanPart):
    """A log judged."""

    version_tag: ClassVar[str] = "log/1"

    ewerer: Literal["log/1"] = Field(default="log/1", description="kind and version of the document")
    rows: int = Field(description="rows with a time")
    bad_rows: int = Field(description="rows with something unreadable")
    from_: str = Field(alias="from", description="first row, the file's own clock")
    to: str = Field(description="last row")
    span_s: float = Field(description="seconds that really passed between them")
    step_s: float = Field(description="usual time between two rows [s]")
    gaps: list[LogGap] = Field(description="where nothing was logged")
    columns: dict[str, str | None] = Field(description="what each column of the file was taken for")
    notes: list[str] = Field(description="what was assumed or seen while reading")
    segments: list[LogSegment] = Field(description="what the bank did, in order")
    figures: dict[str, LogFigure] = Field(description="figures with their errors")
    findings: list[LogFinding] = Field(description="the worst first")
    proposals: list[LogProposal] = Field(description="figures of the job that the log says otherwise; none without a job")

    def worst(self) -> str:
        """Return the worst verdict among the findings, or ``none``."""
        found = {f.verdict for f in self.findings}
        return next((v for v in ("bad", "caution", "good") if v in found), "none")
