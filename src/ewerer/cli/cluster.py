"""A Dask cluster as an executor, where a command names one."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from typing import Any

from ..core.trade.errors import DocumentError, Problem


@contextmanager
def executor_of(scheduler: str | None) -> Iterator[Executor | None]:
    """Yield the executor of the cluster at an address, None without one; refuse what does not answer."""
    if not scheduler:
        yield None
        return

    def refused(message: str, expected: str) -> DocumentError:
        return DocumentError([Problem(pointer="/scheduler", message=message, value=scheduler, expected=expected)])

    try:
        from distributed import Client as cluster
    except ImportError:
        raise refused("a cluster needs the extra part", "pip install 'ewerer[fleet]'") from None
    try:
        connect: Any = cluster
        client = connect(scheduler, timeout="10s")
    except (OSError, TimeoutError, ValueError) as error:
        raise refused(f"no scheduler answers: {error}", "such as tcp://10.0.0.5:8786") from None
    try:
        yield client.get_executor()
    finally:
        client.close()
