"""Format, style, types, import rules, packages, scripts and what second_look adds: ./recitant lint, and the tests."""

import os
import subprocess

from machine import FRONTEND, PYTHON, ROOT
from second_look import CHECKS

SCRIPTS = ("src/recitant_web/static/js", "tests/**/*.js", "*.mjs", "package.json")
TOOLS = {
    "format": ["ruff", "format", "--check", "-q", "."],
    "style": ["ruff", "check", "-q", "."],
    "types": ["mypy"],
    "import rules": ["lint-imports"],
    "packages": ["deptry", "src", "--no-ansi", "--config", "requirements/deptry.toml"],
    "layout of scripts": ["prettier", "--log-level", "warn", "--check", *SCRIPTS],
    "style of scripts": ["eslint", "src/recitant_web/static/js", "tests"],
}
"""By name: a tool and its arguments, run from the root."""


def complaints(name: str) -> str:
    """Lines of one check, of a tool or of second_look; empty where there is nothing to say."""
    if name in CHECKS:
        return "\n".join(CHECKS[name]())
    done = subprocess.run(_command(name), cwd=ROOT, env=_environment(), capture_output=True, text=True, check=False)
    return "" if done.returncode == 0 else done.stdout + done.stderr


def mend() -> None:
    """Write what the formatters and ruff can mend."""
    for name, without, instead in (
        ("style", "-q", "--fix"),
        ("format", "--check", "-q"),
        ("layout of scripts", "--check", "--write"),
    ):
        command = [instead if one == without else one for one in _command(name)]
        subprocess.run(command, cwd=ROOT, env=_environment(), capture_output=True, check=False)


def main(*, fix: bool) -> int:
    """Run every check; 1 where one complains, else 0."""
    if fix:
        mend()
    worst = 0
    for name in (*TOOLS, *CHECKS):
        said = complaints(name)
        print(f"{name}: {said.strip() or 'fine'}", flush=True)
        worst = max(worst, int(bool(said)))
    return worst


def _command(name: str) -> list[str]:
    tool, *arguments = TOOLS[name]
    folder = FRONTEND / "node_modules" / ".bin" if tool in ("prettier", "eslint") else PYTHON.parent
    return [str(folder / tool), *arguments]


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT / "src")}
