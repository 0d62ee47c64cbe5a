"""A folder of revision bc9ba34 whose demo was half loaded: it starts, keeps every row, and all its pages answer."""

import importlib
import json
import os
import subprocess
import sys
import tarfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
services = importlib.import_module("services")
KEPT = ROOT / "tests" / "data" / "folder-bc9ba34.tar.gz"
COUNTS = """
import json
from django.db import connection
with connection.cursor() as cursor:
    found = {}
    for table in ("programme_programme", "programme_source", "desk_track", "desk_clip", "desk_edit", "desk_stem",
                  "library_sound", "accounts_workspace", "auth_user", "jobs_job"):
        cursor.execute(f"SELECT COUNT(*) FROM {table}")
        found[table] = cursor.fetchone()[0]
print(json.dumps(found))
"""
PAGES = """
import json
from django.contrib.auth.models import User
from django.test import Client
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme.models import Programme
import numpy as np
from recitant_core.units.channels import layout_from_count
from recitant_io.store.conform import conform_blocks
from recitant_web.programme.models import Source
from recitant_web.programme.queries import conformed_folder
for source in Source.objects.filter(state="ready"):  # the archive holds no sound
    if not conformed_folder(source.sha256).exists():
        silence = np.zeros((source.length_samples, source.n_channels), np.float32)
        layout = layout_from_count(source.n_channels)
        conform_blocks([silence], layout, conformed_folder(source.sha256), lambda _share: None)
client = Client(HTTP_HOST="127.0.0.1")
client.force_login(User.objects.get(username="demo"))
answers, roles = {}, set()
for programme in Programme.objects.all():
    roles |= {str(track.role) for track in plan_of(programme).tracks}
    for page in ("intake", "arrange", "words", "level", "balance", "hand-over"):
        answers[page] = client.get(f"/programmes/{programme.pk}/{page}").status_code
for page in ("/", "/specifications", "/stems", "/batch", "/room"):
    answers[page] = client.get(page).status_code
print(json.dumps([answers, sorted(roles), client.get("/").content.decode()]))
"""


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    """The environment of the folder's services, with the rows and lists that the old revision left."""
    root = tmp_path_factory.mktemp("upgrade")
    for folder in (root, *root.parents):
        if os.geteuid() == 0 and folder.stat().st_mode & 0o077 == 0:
            folder.chmod(0o711)
    folder = root / "app"
    with services.running(folder, is_lasting=False) as found:
        with tarfile.open(KEPT) as tar:
            tar.extractall(folder, filter="data")
        environment = {
            **os.environ,
            **found.environment(),
            "DJANGO_SETTINGS_MODULE": "recitant_web.config.settings.base",
            "PYTHONPATH": str(ROOT / "src"),
            "RECITANT_DEMO_PASSWORD": "a-long-enough-word",
        }
        command = ["mariadb", "--no-defaults", *services.database_arguments(environment), "recitant"]
        with (folder / "database.sql").open("rb") as file:
            told = {**environment, "MYSQL_PWD": environment["RECITANT_DB_PASSWORD"]}
            subprocess.run(command, stdin=file, env=told, check=True)
        yield environment


def run(environment, program, *arguments):
    """What a program of ours prints, inside the application."""
    text = f"import django\ndjango.setup()\n{program}"
    command = [sys.executable, "-c", text, *arguments]
    ran = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert ran.returncode == 0, ran.stderr[-3_000:]
    return json.loads(ran.stdout.strip().splitlines()[-1])


def prepare(environment, *more):
    command = [sys.executable, "-m", "recitant_web.prepare", "demo", *more]
    return subprocess.run(command, env=environment, capture_output=True, text=True, check=False)


def test_it_starts_whatever_becomes_of_the_demo_and_keeps_every_row(kept):
    before = run(kept, COUNTS)
    assert before["programme_programme"] == 1 and before["desk_clip"] > 5
    assert '"ambience"' in (Path(kept["RECITANT_VAR"]) / "demo" / "casting-the-tenor.json").read_text()
    # Its recordings cannot be made, and its list is no list: the start says so and goes on.
    broken = {**kept, "PATH": "/nonexistent"}
    (Path(kept["RECITANT_VAR"]) / "demo" / "loaded.json").write_text("{")
    library = Path(kept["RECITANT_VAR"]) / "library"
    library.rename(library.with_name("aside"))
    library.write_text("in the way")
    ran = prepare(broken)
    assert ran.returncode == 0, ran.stderr[-3_000:]
    assert "couldn’t be made" in ran.stderr and "couldn’t be loaded" in ran.stderr
    answers, roles, listed = run(kept, PAGES)
    assert set(answers.values()) == {200}, answers
    assert "ambience" not in roles and "The demo couldn’t be loaded" in listed.replace("&#x27;", "'")
    library.unlink()
    library.with_name("aside").rename(library)
    after = run(kept, COUNTS)
    assert {name: after[name] for name in before if name != "jobs_job"} == {
        name: before[name] for name in before if name != "jobs_job"
    }


def test_the_next_start_makes_anew_what_the_old_revision_made(kept):
    ran = prepare(kept, "--no-demo")
    assert ran.returncode == 0, ran.stderr[-3_000:]
    library = json.loads((Path(kept["RECITANT_VAR"]) / "library" / "library.json").read_text())
    assert "ambience" not in {sound["role"] for sound in library}
    assert not (Path(kept["RECITANT_VAR"]) / "demo" / "casting-the-tenor.json").exists()  # not asked for
    answers, _, listed = run(kept, PAGES)
    assert set(answers.values()) == {200} and "couldn’t be" not in listed
