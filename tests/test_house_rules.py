"""What ./recitant lint checks, and what may never stand in the repository."""

import hashlib
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
BIN = Path(sys.executable).parent
CHECKS = {
    "format": ["ruff", "format", "--check", "-q", "."],
    "style": ["ruff", "check", "-q", "."],
    "types": ["mypy"],
    "import rules": ["lint-imports"],
}


@pytest.mark.parametrize("name", CHECKS)
def test_lint(name):
    command = CHECKS[name]
    done = subprocess.run([BIN / command[0], *command[1:]], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


def _tracked(*patterns):
    listed = subprocess.run(["git", "ls-files", *patterns], cwd=ROOT, capture_output=True, text=True, check=True)
    return [ROOT / name for name in listed.stdout.splitlines()]


def test_no_file_has_outgrown_its_room():
    own = [p for p in _tracked("*.py", "*.js") if "vendor" not in p.parts and "migrations" not in p.parts]
    assert len(own) > 60
    assert [p.name for p in own if len(p.read_text().splitlines()) > 500] == []


def test_pins_hold_hashes_and_no_addresses():
    for name in ("run.txt", "dev.txt"):
        text = (ROOT / "requirements" / name).read_text()
        assert text.count("--hash=sha256:") > 20
        assert "://" not in text
    assert "://" not in (ROOT / "frontend" / "package-lock.json").read_text()


def test_vendored_files_are_the_ones_that_were_fetched():
    folder = ROOT / "src" / "recitant_web" / "static" / "vendor"
    for line in (folder / "SHA256SUMS").read_text().splitlines():
        checksum, name = line.split("  ")
        assert hashlib.sha256((folder / name).read_bytes()).hexdigest() == checksum


def test_nothing_is_fetched_at_run_time():
    pages = [
        *(ROOT / "src" / "recitant_web").rglob("*.html"),
        *(ROOT / "src" / "recitant_web" / "static").rglob("*.js"),
    ]
    own = [p for p in pages if "vendor" not in p.parts] + list((ROOT / "src/recitant_web/static/css").glob("*.css"))
    assert [p.name for p in own if re.search(r"(src|href|url|import|fetch)\W{1,4}https?://", p.read_text())] == []
