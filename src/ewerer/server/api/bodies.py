"""Documents as bodies of requests: read by the core's own door, so that refusals carry pointer, value and remedy."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

from django.http import HttpRequest
from ninja.errors import ValidationError
from ninja.parser import Parser
from pydantic import ValidationError as PydanticError, ValidatorFunctionWrapHandler, WrapValidator

from ...core.devices.library import parse_profile_data
from ...core.documents.base import Document
from ...core.documents.job import Job as JobDocument
from ...core.documents.parse import parse_document, parse_json, problems_of
from ...core.documents.profiles import Profile
from ...core.trade.errors import DocumentError, Problem


class DocumentParser(Parser):
    """Reads JSON bodies with the core's bounds: size, nesting, digits, each key once."""

    def parse_body(self, request: HttpRequest) -> Any:
        """Return the body's data; raise :class:`DocumentError` naming what is wrong."""
        return parse_json(request.body)


def _job(data: Any, _: ValidatorFunctionWrapHandler) -> JobDocument:
    return data if isinstance(data, JobDocument) else parse_document(JobDocument, data)


def _profile(data: Any, _: ValidatorFunctionWrapHandler) -> Profile:
    return data if isinstance(data, Document) else parse_profile_data(data)  # type: ignore[return-value]


JobBody = Annotated[JobDocument, WrapValidator(_job)]
ProfileBody = Annotated[Profile, WrapValidator(_profile)]


class Refused(ValidationError):
    """A request that was refused, with every problem and its pointer."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__([])
        self.problems = problems


def problems_in(model: Any, error: PydanticError, source: str) -> list[Problem]:
    """Return what is wrong with a request as problems: a document's own where one was refused, else in the API's words.

    The pointer of a body begins below the parameter's name, that of a query at it.
    """
    found: list[Problem] = []
    for item, plain in zip(error.errors(include_url=False), problems_of(model, error), strict=True):
        loc = [p for p in item["loc"] if not (isinstance(p, str) and "[" in p)]
        inside = loc[1:] if source == "body" else loc
        pointer = "".join(f"/{p}" for p in inside)
        cause = item.get("ctx", {}).get("error")
        if isinstance(cause, DocumentError):
            found += [replace(p, pointer=pointer + p.pointer) for p in cause.problems]
        else:
            found.append(replace(plain, pointer=pointer))
    return found
