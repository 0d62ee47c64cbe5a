"""Makes what is missing of the demo: python demo/make.py FOLDER [--library-only].

Each part is a program of its own and appears whole or not at all, so a run that was cut short is taken up again. What
another revision made is made again: its lists may name what this one does not know.
"""

import ctypes
import hashlib
import signal
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).parent
PLANS = ("casting-the-tenor.json", "tenor-30-seconds.json")
PR_SET_PDEATHSIG = 1  # linux/prctl.h
PICTURE = "Casting the Tenor, picture.mp4"


MADE_FROM = "made-from"


def drop_what_another_revision_made(folder: Path) -> None:
    """Forget lists of recordings that other programs than these wrote; what was loaded from them stays noted."""
    digest = hashlib.sha256()
    for program in sorted(HERE.glob("*.py")):
        digest.update(program.read_bytes())
    for part in ("library", "demo"):
        stamp = folder / part / MADE_FROM
        if not stamp.exists() or stamp.read_text() != digest.hexdigest():
            for name in ("library.json", *PLANS):
                (folder / part / name).unlink(missing_ok=True)
            stamp.parent.mkdir(parents=True, exist_ok=True)
            stamp.write_text(digest.hexdigest())


def missing(folder: Path, *, is_library_only: bool) -> list[list[str]]:
    """Commands that make what is not there yet; the library first, since it is needed first."""
    commands = []
    if not (folder / "library" / "library.json").exists():
        commands.append([str(HERE / "library.py"), str(folder / "library")])
    if is_library_only:
        return commands
    if not all((folder / "demo" / name).exists() for name in PLANS):
        commands.append([str(HERE / "build.py"), str(folder / "demo")])
    if not (folder / "demo" / PICTURE).exists():
        commands.append([str(HERE / "picture.py"), str(folder / "demo" / PICTURE)])
    return commands


def main() -> int:
    """Run them one after the other; the exit code of the first that fails."""
    # Whoever asked for this may be killed; what is being made for them ends too.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
    end_with_parent()
    folder = Path(sys.argv[1])
    drop_what_another_revision_made(folder)
    for command in missing(folder, is_library_only="--library-only" in sys.argv[2:]):
        code = subprocess.run([sys.executable, *command], check=False, preexec_fn=end_with_parent).returncode
        if code:
            return code
    return 0


def end_with_parent() -> None:
    """Have this process end when the one that made it does, however that happens."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


if __name__ == "__main__":
    sys.exit(main())
