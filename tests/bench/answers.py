"""CPU of the server for an edit and its answer, in a programme of 1,000 clips: ./recitant bench answers.

Writes docs/benchmarks-answers.md. Not collected by the tests. The same programme as in bench/pages; no browser, no
network, one process.
"""

import json
import time
from pathlib import Path

import numpy as np
import pytest

from bench.pages import long_film, no_jobs  # noqa: F401  fixtures
from recitant_web.balance.queries import desk_state
from recitant_web.desk.bridge.plans import plan_of
from recitant_web.desk.edits.ducking import AddDuck
from recitant_web.desk.edits.gains import Level
from recitant_web.level.queries import level_state
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db(transaction=True)
N_EDITS = 9
PAGE = Path(__file__).resolve().parents[2] / "docs" / "benchmarks-answers.md"
HEAD = [
    "# Answers of the server",
    "",
    "Written by `./recitant bench answers`: processor time of one process for a gain of one clip and for the answer",
    "that the page gets, in a film of 1,000 clips on 24 tracks over 90 minutes; medians of nine.",
    "",
    "| page | edit | answer | asked | size | |",
    "| --- | --- | --- | --- | --- | --- |",
]
ROWS: list[str] = []


def spent(work):
    """CPU of some work, in milliseconds, and what it gave."""
    began = time.process_time()
    found = work()
    return 1_000 * (time.process_time() - began), found


@pytest.mark.parametrize("with_ducks", [False, True])
@pytest.mark.parametrize(("name", "state"), [("Level", level_state), ("Balance", desk_state)])
def test_answers(long_film, account, name, state, with_ducks):  # noqa: F811
    film = Programme.objects.get(pk=long_film.pk)
    if with_ducks:
        for role in ("music", "effects", "ambience"):
            AddDuck(revision=film.revision, target="stem", id=role).carry_out(film, account[0])
            film = Programme.objects.get(pk=long_film.pk)
    for _ in range(8):
        state(film)  # until every clip has been measured once
    plan = plan_of(film)
    ids = [clip.clip_id for track in plan.tracks for clip in track.clips][::97]
    edits, answers, sizes = [], [], []
    for index in range(N_EDITS):
        film = Programme.objects.get(pk=long_film.pk)
        edit = Level(revision=film.revision, ids=[ids[index % len(ids)]], by_db=-1.0 - index)
        took, _ = spent(lambda edit=edit, film=film: edit.carry_out(film, account[0]))
        edits.append(took)
        took, data = spent(lambda: json.dumps(state(Programme.objects.get(pk=long_film.pk))))
        answers.append(took)
        sizes.append(len(data))
    ducks = "three stems give way" if with_ducks else "nothing gives way"
    edit_ms, answer_ms = np.median(edits), np.median(answers)
    ROWS.append(
        f"| {name}, {ducks} | {edit_ms:.0f} ms | {answer_ms:.0f} ms | 60 ms | {sizes[-1] / 1_000:.0f} kB"
        f" | {'met' if answer_ms <= 60 else '**missed**'} |"
    )
    print(f"\n{ROWS[-1]}")
    PAGE.write_text("\n".join([*HEAD, *ROWS, ""]), encoding="utf-8")
