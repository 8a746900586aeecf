"""Put each fault of tools/faults.py into a copy of the tree, one at a time, and say which run finds it.

``python tools/seed_faults.py [WORD ...]`` takes those whose name holds one of the words, all without. The tests that a fault
names are asked first; where they find nothing, all of ``make test`` is asked, then those tests at the size of ``make test-long``.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from faults import FAULTS, Fault

ROOT = Path(__file__).resolve().parent.parent
PYTEST = [str(ROOT / ".venv/bin/python"), "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-n", "2", "--dist", "worksteal"]


def copied(to: Path) -> None:
    """Copy what git knows of the tree, with the packages and the built front end of this one."""
    for name in subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.splitlines():
        if (ROOT / name).is_file():
            (to / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, to / name)
    (to / "web/node_modules").symlink_to(ROOT / "web/node_modules")
    if (ROOT / "src/ewerer/server/static").is_dir():
        (to / "src/ewerer/server/static").symlink_to(ROOT / "src/ewerer/server/static")
    (to / "var").mkdir(exist_ok=True)
    for stream in ("streams", "numbers"):
        shutil.copy2(ROOT / f"var/{stream}.json", to / "var")


def fails(tree: Path, words: list[str], **env: str) -> bool:
    """Return whether a run fails."""
    held = {**os.environ, "PYTHONPATH": str(tree / "src"), **env}
    where = tree / "web" if words[0] == "npx" else tree
    return subprocess.run(words, cwd=where, env=held, capture_output=True).returncode != 0


def found_by(tree: Path, fault: Fault) -> str:
    """Return which run finds a fault that is in the tree, and by what."""
    quick = ["-m", "not long"]
    if fault.tests.startswith("web:"):
        test = fault.tests.removeprefix("web:")
        return f"make test: web/{test}" if fails(tree, ["npx", "vitest", "run", test]) else "nobody"
    for test in fault.tests.split():
        if fails(tree, [*PYTEST, test, *quick]):
            return f"make test: {test}"
    for whole in (["tests/core", "tests/outside"], ["tests/server"], ["tests/e2e"]):
        if fails(tree, [*PYTEST, *whole, *quick]):
            return f"make test: {' '.join(whole)}"
    for test in fault.tests.split():
        if fails(tree, [*PYTEST, test], EWERER_EXPLORE="1"):
            return f"make test-long: {test}"
    return "nobody"


def main(words: list[str]) -> int:
    """Try the faults and print a table; 1 where one is found by nobody."""
    chosen = [f for f in FAULTS if not words or any(w in f.name for w in words)]
    count: dict[str, int] = {}
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder)
        copied(tree)
        for fault in chosen:
            file = tree / fault.file
            text = file.read_text()
            assert text.count(fault.before) == 1, f"{fault.name}: stands {text.count(fault.before)} times in {fault.file}"
            file.write_text(text.replace(fault.before, fault.after))
            told = found_by(tree, fault)
            file.write_text(text)
            count[told.split(":")[0]] = count.get(told.split(":")[0], 0) + 1
            print(f"| {fault.name} | `{fault.file}` | {told} |", flush=True)
    print(", ".join(f"{n} by {who}" for who, n in count.items()), f"of {len(chosen)}", flush=True)
    return 1 if count.get("nobody") else 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
