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


def placed(source: Path, name: str) -> None:
    for language, act, file, text in EXAMPLES[name]:
        if act == "test":
            kept = {"python": "tests/test_{}.py", "ts": "web/tests/{}.test.ts"}[language]
            (source / kept.format(name.replace(" ", "_"))).write_text(text)
            continue
        path = source / file
        if language == "diff":
            old, new = ("".join(line[1:] + "\n" for line in text.splitlines() if line[0] == sign) for sign in "-+")
            whole = path.read_text()
            assert whole.count(old) == 1, f"{file} does not hold {old!r}"
            path.write_text(whole.replace(old, new))
        elif act == "append":
            path.write_text(path.read_text() + "\n\n" + text)
        else:
            assert not path.exists()
            path.write_text(text)


def tried(folder: Path, names: list[str]) -> None:
    """Put examples into a copy of the source, and run their tests there."""
    shutil.copytree(ROOT / "src", folder / "src", ignore=shutil.ignore_patterns("static", "*.egg-info"))
    (folder / "tests").mkdir()
    for file in ("__init__.py", "jobs.py"):
        shutil.copy(ROOT / "tests" / file, folder / "tests")
    web = any(b[0] == "ts" for name in names for b in EXAMPLES[name])
    if web:
        shutil.copytree(ROOT / "web", folder / "web", ignore=shutil.ignore_patterns("node_modules", "dist", "*.test.ts"))
        (folder / "web" / "node_modules").symlink_to(ROOT / "web" / "node_modules")
    for name in names:
        assert EXAMPLES[name][-1][1] == "test", "an example ends in its test"
        placed(folder, name)
    environment = {**os.environ, "PYTHONPATH": str(folder / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:django", "-p", "no:xdist", "-p", "no:cacheprovider", "tests"]
    told = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, timeout=120)
    assert told.returncode == 0, told.stdout[-3000:] + told.stderr[-2000:]
    assert f"{len(names)} passed" in told.stdout
    if web:
        command = ["npx", "--no-install", "vitest", "run"]
        told = subprocess.run(command, cwd=folder / "web", capture_output=True, text=True, timeout=240)
        assert told.returncode == 0, told.stdout[-3000:] + told.stderr[-2000:]


def test_every_example_has_its_place_in_the_source(tmp_path):
    """They are put in, which fails where the source no longer holds what they change; ``make test-long`` runs them."""
    for folder in ("src", "web/src", "web/tests"):
        ignored = shutil.ignore_patterns("static", "__pycache__", "*.egg-info")
        shutil.copytree(ROOT / folder, tmp_path / folder, ignore=ignored)
    (tmp_path / "tests").mkdir()
    for name in EXAMPLES:
        placed(tmp_path, name)
    for file in (tmp_path / "src").rglob("*.py"):
        compile(file.read_text(), file.name, "exec")


@pytest.mark.long
def test_all_examples_together(tmp_path):
    tried(tmp_path, list(EXAMPLES))


@pytest.mark.long
@pytest.mark.parametrize("name", EXAMPLES)
def test_each_example_by_itself(name, tmp_path):
    tried(tmp_path, [name])


def test_no_example_touches_more_files_than_the_table_allows():
    for name, most in MOST.items():
        touched = {b[2] for b in EXAMPLES[name] if b[2]} | {
            f"its {b[0]} test" for b in EXAMPLES[name] if b[1] == "test" and most > 1
        }
        assert len(touched) <= most, (name, touched)
