"""The API, one router a resource. Thin: fetch, call one action or the core, return."""

from . import crew, flow, jobs, library, live, logs, opening, plan, practice, record, session, sharing, symptoms, trade
from .app import api, openapi_json

api.add_router("/session", session.router)
api.add_router("/crew", crew.router)
api.add_router("/jobs", jobs.router)
api.add_router("/library", library.router)
api.add_router("/symptoms", symptoms.router)
for module in (opening, plan, flow, trade, record, sharing, live, logs, practice):
    api.add_router("", module.router)

__all__ = ["api", "openapi_json"]
