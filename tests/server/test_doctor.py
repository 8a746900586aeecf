"""What `ewerer doctor` and `ewerer serve` say of data that are whole, damaged, newer, older or open to others."""

import contextlib
import shutil
import sqlite3
import subprocess
import sys

import pytest

from ewerer.server.jobs.keeping import packed
from tests.server.running import command

ENTRY = [sys.executable, "-m", "ewerer.entry"]


def ewerer(*args):
    return subprocess.run([*ENTRY, *map(str, args)], capture_output=True, text=True, timeout=120)


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """A data folder as a first start leaves it, with a job and a profile in it."""
    folder = tmp_path_factory.mktemp("whole") / "data"
    code = (
        "import os, sys; os.umask(0o077); os.environ['EWERER_DATA'] = sys.argv[1]; os.environ['DJANGO_SETTINGS_MODULE'] = 'ewerer.server.settings.demo'\n"
        "import pathlib; pathlib.Path(sys.argv[1]).mkdir(mode=0o700); import django; django.setup()\n"
        "from django.core.management import call_command; call_command('migrate', verbosity=0)\n"
        "from django.contrib.auth.models import User; from ewerer.server.crews.models import Crew\n"
        "from ewerer.server.jobs import actions; from ewerer.core.documents.job import Job\n"
        "u = User.objects.create_user('ann'); c = Crew.objects.create(name='C')\n"
        "actions.create(c, Job.model_validate({'ewerer': 'job/2', 'name': 'Tern'}), u)\n"
    )
    subprocess.run([sys.executable, "-c", code, str(folder)], check=True, timeout=120)
    return folder


@pytest.fixture
def data(made, tmp_path):
    return shutil.copytree(made, tmp_path / "data")


def change(data, sql, *values):
    with contextlib.closing(sqlite3.connect(data / "ewerer.sqlite3")) as held:
        held.execute("PRAGMA journal_mode=DELETE")
        held.execute(sql, values)
        held.commit()


def keep(data, document):
    change(data, "UPDATE jobs_revision SET whole = ?", packed({"document": document, "series": {}}))


@pytest.mark.parametrize(
    "held", [b"", b"no zlib", packed([]), packed({"document": {}}), packed({"document": {}, "series": {"/flow": "gone"}})]
)
def test_a_revision_that_cannot_be_put_together_is_named(data, held):
    change(data, "UPDATE jobs_revision SET whole = ?", held)
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 1 and "1 of 1 jobs cannot be read: Tern" in told.stdout and "Traceback" not in told.stderr


def test_whole_data_are_in_order(data):
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 0, told.stdout + told.stderr
    assert "TO DO" not in told.stdout
    assert "1 jobs can be read" in told.stdout


def test_people_are_added_listed_and_given_a_new_password(tmp_path):
    """Before a first start; nothing is left beside the database."""
    folder = tmp_path / "data of a crew"
    made = command(folder, "person", "add", "kim", "--crew", "Ours", typed="otter lamp fern quarry\n")
    assert made.returncode == 0 and "kim works in Ours as a lead" in made.stdout, made.stderr
    assert command(folder, "person", "add", "KIM", "--crew", "Ours", typed="otter lamp fern quarry\n").returncode == 2
    assert "/password" in command(folder, "person", "password", "kim", typed="short\n").stderr
    told = command(folder, "person", "password", "kim", typed="walrus kettle brick moss\n")
    assert told.returncode == 0 and "every session of kim is ended" in told.stdout, told.stderr
    assert "kim\tOurs\tlead\tnever signed in" in command(folder, "person", "list").stdout
    assert sorted(p.name for p in folder.iterdir()) == ["ewerer.sqlite3", "writing.lock"]


def test_no_data_yet(tmp_path):
    told = ewerer("doctor", "--data", tmp_path / "none")
    assert told.returncode == 1 and "there is no folder" in told.stderr


def test_what_others_may_read_is_said(data):
    (data / "secret-key").chmod(0o644)
    data.chmod(0o755)
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 1
    assert "chmod 600" in told.stdout and "chmod 700" in told.stdout


def test_a_document_that_cannot_be_read_is_named(data):
    keep(data, {"ewerer": "job/2", "name": "Tern", "bank": 7})
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 1 and "Tern: /bank" in told.stdout


@pytest.mark.parametrize("document", [[], 3, None, "text"])
def test_a_document_that_is_none_is_named_too(data, document):
    keep(data, document)
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 1 and "1 of 1 jobs cannot be read: Tern" in told.stdout and "Traceback" not in told.stderr


def test_a_cut_off_database_is_refused_in_words_by_both(data):
    file = data / "ewerer.sqlite3"
    file.write_bytes(file.read_bytes()[:5000])
    for words in (("doctor", "--data", data), ("serve", "--port", "18999", "--data", data)):
        told = ewerer(*words)
        assert told.returncode in (1, 2)
        assert "database" in told.stdout + told.stderr and "Traceback" not in told.stderr


def test_a_newer_database_is_refused_in_words(data):
    change(data, "INSERT INTO django_migrations (app, name, applied) VALUES ('jobs', '0999_later', '2030-01-01')")
    told = ewerer("serve", "--port", "18999", "--data", data)
    assert told.returncode == 2
    assert "newer version of Ewerer (jobs.0999_later)" in told.stderr and "nothing was changed" in told.stderr


@pytest.fixture
def closed(made, tmp_path):
    """A data folder on a disk that is read-only."""
    folder = tmp_path / "closed"
    folder.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "tmpfs", str(folder)], capture_output=True).returncode:
        pytest.skip("no disk can be mounted here")
    shutil.copytree(made, folder / "data")
    subprocess.run(["mount", "-o", "remount,ro", str(folder)], check=True)
    yield folder / "data"
    subprocess.run(["umount", "-l", str(folder)], check=True)


def test_a_read_only_folder_is_told_from_a_damaged_one(closed):
    told = ewerer("doctor", "--data", closed)
    assert told.returncode == 1, told.stderr
    assert "cannot be written (Read-only file system); nothing is damaged by that" in told.stdout
    assert "ok     the database is whole" in told.stdout and "1 jobs can be read" in told.stdout


def test_an_empty_key_is_said(data):
    (data / "secret-key").write_text("")
    told = ewerer("doctor", "--data", data)
    assert told.returncode == 1 and "secret key is empty" in told.stdout


@pytest.mark.parametrize("port", ["0", "70000", "-1", "80a", "٨٠٨٠"])
def test_a_port_that_is_none(port):
    told = ewerer("serve", f"--port={port}")
    assert told.returncode == 2 and "1 to 65535" in told.stderr


def test_a_start_loads_nothing_that_only_later_work_needs():
    """Simulated days, papers and spreadsheets bring what they need themselves; the first answer does not wait for it."""
    later = {"numpy", "pandas", "scipy", "numba", "pvlib", "openpyxl", "weasyprint", "icalendar"}
    code = (
        "import os, sys; os.environ['DJANGO_SETTINGS_MODULE'] = 'ewerer.server.settings.test'\n"
        "import django; django.setup(); import ewerer.server.urls\n"
        f"print(*sorted({later!r} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120, check=True)
    assert done.stdout.split() == []
