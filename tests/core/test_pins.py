"""Plans stay as they are until someone means to change them; the same bytes whatever Python's hash seed is."""

import hashlib
import json
import os
import subprocess
import sys

import pytest

from tests import pins

HELD = json.loads(pins.PINS.read_text())


def test_every_plan_is_as_pinned():
    made = pins.hashes()
    assert {name for name in HELD if made.get(name) != HELD[name]} == set()
    assert set(made) == set(HELD)


PROGRAM = """
import hashlib, json
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.plan import plan
from tests import cases
from tests.seeded import seeded_job
out = hashlib.sha256()
for text in [cases.text_of("nondet"), *(json.dumps(seeded_job(s)).encode() for s in range(25))]:
    out.update(plan(parse_job(text, shipped_library()), shipped_library()).model_dump_json().encode())
print(out.hexdigest())
"""


@pytest.mark.parametrize("seed", ["0", "3", "7"])
def test_the_bytes_of_a_plan_do_not_hang_on_the_hash_seed(seed):
    def digest(hash_seed):
        env = {**os.environ, "PYTHONHASHSEED": hash_seed}
        return subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, check=True, env=env).stdout

    assert len(digest(seed).strip()) == len(hashlib.sha256().hexdigest())
    assert digest(seed) == digest("1")
