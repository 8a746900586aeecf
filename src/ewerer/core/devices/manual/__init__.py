"""The table of settings of a manual, read and taken into a profile."""

from .read import read_table
from .table import Candidate, ChoiceRead, ManualRow, ManualTable, Skipped
from .take import Decided, RefusedRow, Taken, take

__all__ = ["Candidate", "ChoiceRead", "Decided", "ManualRow", "ManualTable", "RefusedRow", "Skipped", "Taken", "read_table", "take"]
