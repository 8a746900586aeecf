"""The API itself: how bodies are read, how errors are told, what the OpenAPI document says."""

from __future__ import annotations

import json
import logging
from errno import EACCES, EDQUOT, EIO, ENOSPC, EPERM, EROFS
from typing import Any

from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.db.utils import OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, Throttled, ValidationError
from ninja.openapi.schema import OpenAPISchema

from ... import __version__
from ...core.trade.budget import MAX_DOCUMENT_BYTES, ClientGone, DeadlineExceeded
from ...core.trade.errors import DocumentError, Problem
from ..problems import COMPUTES, csrf_failure, problem, refused, route_of
from ..work.pool import ShuttingDown
from .bodies import DocumentParser, Refused, problems_in
from .rights import InRole

logger = logging.getLogger("ewerer.store")
PROBLEM_TYPE = "application/problem+json"


class Api(NinjaAPI):
    """The API with Ewerer's errors: RFC 7807, every problem with its JSON pointer."""

    def validation_error_from_error_contexts(self, error_contexts: list[Any]) -> ValidationError:
        """Return one refusal of everything that is wrong with a request."""
        found: list[Problem] = []
        for context in error_contexts:
            plain = super().validation_error_from_error_contexts([context])
            source = str(plain.errors[0]["loc"][0]) if plain.errors else "body"
            found += problems_in(context.model, context.pydantic_validation_error, source)
        return Refused(found)

    def get_openapi_schema(self, **kwargs: Any) -> OpenAPISchema:
        """Return the OpenAPI document as answers really are: errors are sent as problem+json."""
        schema = super().get_openapi_schema(**kwargs)
        for path in schema["paths"].values():
            for operation in path.values():
                for status, answer in operation["responses"].items():
                    if int(status) >= 400 and "content" in answer:
                        answer["content"] = {PROBLEM_TYPE: next(iter(answer["content"].values()))}
        return schema


api = Api(title="Ewerer", version=__version__, auth=InRole(), urls_namespace="api", docs_url=None, parser=DocumentParser())


@api.exception_handler(DocumentError)
def _refused(request: HttpRequest, error: DocumentError) -> HttpResponse:
    return refused(error)


@api.exception_handler(Http404)
@api.exception_handler(ObjectDoesNotExist)
def _missing(request: HttpRequest, error: Exception) -> HttpResponse:
    return problem(404, "Not found", "There is no such thing here, or it belongs to another crew.")


@api.exception_handler(AuthenticationError)
def _unknown(request: HttpRequest, error: Exception) -> HttpResponse:
    return problem(401, "Not signed in", "Sign in and try again; nothing was stored.")


@api.exception_handler(RequestDataTooBig)
def _too_big(request: HttpRequest, error: Exception) -> HttpResponse:
    return refused(
        DocumentError([Problem(pointer="", message="the document is too big", expected=f"at most {MAX_DOCUMENT_BYTES} bytes")])
    )


@api.exception_handler(Refused)
def _invalid(request: HttpRequest, error: Refused) -> HttpResponse:
    return refused(DocumentError(error.problems))


@api.exception_handler(OverflowError)
def _too_large(request: HttpRequest, error: OverflowError) -> HttpResponse:
    return refused(DocumentError([Problem(pointer="", message="a number is too large", expected="at most 9007199254740991")]))


@api.exception_handler(ClientGone)
def _client_gone(request: HttpRequest, error: ClientGone) -> HttpResponse:
    return problem(499, "Nobody waits", "The client went away; what was computed for it was stopped.")


def _lost(request: HttpRequest) -> str:
    """Return what became of a request that was given up: where it would have stored something, that is said."""
    return "" if request.method in ("GET", "HEAD") or route_of(request) in COMPUTES else "; nothing was stored"


@api.exception_handler(DeadlineExceeded)
@api.exception_handler(MemoryError)
def _too_long(request: HttpRequest, error: Exception) -> HttpResponse:
    told = f"It takes more computing than one request may have, and was stopped{_lost(request)}. Make the job smaller."
    return problem(503, "Too much for one request", told)


@api.exception_handler(Throttled)
def _throttled(request: HttpRequest, error: Throttled) -> HttpResponse:
    return problem(429, "Too many tries", f"Too many tries from this address; try again in {error.wait or 60} s.")


@api.exception_handler(ShuttingDown)
def _shutting_down(request: HttpRequest, error: ShuttingDown) -> HttpResponse:
    return problem(503, "The server is stopped", f"It was stopped while this was computed{_lost(request)}. Try again in a moment.")


FULL = (507, "The disk is full", "Nothing was stored. Reading and planning go on; make room on the server's disk, then try again.")
CLOSED = (507, "The data cannot be written", "Nothing was stored. Reading and planning go on; the data folder is read-only.")
FAILS = (507, "The disk fails", "Nothing was stored. Make a backup now, and look at the server's disk.")
BUSY = (503, "The data are busy", "Nothing was stored. Try again in a moment.")
BY_WORD = {"full": FULL, "readonly": CLOSED, "i/o": FAILS, "locked": BUSY}
"""What the database says when it cannot be written, by a word of it."""
BY_NUMBER = {ENOSPC: FULL, EDQUOT: FULL, EROFS: CLOSED, EACCES: CLOSED, EPERM: CLOSED, EIO: FAILS}
"""What the system says of a file that cannot be written."""


@api.exception_handler(OperationalError)
@api.exception_handler(OSError)
def _cannot_store(request: HttpRequest, error: OperationalError | OSError) -> HttpResponse:
    if isinstance(error, OSError):
        told = BY_NUMBER.get(error.errno or 0)
    else:
        told = next((told for word, told in BY_WORD.items() if word in str(error).lower()), None)
    if told is None:
        raise error
    logger.error("cannot store", exc_info=error)
    return problem(*told)


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    if isinstance(error.__cause__, DocumentError):  # a body that the parser refused
        return refused(error.__cause__)
    if error.status_code == 403 and "CSRF" in str(error):
        return csrf_failure(request)
    return problem(error.status_code, "Refused", str(error))


def openapi_json() -> str:
    """Return the OpenAPI document as kept in docs/openapi.json."""
    return json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1, default=str) + "\n"
