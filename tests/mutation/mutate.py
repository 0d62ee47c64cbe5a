"""Faults put into the core and the pages' own modules, one at a time: how many the tests that run the line notice.

Faults come from cosmic-ray's operators, drawn by a seed. One is noticed where a test of it fails or does not end in
time. All happens in copies of the tree.
"""

import argparse
import ast
import hashlib
import json
import os
import random
import re
import shutil
import subprocess
import sys
import time
import xml.etree.ElementTree as ET
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from queue import Queue

from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names
from coverage import CoverageData
from report import write_report
from scripts import tried_scripts

ROOT = Path(__file__).resolve().parents[2]
WORK = ROOT / "var" / "mutants"
CORE = Path("src/recitant_core")
PARTS = (
    *("balance", "captions", "delivery", "dsp", "gain", "intake", "interchange", "measure", "processors", "render"),
    *("speakers", "speech", "timeline", "transcript", "units"),
)
FILES = (
    *("first_balance", "delivery", "forms", "spec_file", "quality", "plan_errors", "caption_files", "clean", "match"),
    *("spread", "steps", "vary", "words"),
)
TESTS = ("src/recitant_core", "tests/core", "tests/conformance", *(f"tests/io/test_{name}.py" for name in FILES))
"""Those that need no database and ask the core's rules."""
BINARY = ("Add_Sub", "Sub_Add", "Mul_Div", "Div_Mul", "FloorDiv_Mul", "Mod_FloorDiv", "Pow_Mul")
"""Of the exchanged signs those that stay arithmetic: a shift of a float is noticed by Python, not by a test."""
OTHERS = (
    *("ReplaceUnaryOperator_USub_UAdd", "ReplaceUnaryOperator_Delete_Not", "AddNot", "NumberReplacer"),
    *("ReplaceTrueWithFalse", "ReplaceFalseWithTrue", "ReplaceAndWithOr", "ReplaceOrWithAnd"),
    *("ReplaceBreakWithContinue", "ReplaceContinueWithBreak", "ZeroIterationForLoop"),
)


@dataclass(frozen=True, slots=True)
class Mutant:
    """One fault: file from the root, 1-based line, operator, its occurrence in the file, the line before and after."""

    path: str
    line: int
    operator: str
    occurrence: int
    was: str
    becomes: str


def main(arguments: list[str]) -> int:
    """Draw faults, try each, print the score; 1 where it is below what is asked, else 0."""
    parser = argparse.ArgumentParser(prog="recitant mutate", description=__doc__)
    parser.add_argument("--faults", type=int, default=60, help="in the core, a seed")
    parser.add_argument("--in-scripts", type=int, default=20, help="faults in the pages' modules, a seed")
    parser.add_argument("--seeds", nargs="+", type=int, default=[41, 42, 43])
    parser.add_argument("--parts", nargs="+", choices=PARTS, default=list(PARTS))
    parser.add_argument("--asked", type=float, default=75.0, help="percent that must be noticed")
    parser.add_argument("--seconds", type=float, default=25.0, help="of tests asked for a fault, the shortest first")
    parser.add_argument("--again", action="store_true", help="only the faults that the last run did not notice")
    parser.add_argument("--write", action="store_true", help="write docs/mutation.md from the result")
    chosen = parser.parse_args(arguments)
    copies = [_copy(n) for n in range(os.cpu_count() or 1)]
    covered = _covered(copies[0])
    kept = WORK / "result.json"
    if chosen.again:
        results = _again(json.loads(kept.read_text()), copies, covered, chosen.seconds)
    else:
        results = []
        for seed in chosen.seeds:
            drawn = _drawn(copies[0], chosen.faults, seed, chosen.parts)
            found = _tried(drawn, copies, covered, chosen.seconds)
            if chosen.in_scripts:
                found += tried_scripts(copies[0], WORK / "node", chosen.in_scripts, seed)
            results += [one | {"seed": seed} for one in found]
            kept.write_text(json.dumps(results, indent=1))
            print(f"seed {seed}: {_share(found):.1f} % of {len(found)} faults noticed", flush=True)
    kept.write_text(json.dumps(results, indent=1))
    share = _share(results)
    print(f"{share:.1f} % of {len(results)} faults noticed (asked: {chosen.asked:g} %)")
    if chosen.write:
        write_report(results, ROOT / "docs" / "mutation.md")
    return int(share < chosen.asked)


def _share(results: list[dict[str, object]]) -> float:
    return 100 * sum(bool(one["is_noticed"]) for one in results) / max(1, len(results))


def _again(
    before: list[dict[str, object]], copies: list[Path], covered: dict[str, dict[str, object]], most_s: float
) -> list[dict[str, object]]:
    """What a run came to, its faults of the core that nothing noticed tried anew."""
    left = [one for one in before if not one["is_noticed"] and str(one["mutant"]["path"]).endswith(".py")]
    found = _tried([Mutant(**one["mutant"]) for one in left], copies, covered, most_s)
    anew = [one | {"seed": was["seed"]} for one, was in zip(found, left, strict=True)]
    return [one for one in before if one not in left] + anew


