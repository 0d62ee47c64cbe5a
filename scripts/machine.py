"""What this machine must have: Debian packages and the virtual environment. Standard library only."""

import hashlib
import os
import re
import shutil
import subprocess
import sys
import sysconfig
import time
import venv
from collections.abc import Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
FRONTEND = ROOT / "frontend"
SETUP_LOG = ROOT / "var" / "setup.log"
"""What package managers say."""
_SAID_EVERY_S = 5.0

SERVICES = {"mariadb-server": "/usr/sbin/mariadbd", "redis-server": "/usr/bin/redis-server"}
LIBRARIES = {
    package: f"/usr/lib/{sysconfig.get_config_var('MULTIARCH')}/{file}"
    for package, file in (
        ("libpango-1.0-0", "libpango-1.0.so.0"),
        ("libpangoft2-1.0-0", "libpangoft2-1.0.so.0"),
        ("libharfbuzz-subset0", "libharfbuzz-subset.so.0"),
        ("libseccomp2", "libseccomp.so.2"),
    )
}
"""That reports need to be set as PDF, and readers of strangers' files to give up what they do not need."""
BUILD = {
    "gcc": "/usr/bin/gcc",
    "pkg-config": "/usr/bin/pkg-config",
    "libmariadb-dev": "/usr/bin/mariadb_config",
}
PROXY = {"nginx": "/usr/sbin/nginx"}
BROWSER = {"chromium": "/usr/bin/chromium"}


class CannotGoOn(Exception):
    """Something only the user can put right; the message says what."""


def say(text: str) -> None:
    """One line of progress."""
    print(f"recitant: {text}", file=sys.stderr, flush=True)


def followed(
    command: Sequence[str], what: str, step: str, total: int | None, environment: dict[str, str] | None = None
) -> bool:
    """Run a package manager; whether it succeeded. What it says goes to a log, how far it is to the console.

    Args:
        what: for the console.
        step: pattern of the lines that count, one a package.
        total: packages that there will be; None where that is not known.
    """
    SETUP_LOG.parent.mkdir(parents=True, exist_ok=True)
    counts, n, said_at = re.compile(step), 0, time.monotonic()
    with SETUP_LOG.open("a") as log:
        log.write(f"--- {' '.join(command)}\n")
        with subprocess.Popen(
            command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace"
        ) as process:
            assert process.stdout is not None
            for line in process.stdout:
                log.write(line)
                n += bool(counts.match(line))
                if n and time.monotonic() - said_at >= _SAID_EVERY_S:
                    said_at = time.monotonic()
                    say(f"{what}: {n} of {total}" if total and n <= total else f"{what}: {n}")
    return process.returncode == 0


def require_python() -> None:
    """Nothing, on Python 3.11 or newer with venv.

    Raises:
        CannotGoOn: an older Python.
    """
    if sys.version_info < (3, 11):  # noqa: UP036  this file is what runs on whatever Python there is
        raise CannotGoOn("Python 3.11 or newer is needed; Debian 12 has it as python3.")


def install_packages(wanted: dict[str, str]) -> None:
    """Debian packages whose program is missing, installed through apt-get; with sudo when not root.

    Raises:
        CannotGoOn: neither root nor sudo, no apt-get, or the installation fails.
    """
    missing = [name for name, program in wanted.items() if not Path(program).exists()]
    if not missing:
        return
    if shutil.which("apt-get") is None:
        raise CannotGoOn(f"these are missing and there is no apt-get to install them: {', '.join(missing)}")
    prefix: list[str] = []
    if os.geteuid() != 0:
        if shutil.which("sudo") is None:
            raise CannotGoOn(
                f"Debian packages are missing: {' '.join(missing)}. Run as root: apt-get install {' '.join(missing)}"
            )
        prefix = ["sudo"]
    say(f"installing Debian packages: {', '.join(missing)}")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    followed([*prefix, "apt-get", "update", "-q"], "package lists", r"(Get|Hit):", None, environment)
    install = [*prefix, "apt-get", "install", "-y", "-q", "--no-install-recommends", *missing]
    if not followed(install, "Debian packages set up", r"Setting up ", None, environment):
        raise CannotGoOn(f"apt-get could not install {' '.join(missing)}. Its log is {SETUP_LOG}.")


