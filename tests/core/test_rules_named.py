"""Every rule of the register is named by at least one test."""

import re
from pathlib import Path

from ewerer.core.trade.rules import REGISTRY, rules_markdown

TESTS = Path(__file__).resolve().parents[1]


def test_no_rule_without_a_test():
    rules_markdown()  # imports the whole core, so that every rule is registered
    words: set[str] = set()
    for path in TESTS.rglob("test_*.py"):
        words |= set(re.findall(r"[a-z0-9]+(?:-[a-z0-9]+)*", path.read_text()))
    assert set(REGISTRY) - words == set()