def _copy(n: int) -> Path:
    """A copy of everything that is or may be committed."""
    folder = WORK / f"copy-{n}"
    shutil.rmtree(folder, ignore_errors=True)
    listed = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, capture_output=True, text=True, check=True
    )
    for name in listed.stdout.splitlines():
        if (ROOT / name).is_file():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, folder / name)
    return folder


def _drawn(folder: Path, n: int, seed: int, parts: list[str]) -> list[Mutant]:
    """Seeded faults, places drawn evenly over all places of the parts and an operator of each place."""
    places: dict[tuple[str, int, int], list[tuple[str, int]]] = {}
    chosen = [
        name
        for name in operator_names()
        if name.removeprefix("core/ReplaceBinaryOperator_") in BINARY
        or name.removeprefix("core/") in OTHERS
        or (
            name.startswith("core/ReplaceComparisonOperator")
            and ("Is" in name) == name.endswith(("Is_IsNot", "IsNot_Is"))
        )
    ]
    for part in parts:
        for path in sorted((folder / CORE / part).rglob("*.py")):
            tree, lines = get_ast(path.read_text()), path.read_text().splitlines()
            for name in chosen:
                operator, n_before = get_operator(name)(), 0
                for node in ast_nodes(tree):
                    for k, (start, _) in enumerate(operator.mutation_positions(node)):
                        # Whether a kernel is kept is no rule, and the star of a signature no product.
                        if not lines[start[0] - 1].lstrip().startswith(("@", "def ")):
                            places.setdefault((str(path.relative_to(folder)), *start), []).append((name, n_before + k))
                    n_before += sum(1 for _ in operator.mutation_positions(node))
    rng = random.Random(seed)
    drawn = rng.sample(sorted(places), min(n, len(places)))
    return [_mutant(folder, place[0], *rng.choice(sorted(places[place]))) for place in drawn]


def _mutant(folder: Path, path: str, operator: str, occurrence: int) -> Mutant:
    text = (folder / path).read_text()
    changed = mutate_code(text, get_operator(operator)(), occurrence)
    before, after = text.splitlines(), changed.splitlines()
    line = next(k for k, (a, b) in enumerate(zip(before, after, strict=False)) if a != b)
    return Mutant(path, line + 1, operator.removeprefix("core/"), occurrence, before[line].strip(), after[line].strip())


def _environment(folder: Path, kernels: Path) -> dict[str, str]:
    return {
        **os.environ,
        "PYTHONPATH": f"{folder / 'src'}:{folder / 'tests'}",
        "NUMBA_CACHE_DIR": str(kernels),
        "PYTHONDONTWRITEBYTECODE": "1",
    }


def _pytest(folder: Path, *arguments: str) -> list[str]:
    # The core's tests need no Django: a second less a fault.
    config = folder / "mutation.ini"
    config.write_text(
        "[pytest]\npythonpath = src tests\n"
        "addopts = -q -x --doctest-modules --import-mode=importlib -p no:cacheprovider -p no:django\n"
        "filterwarnings =\n    error\n    ignore::pytest.PytestUnraisableExceptionWarning\n"
        "    ignore:unclosed:ResourceWarning\n"
    )
    return ["-m", "pytest", "-c", str(config), *arguments]


def _covered(folder: Path) -> dict[str, dict[str, object]]:
    """By test function: how long it takes, and the lines that it runs by file; kept until core or tests change."""
    files = [p for place in (str(CORE), *TESTS) for p in _files(folder / place)]
    key = hashlib.sha256(repr(TESTS).encode() + b"".join(p.read_bytes() for p in files)).hexdigest()
    kept = WORK / "covered.json"
    if kept.exists() and (found := json.loads(kept.read_text()))["key"] == key:
        return found["tests"]
    print("finding out which test runs which line (some minutes)", flush=True)
    settings = folder / "coverage.ini"
    settings.write_text(f"[run]\nsource = {folder / CORE}\ndata_file = {folder / 'found'}\n")
    options = [f"--cov-config={settings}", "--cov", "--cov-context=test", "--cov-report=", "-p", "pytest_cov"]
    command = [sys.executable, *_pytest(folder, *options, f"--junitxml={folder / 'found.xml'}"), *TESTS]
    subprocess.run(command, cwd=folder, env=_environment(folder, WORK / "kernels"), check=True)
    data = CoverageData(str(folder / "found"))
    data.read()
    tests = _times(folder / "found.xml")
    for file in data.measured_files():
        name = str(Path(file).relative_to(folder))
        for line, contexts in data.contexts_by_lineno(file).items():
            for test in {context.partition("|")[0].partition("[")[0] for context in contexts if context}:
                lines = tests[test]["lines"].setdefault(name, [])
                lines += [line] if lines[-1:] != [line] else []
    # What is not found later was not found because a fault kept its file from being read.
    command = [sys.executable, *_pytest(folder, "--collect-only"), *tests]
    subprocess.run(
        command, cwd=folder, env=_environment(folder, WORK / "kernels"), check=True, stdout=subprocess.DEVNULL
    )
    kept.write_text(json.dumps({"key": key, "tests": tests}))
    return tests


