"""CPU of the server for an edit and its answer, in a programme of 1,000 clips: ./recitant bench answers.

Writes docs/benchmarks-answers.md. Not collected by the tests. The same programme as in bench/pages; no browser, no
network, one process.
"""

import json
import re
import time
from pathlib import Path

import numpy as np
import pytest

from bench.pages import long_film, no_jobs  # noqa: F401  fixtures
from recitant_io.media.machine import collect_rarely
from recitant_web.desk.edits.ducking import AddDuck
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db(transaction=True)
N_EDITS = 9
ASKED_MS = 60
PAGE = Path(__file__).resolve().parents[2] / "docs" / "benchmarks-answers.md"
HEAD = [
    "# Answers of the server",
    "",
    "Written by `./recitant bench answers`: processor time of one process for whole requests of a page that holds",
    "a state, in a film of 1,000 clips on 24 tracks over 90 minutes; medians of nine. An edit is a gain of one clip",
    "and its answer; then the page asks for the figures of the new mix, and again, when nothing is new.",
    "",
    f"| page | edit and answer (asked {ASKED_MS} ms) | figures after it | nothing new | sizes | |",
    "| --- | --- | --- | --- | --- | --- |",
]
ROWS: list[str] = []
PAGES = [("Level", "level", "level/state", "level/edits"), ("Balance", "balance", "state", "edits")]


class Asking:
    """A page that holds a state, as its tag, and asks with it."""

    def __init__(self, client, film, page, state, edits):
        self._client = client
        self._state, self._edits = (f"/programmes/{film.pk}/{name}" for name in (state, edits))
        html = client.get(f"/programmes/{film.pk}/{page}").content.decode()
        self._tag = re.search(r'data-tag="(\w+)"', html)[1]

    def edit(self, **data):
        """CPU of an edit in ms, size of its answer in bytes."""
        return self._spent(self._client.post, self._edits, data, content_type="application/json")

    def ask(self):
        """CPU of a question for the state in ms, size of its answer in bytes."""
        return self._spent(self._client.get, self._state)

    def _spent(self, send, *args, **more):
        began = time.process_time()
        response = send(*args, headers={"Recitant-Have": self._tag}, **more)
        spent_ms = 1_000 * (time.process_time() - began)
        if response.status_code == 200:
            self._tag = json.loads(response.content)["tag"]
        assert response.status_code in (200, 304), response.content
        return spent_ms, len(response.content)


def asked_of(client, film, page):
    """Medians of CPU in ms and sizes in bytes: of an edit and its answer, of the figures after it, of nothing new."""
    asking = Asking(client, film, *page[1:])
    for _ in range(400):  # until every clip has been measured once
        if not client.get(f"/programmes/{film.pk}/level/peaks").json()["left"]:
            break
    for _ in range(8):
        asking.ask()
    ids = [clip.clip_id for track in plan_of(film).tracks for clip in track.clips]
    ids = ids[:: max(1, len(ids) // 11)]
    edits, figures, idle = [], [], []
    for index in range(N_EDITS):
        revision = Programme.objects.values_list("revision", flat=True).get(pk=film.pk)
        edits.append(asking.edit(kind="level", revision=revision, ids=[ids[index % len(ids)]], by_db=-1.0 - index))
        figures.append(asking.ask())
        idle.append(asking.ask())
    return [np.median(found, axis=0) for found in (edits, figures, idle)]


@pytest.mark.parametrize("with_ducks", [False, True])
@pytest.mark.parametrize("page", PAGES, ids=[page[0] for page in PAGES])
def test_answers(long_film, account, client, page, with_ducks):  # noqa: F811
    client.force_login(account[0])
    collect_rarely()  # as the server does
    film = Programme.objects.get(pk=long_film.pk)
    if with_ducks:
        for role in ("music", "effects", "atmosphere"):
            AddDuck(revision=film.revision, target="stem", id=role).carry_out(film, account[0])
            film = Programme.objects.get(pk=long_film.pk)
    (edit_ms, edit_size), (figures_ms, figures_size), (idle_ms, _) = asked_of(client, film, page)
    ducks = "three stems give way" if with_ducks else "nothing gives way"
    verdict = "met" if edit_ms <= ASKED_MS else "**missed**"
    ROWS.append(
        f"| {page[0]}, {ducks} | {edit_ms:.0f} ms | {figures_ms:.0f} ms | {idle_ms:.0f} ms"
        f" | {edit_size / 1_000:.1f}, {figures_size / 1_000:.1f} kB | {verdict} |"
    )
    print(f"\n{ROWS[-1]}")
    PAGE.write_text("\n".join([*HEAD, *ROWS, ""]), encoding="utf-8")
