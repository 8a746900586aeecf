"""Events as people make them, for tests."""

from ewerer.core.documents.event import Event
from ewerer.core.documents.parse import parse_document


def event(id, kind, at="2026-05-04T09:00:00.000Z", by="A. Reed", **more):
    return parse_document(Event, {"id": id, "at": at, "by": by, "kind": kind, "ewerer": "event/1"} | more).to_data()


def at(second):
    return f"2026-05-04T09:00:{second:02d}.000Z"
