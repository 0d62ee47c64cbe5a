"""Takes that match, on the Level page: to one take or to the middle, undone in one step, refused with the reason."""

import json

import numpy as np
import pytest

from conftest import wav_bytes
from recitant_web.desk.models import Clip
from recitant_web.programme.actions import bring_in
from recitant_web.programme.models import Source
from recitant_web.shared.caches import clear_caches
from signals.balance import recorded
from signals.takes import VOICES

pytestmark = pytest.mark.django_db
SECOND = 48_000


def take(number, highs_db):
    audio = recorded(VOICES / f"narration-{number:02d}.flac")[: 5 * SECOND, 0]
    spectrum, freq_hz = np.fft.rfft(audio), np.fft.rfftfreq(len(audio), 1 / SECOND)
    made = np.fft.irfft(spectrum * np.where(freq_hz > 3_000, 10 ** (highs_db / 20), 1.0), len(audio))
    noise = np.random.default_rng(number).standard_normal(len(audio)) * 3e-4
    return (made * 0.5 + noise).astype(np.float32)[:, None]


@pytest.fixture
def edit(signed_in, film, after_commit):
    """Posts edits of a film with three takes of one person."""
    for number, highs_db in ((1, 0.0), (2, -6.0), (3, 0.0)):
        data = wav_bytes(take(number, highs_db))
        with after_commit(), after_commit(), after_commit():
            bring_in(film, "dialogue", f"take {number}.wav", len(data), [data])
    Source.objects.filter(name__startswith="take").update(speech=[[4_800, 4 * SECOND, 1.0]], is_listened=True)

    def post(kind, status=200, **more):
        film.refresh_from_db()
        answer = signed_in.post(
            f"/programmes/{film.pk}/level/edits",
            json.dumps({"revision": film.revision, "kind": kind, **more}),
            "application/json",
            headers={"accept": "application/json"},
        )
        assert answer.status_code == status, answer.content
        return answer.json()

    post("speaker", ids=ids(), name="Ada")
    return post


def ids():
    return [str(Clip.objects.get(name=f"take {number}").pk) for number in (1, 2, 3)]


def bands(clip_id):
    chain = Clip.objects.get(pk=clip_id).chain
    values = next((one["values"] for one in chain if one["kind"] == "equaliser"), {})
    return [values[name] for name in sorted(values) if name.endswith("gain_db")]


def test_a_take_goes_to_the_tone_of_another_and_back(edit):
    first, second, _ = ids()
    edit("match-tone", ids=[second], to_id=first)
    assert max(bands(second)) >= 2.5 and bands(first) == []
    edit("undo")
    assert bands(second) == []


def test_all_takes_of_a_person_go_to_their_middle_in_one_press(edit):
    first, second, third = ids()
    edit("match-tone", ids=[first, second, third])
    assert max(bands(second)) >= 1.5
    found = [bands(clip) for clip in (first, second, third)]
    assert all(abs(gain) <= 4.0 for one in found for gain in one), found
    edit("match-tone", ids=[first, second, third], status=409)  # done again there is nothing to do


def test_the_gain_goes_along_and_stays_a_first_balances_own(edit):
    first, second, _ = ids()
    Clip.objects.filter(pk=second).update(gain_db=2.0, balanced=[0.0, 2.0, False])
    clear_caches()
    edit("match-tone", ids=[second], to_id=first)
    found = Clip.objects.get(pk=second)
    assert found.gain_db != 2.0 and found.balanced[1] == pytest.approx(found.gain_db)


def test_what_cannot_be_matched_is_said(edit):
    first, second, _ = ids()
    voice = str(Clip.objects.get(name="voice").pk)
    Source.objects.filter(name="take 2.wav").update(speech=[[4_800, SECOND, 1.0]])
    clear_caches()
    assert "less than 2 s of speech" in edit("match-tone", 409, ids=[first], to_id=second)["sentence"]
    edit("speaker", ids=ids()[1:], name="Bo")
    assert "has two takes with 2 s" in edit("match-tone", 409, ids=[first])["sentence"]
    edit("match-tone", 400, ids=[], to_id=first)
    edit("match-tone", 404, ids=[first], to_id="999999")
    edit("match-tone", 404, ids=[first], to_id=first)
    assert voice not in (first, second) and bands(first) == []