def _files(place: Path) -> list[Path]:
    return sorted(place.rglob("*.py")) if place.is_dir() else [place]


def _times(report: Path) -> dict[str, dict[str, object]]:
    """How long each test function takes, by its address: tests/core/test_fit.py::test_x."""
    tests: dict[str, dict[str, object]] = {}
    for case in ET.parse(report).getroot().iter("testcase"):
        name = f"{case.get('classname', '').replace('.', '/')}.py::{case.get('name', '').partition('[')[0]}"
        tests.setdefault(name, {"s": 0.0, "lines": {}})["s"] += float(case.get("time", 0))
    return tests


def _asked(mutant: Mutant, folder: Path, covered: dict[str, dict[str, object]], most_s: float) -> list[str]:
    """Tests that run the line, shortest first.

    For constants, defaults and compiled code, which run outside of tests: those that run a line with the name in it,
    else those that run a line of the file.
    """
    chosen = _running(covered, {mutant.path: {mutant.line}})
    if not chosen and (name := _name_of(folder / mutant.path, mutant.line)):
        word = re.compile(rf"\b{name}\b")
        texts = {str(p.relative_to(folder)): p.read_text().splitlines() for p in (folder / CORE).rglob("*.py")}
        lines = {path: {n for n, line in enumerate(text, 1) if word.search(line)} for path, text in texts.items()}
        chosen = _running(covered, lines)
        # A test of a table of figures asks the table itself.
        files = {test.partition("::")[0] for test in covered}
        naming = {file for file in files if word.search((folder / file).read_text())}
        chosen |= {test: one for test, one in covered.items() if test.partition("::")[0] in naming}
    chosen = chosen or {name: one for name, one in covered.items() if mutant.path in one["lines"]}
    asked, spent_s = [], 0.0
    for name in sorted(chosen, key=lambda name: chosen[name]["s"]):
        spent_s += chosen[name]["s"]
        if asked and spent_s > most_s:
            break
        asked.append(name)
    return asked


def _running(covered: dict[str, dict[str, object]], lines: dict[str, set[int]]) -> dict[str, dict[str, object]]:
    return {
        name: one
        for name, one in covered.items()
        if any(lines[path] & set(one["lines"].get(path, ())) for path in lines)
    }


def _name_of(path: Path, line: int) -> str:
    """The name that a line helps to define: a constant, a field, else else the function around it; else empty."""
    found = ""
    for node in ast.walk(ast.parse(path.read_text())):
        if not hasattr(node, "lineno") or not node.lineno <= line <= node.end_lineno:
            continue
        if isinstance(node, ast.FunctionDef):
            found = node.name
        elif isinstance(node, ast.Assign | ast.AnnAssign) and not found:
            target = node.targets[0] if isinstance(node, ast.Assign) else node.target
            found = target.id if isinstance(target, ast.Name) else ""
    return found


def _tried(
    drawn: list[Mutant], copies: list[Path], covered: dict[str, dict[str, object]], most_s: float
) -> list[dict[str, object]]:
    free: Queue[Path] = Queue()
    for folder in copies:
        free.put(folder)

    def one(mutant: Mutant) -> dict[str, object]:
        folder = free.get()
        try:
            started = time.monotonic()
            is_noticed = _is_noticed(mutant, folder, _asked(mutant, folder, covered, most_s), most_s)
            verdict = "noticed" if is_noticed else "NOT NOTICED"
            print(
                f"{verdict} {time.monotonic() - started:5.1f} s {mutant.path}:{mutant.line} {mutant.becomes}",
                flush=True,
            )
            return {"mutant": asdict(mutant), "is_noticed": is_noticed}
        finally:
            free.put(folder)

    with ThreadPoolExecutor(len(copies)) as pool:
        return list(pool.map(one, drawn))


def _is_noticed(mutant: Mutant, folder: Path, tests: list[str], most_s: float) -> bool:
    if not tests:
        return False
    file, kernels = folder / mutant.path, WORK / "kernels"
    text = file.read_text()
    if _is_compiled(text, mutant.line):
        # A kernel that is kept does not know that what it calls or reads has changed: all are compiled anew.
        kernels = folder / "kernels"
        shutil.rmtree(kernels, ignore_errors=True)
    file.write_text(mutate_code(text, get_operator(f"core/{mutant.operator}")(), mutant.occurrence))
    try:
        command = [sys.executable, *_pytest(folder), *tests]
        done = subprocess.run(
            command,
            cwd=folder,
            env=_environment(folder, kernels),
            capture_output=True,
            timeout=120.0 + 4 * most_s,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return True
    finally:
        file.write_text(text)
    return done.returncode != 0


def _is_compiled(text: str, line: int) -> bool:
    """Whether a line goes into compiled code: part of a kernel, or a constant beside one."""
    if "numba" not in text:
        return False
    for node in ast.parse(text).body:
        if node.lineno <= line <= node.end_lineno:
            decorators = getattr(node, "decorator_list", ())
            return isinstance(node, ast.Assign | ast.AnnAssign) or any("njit" in ast.unparse(d) for d in decorators)
    return False


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
