"""Every example of CONTRIBUTING.md is put into a copy of the source and run there, by itself."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
TEXT = (ROOT / "CONTRIBUTING.md").read_text()
BLOCK = re.compile(r"^```(\w+) (append|write|test|)\s*(\S*)\n(.*?)^```$", re.MULTILINE | re.DOTALL)


def examples() -> dict[str, list[tuple[str, str, str, str]]]:
    """Return the blocks of each example: language, what to do, the file, the text."""
    found = {}
    for part in re.split(r"^### ", TEXT, flags=re.MULTILINE)[1:]:
        found[part.splitlines()[0]] = [m.groups() for m in BLOCK.finditer(part)]
    return found


EXAMPLES = examples()
MOST = {
    **{"A rule": 3, "A chemistry": 2, "A slot form": 3, "A device": 1},
    **{"A stage": 4, "A unit of display": 0, "A symptom": 1, "A field of the job": 6},
}


def placed(source: Path, blocks: list[tuple[str, str, str, str]]) -> None:
    for language, act, name, text in blocks:
        if act == "test":
            kept = {"python": "tests/test_example.py", "ts": "web/tests/example.test.ts"}[language]
            (source / kept).write_text(text)
            continue
        path = source / name
        if language == "diff":
            old, new = ("".join(line[1:] + "\n" for line in text.splitlines() if line[0] == sign) for sign in "-+")
            whole = path.read_text()
            assert whole.count(old) == 1, f"{name} does not hold {old!r}"
            path.write_text(whole.replace(old, new))
        elif act == "append":
            path.write_text(path.read_text() + "\n\n" + text)
        else:
            assert not path.exists()
            path.write_text(text)


@pytest.mark.parametrize("name", EXAMPLES)
def test_example(name, tmp_path):
    blocks = EXAMPLES[name]
    assert blocks[-1][1] == "test", "an example ends in its test"
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("static", "__pycache__", "*.egg-info"))
    (tmp_path / "tests").mkdir()
    for file in ("__init__.py", "jobs.py"):
        shutil.copy(ROOT / "tests" / file, tmp_path / "tests")
    if any(b[0] == "ts" for b in blocks):
        shutil.copytree(ROOT / "web", tmp_path / "web", ignore=shutil.ignore_patterns("node_modules", "dist"))
        (tmp_path / "web" / "node_modules").symlink_to(ROOT / "web" / "node_modules")
    placed(tmp_path, blocks)
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:django", "-p", "no:xdist", "-p", "no:cacheprovider", "tests"]
    told = subprocess.run(command, cwd=tmp_path, env=environment, capture_output=True, text=True, timeout=120)
    assert told.returncode == 0, told.stdout[-3000:] + told.stderr[-2000:]
    assert " passed" in told.stdout
    if any(b[0] == "ts" for b in blocks):
        command = ["npx", "--no-install", "vitest", "run", "tests/example.test.ts"]
        told = subprocess.run(command, cwd=tmp_path / "web", capture_output=True, text=True, timeout=240)
        assert told.returncode == 0, told.stdout[-3000:] + told.stderr[-2000:]


def test_no_example_touches_more_files_than_the_table_allows():
    for name, most in MOST.items():
        touched = {b[2] for b in EXAMPLES[name] if b[2]} | {
            f"its {b[0]} test" for b in EXAMPLES[name] if b[1] == "test" and most > 1
        }
        assert len(touched) <= most, (name, touched)
