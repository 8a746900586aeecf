"""What a table of settings says, row by row: what was printed, what it is taken for and how surely, what is doubtful."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field


class Candidate(BaseModel):
    """A quantity that a row may be, its plain name and unit, and how sure that is from 0 to 1."""

    quantity: str
    word: str
    unit: str
    confidence: float


class ChoiceRead(BaseModel):
    """What stands beside the code of a choice, and the canonical choice that it means; None where nobody has said."""

    shows: str
    means: str | None = None


class ManualRow(BaseModel):
    """One row of a table of settings as read: what stood there, and what it is taken for."""

    line: int = Field(description="the row of the table, from 1")
    label: str = Field(description="name as printed")
    menu: list[str] | None = Field(
        default=None, description="where it stands in the menu: headings, path, number or code; None where nothing says"
    )
    quantity: str | None = Field(default=None, description="the quantity that it is taken for")
    sure: bool = Field(default=False, description="whether words, unit and usual range of the quantity agree")
    confidence: float = Field(default=0.0, description="0 to 1")
    candidates: list[Candidate] = Field(default=[], description="the likeliest quantities, best first")
    unit: str = Field(default="", description="as displayed; HH:MM for a time of day")
    min: float | None = Field(default=None, description="lowest figure shown; minutes from midnight for a time of day")
    max: float | None = None
    step: float | None = None
    factory: str = ""
    choices: dict[str, ChoiceRead] = Field(default={}, description="code or word that is keyed, and what it shows and means")
    off: float | str | None = Field(default=None, description="what it shows when it is off, outside its range")
    per_cell: Literal[1, 2] | None = Field(default=None, description="volts of one cell: 2 of a 2-V cell, 1 of a lithium cell")
    of_rated: bool = Field(default=False, description="percent of a rating")
    note: str = ""
    doubts: list[str] = Field(default=[], description="what a person has to look at, in words")


class Skipped(BaseModel):
    """A row that is no setting, and why."""

    line: int
    text: str
    why: Literal["heading", "header", "header again", "footnote", "explanation", "page", "belongs to the row above"]


class ManualTable(BaseModel):
    """A table of settings as read: what each column was taken for, its rows, and what is no setting."""

    ewerer: Literal["table/1"] = "table/1"
    columns: list[str] = Field(description="the role of each column, empty where it is not used")
    headers: list[str]
    rows: list[ManualRow]
    skipped: list[Skipped] = []
    steps: dict[str, float] = Field(
        default={}, description="for rows without a step, by unit: the step that their figures or the others of that unit suggest"
    )
