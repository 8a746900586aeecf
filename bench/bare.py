"""A bare endpoint to hold saves against: the same server, threads and database settings, and nothing but reading a body and a row written."""

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


if __name__ == "__main__":
    app = WSGIMiddleware(cast(Any, application(Path(sys.argv[1]))), workers=8)
    uvicorn.run(cast(Any, app), host="127.0.0.1", port=int(sys.argv[2]), log_level="warning", access_log=False)
