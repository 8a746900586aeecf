"""Plans stay as they are until someone means to change them; the same bytes whatever Python's hash seed is."""

import hashlib
import os
import subprocess
import sys

import pytest

from tests import pins
from tests.sizes import size

MOST_SHOWN = 12


def test_every_plan_is_as_pinned():
    """What differs is told by its place; ``python -m tests.pins`` pins a change that is meant."""
    was, now = pins.pinned(), pins.outlines()
    assert sorted(was) == sorted(now)
    told = {name: found for name in was if (found := pins.differences(was[name], now[name]))}
    lines = [f"{name}{line}" for name, found in told.items() for line in found[:MOST_SHOWN]]
    assert not told, "\n".join([f"{len(told)} plans differ:", *lines[: 5 * MOST_SHOWN]])


def test_a_difference_is_told_by_its_place():
    was = pins.outline(*next((text, library) for _, text, library in pins.documents()), False)
    entry = next(at for at in was if at.startswith("/units/") and at.endswith("/entry"))
    (line,) = pins.differences(was, {**was, entry: "0"})
    assert line == f"{entry}: {was[entry]!r} -> '0'" and entry.count("/") == 5


PROGRAM = """
import hashlib, json
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.plan import plan
from tests import cases
from tests.seeded import seeded_job
out = hashlib.sha256()
for text in [cases.text_of("nondet"), *(json.dumps(seeded_job(s)).encode() for s in range(8))]:
    out.update(plan(parse_job(text, shipped_library()), shipped_library()).model_dump_json().encode())
print(out.hexdigest())
"""


@pytest.mark.parametrize("seed", size(["7"], ["0", "3", "7"]))
def test_the_bytes_of_a_plan_do_not_hang_on_the_hash_seed(seed):
    def digest(hash_seed):
        env = {**os.environ, "PYTHONHASHSEED": hash_seed}
        return subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, check=True, env=env).stdout

    assert len(digest(seed).strip()) == len(hashlib.sha256().hexdigest())
    assert digest(seed) == digest("1")
