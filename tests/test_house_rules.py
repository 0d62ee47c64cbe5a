"""What ./recitant lint checks, and what may never stand in the repository."""

import ast
import hashlib
import re
import subprocess
from pathlib import Path

import pytest

from lint import CHECKS, TOOLS, complaints

ROOT = Path(__file__).parents[1]


@pytest.mark.parametrize("name", [*TOOLS, *CHECKS])
def test_lint(name):
    assert complaints(name) == ""


def _tracked(*patterns):
    listed = subprocess.run(["git", "ls-files", *patterns], cwd=ROOT, capture_output=True, text=True, check=True)
    return [ROOT / name for name in listed.stdout.splitlines()]


def test_no_file_has_outgrown_its_room():
    own = [p for p in _tracked("*.py", "*.js") if "vendor" not in p.parts and "migrations" not in p.parts]
    assert len(own) > 60
    most = {True: 500, False: 400}  # of tests, of everything else
    lines = {p: len(p.read_text().splitlines()) for p in own}
    assert {p.name: n for p, n in lines.items() if n > most["tests" in p.parts]} == {}


def _functions(tree):
    return [node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)]


def _body_lines(function):
    first = function.body[0]
    is_docstring = isinstance(first, ast.Expr) and isinstance(getattr(first, "value", None), ast.Constant)
    docstring = first.end_lineno - first.lineno + 1 if is_docstring else 0
    return function.end_lineno - function.lineno + 1 - docstring


def test_no_function_has_outgrown_its_name():
    long, wide = [], []
    for path in _tracked("src/*.py", "scripts/*.py", "demo/*.py"):
        if "migrations" in path.parts:
            continue
        text = path.read_text()
        for function in _functions(ast.parse(text)):
            long += [f"{path.name}:{function.name}"] if _body_lines(function) > 60 else []
            arguments = function.args
            n = len(arguments.posonlyargs) + len(arguments.args) + len(arguments.kwonlyargs)
            # More than eight need a reason beside them.
            has_reason = "# over eight parameters:" in ast.get_source_segment(text, function)
            wide += [f"{path.name}:{function.name}"] if n > 8 and not has_reason else []
    assert (long, wide) == ([], [])


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


def test_what_a_module_says_it_is_held_to_is_there():
    said = {
        (p.name, n) for p in _tracked("src/*.py") for n in re.findall(r"\btests/[\w/]+\.(?:py|toml)", p.read_text())
    }
    assert len(said) > 50
    assert [one for one in sorted(said) if not (ROOT / one[1]).exists()] == []
