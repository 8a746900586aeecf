"""Who is asking, and what of the crew they ask for."""

from __future__ import annotations

import uuid

from django.http import Http404, HttpRequest

from ...core.devices.library import Library, check_references
from ...core.documents.job import Job as JobDocument
from ...core.trade.errors import DocumentError
from ..crews.actions import note as add_note
from ..crews.models import Crew
from ..crews.sessions import address_of
from ..crews.who import Person, person_of
from ..jobs.models import Job, Revision
from ..profiles.actions import library_for, library_of_job
from ..record.actions import sight_of


def person(request: HttpRequest) -> Person:
    """Return who is asking; 404 for a person without a crew."""
    found = person_of(request)
    if found is None:
        raise Http404
    return found


def crew_of(request: HttpRequest) -> Crew:
    """Return the crew of who is asking."""
    return person(request).crew


def note(request: HttpRequest, what: str, about: str = "") -> None:
    """Add a line to the trail of the asking crew."""
    who = person(request)
    add_note(who.crew, who.user.get_username(), what, about, address_of(request))


def job_at(request: HttpRequest, id: uuid.UUID) -> Job:
    """Return a job of the asking crew; raises DoesNotExist for others'."""
    return Job.objects.select_related("saved_by", "crew").get(pk=id, crew=crew_of(request))


def job_of(request: HttpRequest, id: uuid.UUID) -> tuple[Job, Revision]:
    """Return a job of the asking crew with its latest revision; raises DoesNotExist for others'."""
    job = job_at(request, id)
    return job, job.revisions.get(number=job.revision)


def library_of(request: HttpRequest, document: JobDocument) -> Library:
    """Return the crew's library in the versions a document pins; raise where the document names what is not in it."""
    crew = crew_of(request)
    library = library_of_job(crew, document)
    try:
        check_references(document, library)
    except DocumentError:
        # The words of a refusal name everything that could be chosen.
        check_references(document, library_for(crew, document.profile_revisions))
    return library


def stored(request: HttpRequest, job: Job, document: JobDocument | None = None) -> tuple[JobDocument, Library]:
    """Return a job's latest ``document``, read here unless it is at hand, with its record laid over it, checked against the library."""
    sight = sight_of(job, document)
    check_references(sight.document, sight.library)
    return sight.document, sight.library