def make_environment(
    *, with_dev: bool = False, with_words: bool = False, with_store: bool = False, with_mutation: bool = False
) -> None:
    """The virtual environment with exactly the pinned, hashed packages; nothing to do when it has them already.

    Args:
        with_dev: what the tests need, words and a shared store too.
        with_words: what hears words and tells voices apart.
        with_store: what reaches a store of media that several machines share.
        with_mutation: what puts faults into the core.

    Raises:
        CannotGoOn: pip fails.
    """
    groups = ["run", *(["words", "voices"] if with_words or with_dev else [])]
    groups += [*(["store"] if with_store or with_dev else []), *(["dev"] if with_dev else [])]
    groups += ["mutate"] if with_mutation else []
    missing = [group for group in groups if not (PYTHON.exists() and _stamp(group).exists())]
    if not missing:
        return
    headers = Path(sysconfig.get_path("include")) / "Python.h"
    install_packages({**BUILD, "python3-dev": str(headers)})
    if not PYTHON.exists():
        say("making the Python environment")
        try:
            venv.create(VENV, with_pip=True)
        except (subprocess.CalledProcessError, OSError) as error:
            install_packages({"python3-venv": "/nonexistent"})
            shutil.rmtree(VENV, ignore_errors=True)
            if subprocess.run([sys.executable, "-m", "venv", str(VENV)], check=False).returncode != 0:
                raise CannotGoOn("the Python environment could not be made; see above.") from error
    together = [group for group in groups if group != "voices"]
    total = sum(text.count("==") for text in (_pins(group).read_text() for group in together))
    what = "words packages" if "words" in missing and "run" not in missing else "Python packages"
    say(f"installing {total} {what}")
    _install([argument for group in together for argument in ("-r", str(_pins(group)))], what, total)
    if "voices" in missing:
        _install(["--no-deps", "-r", str(_pins("voices"))], what, None)
    for group in groups:
        for old in VENV.glob(f".has-{group}-*"):
            old.unlink()
        _stamp(group).touch()


def add_words(*, with_store: bool) -> None:
    """Install what transcribes, beside an application that runs; its exit code is 1 where that fails."""
    try:
        make_environment(with_words=True, with_store=with_store)
    except CannotGoOn as error:
        say(f"transcription is not available: {error}")
        sys.exit(1)


def _pins(group: str) -> Path:
    return ROOT / "requirements" / f"{group}.txt"


def _stamp(group: str) -> Path:
    return VENV / f".has-{group}-{hashlib.sha256(_pins(group).read_bytes()).hexdigest()[:16]}"


def _install(arguments: list[str], what: str, total: int | None) -> None:
    # Compiled when first imported: most of what packages bring along never is.
    command = [str(PYTHON), "-m", "pip", "install", "--no-compile", "--progress-bar", "off"]
    command += ["--disable-pip-version-check", "--require-hashes"]
    if not followed(command + arguments, f"{what} fetched", r"Collecting |Requirement already", total):
        raise CannotGoOn(f"pip could not install the Python packages. Its log is {SETUP_LOG}.")


def make_script_tools() -> None:
    """What checks our scripts: the pinned packages under frontend/node_modules; nothing to do when they are there.

    Raises:
        CannotGoOn: npm is missing and cannot be installed, or fails.
    """
    found = {"nodejs": shutil.which("node"), "npm": shutil.which("npm")}
    install_packages({package: program or "/nonexistent" for package, program in found.items()})
    stamp = FRONTEND / "node_modules" / ".made-from"
    wanted = hashlib.sha256((FRONTEND / "package-lock.json").read_bytes()).hexdigest()
    if stamp.exists() and stamp.read_text() == wanted:
        return
    say("installing what checks the scripts")
    command = ["npm", "ci", "--ignore-scripts", "--no-progress", "--no-audit", "--no-fund", "--loglevel", "error"]
    if subprocess.run(command, cwd=FRONTEND, check=False).returncode != 0:
        raise CannotGoOn("npm could not install what checks the scripts; its message stands above.")
    stamp.write_text(wanted)
