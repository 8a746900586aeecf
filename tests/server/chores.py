"""What the tests of the processes that compute let them do."""

import os
import signal
import time
from pathlib import Path

from ewerer.core.trade.budget import check_deadline
from ewerer.core.trade.errors import DocumentError, Problem


def whoami():
    return os.getpid()


def wait_for(mark, path):
    Path(mark).touch()
    while not Path(path).exists():
        time.sleep(0.005)
    return os.getpid()


def divide(by):
    return 1 / by


def refuse(text):
    raise DocumentError([Problem(pointer="/a/b", message=text, value=[1, None], expected="less")])


def watch_the_time():
    while True:
        check_deadline()


def spin(mark):
    Path(mark).write_text(str(os.getpid()))
    while True:
        pass


def take_memory(megabytes):
    return len(bytearray(megabytes * 1_000_000))


def end_itself():
    os.kill(os.getpid(), signal.SIGKILL)


def long_work(of, progress):
    """Stand in for long work: ``of.job`` names a file to wait for, ``of.kind`` what comes of it."""
    mark, go = of.job
    Path(progress).write_text('["half", 0.5]')
    Path(mark).write_text(str(os.getpid()))
    while not Path(go).exists():
        time.sleep(0.005)
    if of.kind == "compare":
        raise ZeroDivisionError("nought")
    if of.kind == "sweep":
        refuse("too long")
    return '{"of": "it"}'
