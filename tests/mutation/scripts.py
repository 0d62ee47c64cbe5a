"""Faults in the pages' own modules: those that compute without a page, tried with the tests that node runs.

Faults come from Stryker's mutators, on lines drawn by a seed; a changed word is no fault.
"""

import json
import random
import shutil
import subprocess
import sys
from pathlib import Path

STATIC = Path("src/recitant_web/static/js")
PURE = (
    *("lib/edits.js", "lib/patches.js", "lib/shortcuts.js", "lib/ticks.js", "lib/units.js"),
    *("arrange/model.js", "arrange/drawn.js", "arrange/scale.js", "arrange/scene.js", "arrange/marks/curve.js"),
    *("balance/model.js", "balance/drawn.js", "balance/scale.js", "balance/score.js"),
    *("level/model.js", "level/drawn.js", "words/model.js"),
)
STRYKER = "@stryker-mutator/core@8.7.1"
_NO_RULES = ("StringLiteral", "ArrayDeclaration", "ObjectLiteral", "Regex")
_NOTICED = {"Killed", "Timeout", "RuntimeError"}
_COUNTED = _NOTICED | {"Survived", "NoCoverage"}


def tried_scripts(folder: Path, tools: Path, n: int, seed: int) -> list[dict[str, object]]:
    """About n faults of lines drawn by a seed, each with whether a test noticed it.

    Args:
        folder: a copy of the tree, which is changed.
        tools: where Stryker is installed, once.
    """
    if not (tools / "node_modules" / "@stryker-mutator").exists():
        tools.mkdir(parents=True, exist_ok=True)
        (tools / "package.json").write_text('{"private": true, "type": "module"}')
        quiet = ["--ignore-scripts", "--no-audit", "--no-fund", "--loglevel", "error"]
        subprocess.run(["npm", "install", *quiet, STRYKER], cwd=tools, check=True)
    (folder / "node_modules").unlink(missing_ok=True)
    (folder / "node_modules").symlink_to(tools / "node_modules")
    ranges = _lines(folder, n, seed)
    tests = f"{sys.executable} -m pytest -c mutation.ini tests/js"
    settings = {
        "mutate": [f"{path}:{line}-{line}" for path, line in ranges],
        "mutator": {"excludedMutations": list(_NO_RULES)},
        "testRunner": "command",
        "commandRunner": {"command": tests},
        "plugins": [],
        "checkers": [],
        "reporters": ["json"],
        "jsonReporter": {"fileName": "stryker.json"},
        "concurrency": 2,
        "symlinkNodeModules": False,
        "inPlace": False,
        "ignorePatterns": ["docs", "demo", "deploy", "frontend", "kernels", "tests/data"],
        "tempDirName": "stryker-tmp",
        "timeoutMS": 60_000,
    }
    (folder / "stryker.json").unlink(missing_ok=True)
    (folder / "stryker.conf.json").write_text(json.dumps(settings))
    command = [str(tools / "node_modules" / ".bin" / "stryker"), "run", "stryker.conf.json"]
    subprocess.run(command, cwd=folder, check=True)
    report = json.loads((folder / "stryker.json").read_text())
    shutil.rmtree(folder / "stryker-tmp", ignore_errors=True)
    found = [
        {"mutant": _as_fault(path, file["source"], one), "is_noticed": one["status"] in _NOTICED}
        for path, file in report["files"].items()
        for one in file["mutants"]
        if one["status"] in _COUNTED
    ]
    return random.Random(seed).sample(found, min(n, len(found)))


def _lines(folder: Path, n: int, seed: int) -> list[tuple[str, int]]:
    """Lines of code, drawn evenly over all of the modules: one for each fault that is wanted."""
    places = []
    for name in PURE:
        path = STATIC / name
        for number, line in enumerate((folder / path).read_text().splitlines(), 1):
            code = line.strip()
            if code and not code.startswith(("//", "import ", "}", "export {")):
                places.append((str(path), number))
    return random.Random(seed).sample(places, min(n, len(places)))


def _as_fault(path: str, source: str, mutant: dict) -> dict[str, object]:
    start, end = mutant["location"]["start"], mutant["location"]["end"]
    lines = source.splitlines()
    was = lines[start["line"] - 1]
    tail = was[end["column"] - 1 :] if end["line"] == start["line"] else ""
    becomes = was[: start["column"] - 1] + mutant["replacement"].split("\n")[0] + tail
    return {
        "path": path,
        "line": start["line"],
        "operator": mutant["mutatorName"],
        "occurrence": int(mutant["id"]),
        "was": was.strip(),
        "becomes": becomes.strip(),
    }
