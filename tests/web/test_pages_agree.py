"""Promise 3 across pages: Balance, Level, its advice, evening out and the first balance mean one loudness of a clip."""

import json

import numpy as np
import pytest

from conftest import wav_bytes
from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import Choices
from recitant_core.units.roles import Role
from recitant_web.balance.first_balance import _material
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme.actions import bring_in
from recitant_web.programme.models import Source
from recitant_web.programme.queries import spec_of
from signals import programme, sine

pytestmark = pytest.mark.django_db
SECOND = 48_000


@pytest.fixture
def slammed(film, after_commit):
    """The film with a door slam among the effects, and a slate clap in a second take of dialogue."""
    quiet = sine(-70, 6.0, 200.0, n_channels=1)
    slam = quiet.copy()
    burst = np.random.default_rng(1).normal(size=(SECOND // 4, 1)) * 0.2
    slam[2 * SECOND : 2 * SECOND + len(burst)] += burst.astype(np.float32)
    take = programme(23, 6.0, 1) * np.float32(0.3)
    take[SECOND // 2 : SECOND // 2 + 2_400] += np.float32(0.9)
    for role, name, audio in (("effects", "slam.wav", slam), ("dialogue", "take.wav", take)):
        data = wav_bytes(audio)
        with after_commit(), after_commit():
            bring_in(film, role, name, len(data), [data])
    Source.objects.filter(programme=film, role="dialogue").update(
        speech=[[SECOND, 2 * SECOND, 0.9], [220_800, SECOND, 0.8]], is_listened=True
    )
    Source.objects.filter(name="score.wav").update(speech=[[0, 2 * SECOND, 0.7]])  # a voice in a song is no dialogue
    film.refresh_from_db()
    return film


def _edit(client, film, path, **data):
    film.refresh_from_db()
    body = json.dumps({"revision": film.revision, **data})
    accept = {"accept": "application/json"}
    answer = client.post(f"/programmes/{film.pk}/{path}", body, "application/json", headers=accept)
    assert answer.status_code == 200, answer.content
    film.refresh_from_db()
    return answer.json()


def test_every_page_shows_the_same_loudness_of_a_clip(signed_in, slammed, after_commit):
    rows = {row["id"]: row for row in signed_in.get(f"/programmes/{slammed.pk}/level/state").json()["clips"]}
    staves = signed_in.get(f"/programmes/{slammed.pk}/state").json()["staves"]
    shown = {clip["id"]: clip for stave in staves for clip in stave["clips"]}
    assert rows.keys() == shown.keys() and len(rows) == 5
    for clip_id, row in rows.items():
        assert row["level_lufs"] == pytest.approx(shown[clip_id]["in_mix_lufs"], abs=1e-9), row["name"]
        asked_db = row["gain_db"] + row["aim_lufs"] - row["level_lufs"]
        assert row["advised_db"] == pytest.approx(min(asked_db, 24.0), abs=0.01)
    plan = plan_of(slammed)
    done = first_balance(_material(slammed), Choices(steps=("even-out",)))
    told = {c["name"]: c["from_lufs"] for c in done.steps[-1].changes if c["what"] == "clip"} if done.steps else {}
    names = {c.clip_id: c.name for t in plan.tracks if t.role is Role.DIALOGUE for c in t.clips}
    assert set(told) == set(names.values())
    for clip_id, name in names.items():
        assert told[name] == pytest.approx(rows[clip_id]["level_lufs"], abs=0.051)


def test_outliers_are_told_where_somebody_speaks_and_nowhere_else(signed_in, slammed):
    rows = {row["name"]: row for row in signed_in.get(f"/programmes/{slammed.pk}/level/state").json()["clips"]}
    assert rows["slam"]["outliers"] == [] and len(rows["take"]["outliers"]) >= 1
    # The slam is what its clip sounds like: some 30 LU over the silence around it.
    assert rows["slam"]["level_lufs"] > -40.0


def test_advice_followed_is_advice_fulfilled(signed_in, slammed, after_commit):
    rows = signed_in.get(f"/programmes/{slammed.pk}/level/state").json()["clips"]
    gains = {row["id"]: row["advised_db"] for row in rows if abs(row["advised_db"]) < 24.0}
    with after_commit():
        after = _edit(signed_in, slammed, "level/edits", kind="gains", gains=list(gains.items()))
    for row in after["clips"]:
        if row["id"] in gains:
            assert row["level_lufs"] == pytest.approx(row["aim_lufs"], abs=0.02), row["name"]
    assert spec_of(slammed).aim_lufs(Role.DIALOGUE) == next(r["aim_lufs"] for r in rows if r["role"] == "dialogue")
