"""Bare endpoints to hold saves against: the same server, threads and database settings, and nothing but reading a body and a row written.

One knows nobody; the other, behind Django, knows who writes.
"""

import json
import sqlite3
import sys
import threading
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, cast

import uvicorn
from a2wsgi import WSGIMiddleware

_one = threading.Lock()
_held = threading.local()


def application(path: Path) -> Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]:
    """Return the WSGI application that keeps bodies in a database at ``path``."""

    def connection() -> sqlite3.Connection:
        if not hasattr(_held, "database"):
            with _one:
                _held.database = sqlite3.connect(path, timeout=15)
                _held.database.executescript(
                    "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;"
                    "CREATE TABLE IF NOT EXISTS kept (id INTEGER PRIMARY KEY, body TEXT NOT NULL);"
                )
        return cast(sqlite3.Connection, _held.database)

    def answer(environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
        length = int(environ.get("CONTENT_LENGTH") or 0)
        told = b"{}"
        if length:
            document = json.loads(environ["wsgi.input"].read(length))
            database = connection()
            with _one, database:
                row = database.execute("INSERT INTO kept (body) VALUES (?)", (json.dumps(document),)).lastrowid
            told = json.dumps({"revision": row}).encode()
        start("200 OK", [("Content-Type", "application/json"), ("Content-Length", str(len(told)))])
        return [told]

    return answer


def signed_in(path: Path) -> Any:
    """Return the same behind Django, with a session, a person and a check of the token, as any application of its kind has them."""
    from django.conf import settings

    middleware = ["sessions.middleware.SessionMiddleware", "auth.middleware.AuthenticationMiddleware"]
    options = {"transaction_mode": "IMMEDIATE", "timeout": 15, "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;"}
    settings.configure(
        SECRET_KEY="for a benchmark only",
        ALLOWED_HOSTS=["127.0.0.1"],
        ROOT_URLCONF=__name__,
        INSTALLED_APPS=["django.contrib.auth", "django.contrib.contenttypes", "django.contrib.sessions"],
        MIDDLEWARE=["django.middleware.csrf.CsrfViewMiddleware", *(f"django.contrib.{m}" for m in middleware)],
        DATABASES={"default": {"ENGINE": "django.db.backends.sqlite3", "NAME": path, "CONN_MAX_AGE": None, "OPTIONS": options}},
    )
    import django
    from django.core.management import call_command
    from django.core.wsgi import get_wsgi_application
    from django.db import connection

    django.setup()
    call_command("migrate", verbosity=0)
    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE kept (id INTEGER PRIMARY KEY, person INTEGER NOT NULL, body TEXT NOT NULL)")
    from django.contrib.auth.models import User

    User.objects.create_user("demo", password="lithium-bank")
    urlpatterns.extend(_routes())
    return get_wsgi_application()


urlpatterns: list[Any] = []


def _routes() -> list[Any]:
    from django.contrib.auth import authenticate, login
    from django.db import connection, transaction
    from django.http import HttpRequest, JsonResponse
    from django.middleware.csrf import get_token
    from django.urls import path as route

    def session(request: HttpRequest) -> JsonResponse:
        if request.method == "POST":
            login(request, cast(Any, authenticate(request, **json.loads(request.body))))
        return JsonResponse({"csrf": get_token(request)})

    def keep(request: HttpRequest) -> JsonResponse:
        document = json.loads(request.body)
        with _one, transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("INSERT INTO kept (person, body) VALUES (%s, %s)", [cast(Any, request.user).pk, json.dumps(document)])
            return JsonResponse({"revision": cursor.lastrowid})

    return [route("", session), route("api/session", session), route("kept", keep)]


if __name__ == "__main__":
    made = signed_in(Path(sys.argv[1])) if sys.argv[3:] == ["signed-in"] else application(Path(sys.argv[1]))
    app = WSGIMiddleware(cast(Any, made), workers=8)
    uvicorn.run(cast(Any, app), host="127.0.0.1", port=int(sys.argv[2]), log_level="warning", access_log=False)
