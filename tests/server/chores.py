"""What the tests of the processes that compute let them do."""

import os
import signal
import time
from pathlib import Path

from ewerer.core.documents import DocumentError, Problem
from ewerer.core.trade.budget import look


def whoami():
    return os.getpid()


def rest(seconds):
    time.sleep(seconds)
    return os.getpid()


def wait_for(path):
    while not Path(path).exists():
        time.sleep(0.005)
    return os.getpid()


def tell(path, name):
    with Path(path).open("a") as file:
        file.write(f"{name}\n")


def count(path, told):
    """Count until a file is there; tells each number, and how far the process steps back."""
    n = 0
    while not Path(path).exists():
        n += 1
        told(f"{os.nice(0)}", n / (n + 1))
        time.sleep(0.005)
    return os.getpid()


def tell_once_and_rest(told):
    told("resting", 0.5)
    time.sleep(600)


def count_and_divide(by, told):
    told("dividing", 0.5)
    return 1 / by


def count_and_refuse(told):
    told("looking", 0.5)
    refuse("too long")


def count_and_end_once(mark, told):
    told("ending", 0.5)
    return end_once(mark)


def count_and_end_always(told):
    told("ending", 0.5)
    end_always()


def divide(by):
    return 1 / by


def refuse(text):
    raise DocumentError([Problem(pointer="/a/b", message=text, value=[1, None], expected="less")])


def look_on(mark):
    Path(mark).touch()
    while True:
        look()


def spin(mark):
    Path(mark).touch()
    while True:
        pass


def end_once(mark):
    if not Path(mark).exists():
        Path(mark).touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return "in the second"


def end_always():
    os.kill(os.getpid(), signal.SIGKILL)
