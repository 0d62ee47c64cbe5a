"""CPU of the server for an edit and its answer, in a programme of 1,000 clips: ./recitant bench answers.

Not collected by the tests. The same programme as in bench/pages; no browser, no network, one process.
"""

import json
import time

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
    ducks = " with three stems giving way" if with_ducks else ""
    print(
        f"\n{name}{ducks}: edit {np.median(edits):.0f} ms, answer {np.median(answers):.0f} ms"
        f" (least {min(answers):.0f}), {sizes[-1] / 1_000:.0f} kB"
    )
