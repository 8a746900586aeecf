"""What the server has loaded is left out of later looks for garbage, but only so long after its start."""

import gc
import itertools

from ewerer.server import run


def test_what_the_first_looks_leave_stays(monkeypatch):
    monkeypatch.setattr(run, "_looks", itertools.count())
    gc.collect()
    gc.unfreeze()
    try:
        run.let_stay("start", {"generation": 2})
        run.let_stay("stop", {"generation": 1})
        assert gc.get_freeze_count() == 0
        run.let_stay("stop", {"generation": 2})
        held = gc.get_freeze_count()
        assert held > 10_000
        for _ in range(run.SETTLING):
            run.let_stay("stop", {"generation": 2})
        gc.unfreeze()
        run.let_stay("stop", {"generation": 2})
        assert gc.get_freeze_count() == 0
    finally:
        gc.unfreeze()
