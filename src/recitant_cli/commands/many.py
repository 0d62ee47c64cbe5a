"""Several plans mixed in one go, a folder each; one that cannot be mixed stops none of the others."""

import io
import multiprocessing
import sys
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from recitant_core.errors import PlanError, RecitantError
from recitant_core.units.threads import use_threads
from recitant_io.media.machine import n_cores
from recitant_text.sentences import sentence

Mixed = Callable[[Path, Path], int]
"""Mixes a plan into a folder; its exit code."""
_COULD_NOT = 2


def mix_many(plans: Sequence[Path], out: Path, jobs: int, mixed: Mixed) -> int:
    """The worst exit code of all.

    Args:
        plans: each goes into a folder of its name, or of its folder's where names are alike.
        out: in which those folders stand.
        jobs: so many side by side, each in a process of its own.
        mixed: can be sent to another process.

    Raises:
        PlanError: two of them would go into one folder, or no number of jobs.
    """
    if jobs < 1:
        raise PlanError("no_jobs", field="jobs")
    works = list(zip(plans, folders_of(plans, out), strict=True))
    worst = 0
    for code, told, wrong in _done(works, min(jobs, len(works)), mixed):
        print(told, end="")
        print(wrong, end="", file=sys.stderr)
        worst = max(worst, code)
    return worst


def folders_of(plans: Sequence[Path], out: Path) -> list[Path]:
    """A folder for each plan.

    Raises:
        PlanError: two of them would go into one.
    """
    counted = Counter(plan.stem for plan in plans)
    names = [plan.stem if counted[plan.stem] == 1 else plan.absolute().parent.name for plan in plans]
    twice = next((name for name, n in Counter(names).items() if n > 1), None)
    if twice is not None:
        raise PlanError("two_plans_of_one_name", field="plan", found=twice)
    return [out / name for name in names]


def _done(works: Sequence[tuple[Path, Path]], jobs: int, mixed: Mixed) -> Iterator[tuple[int, str, str]]:
    if jobs == 1:
        for plan, folder in works:
            yield _one(mixed, plan, folder, n_cores())
        return
    threads = max(1, n_cores() // jobs)
    with ProcessPoolExecutor(jobs, mp_context=multiprocessing.get_context("spawn")) as pool:
        for future in [pool.submit(_one, mixed, plan, folder, threads) for plan, folder in works]:
            yield future.result()


def _one(mixed: Mixed, plan: Path, folder: Path, threads: int) -> tuple[int, str, str]:
    """Exit code, and what was said to both streams."""
    use_threads(threads)
    told, wrong = io.StringIO(), io.StringIO()
    with redirect_stdout(told), redirect_stderr(wrong):
        try:
            code = mixed(plan, folder)
        except RecitantError as error:
            print(f"recitant: {plan}: {sentence(error)}", file=wrong)
            code = _COULD_NOT
        except OSError as error:
            print(f"recitant: {plan}: {error.strerror or error}.", file=wrong)
            code = _COULD_NOT
    return code, told.getvalue(), wrong.getvalue()
