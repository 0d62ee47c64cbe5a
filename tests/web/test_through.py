"""Hearing a mix through loudspeakers, a codec and stand-ins of platforms: blocks, loudness, what is refused."""

import io
import json
from itertools import pairwise

import numpy as np
import pytest
import soundfile

from recitant_core.measure.meter import measure
from recitant_core.units.channels import STEREO
from recitant_text.playback import PLAYBACK_WORDS

SECOND = 48_000
WAYS = [name for ways in PLAYBACK_WORDS.values() for name in ways]
EDGES = [0, 17_000, 65_000, 65_001, 200_000, 384_000]


@pytest.fixture
def heard(signed_in, film):
    """Blocks of a programme as they are heard, with what comes beside them."""

    def blocks(edges, **more):
        values, readings = [], []
        for start, end in pairwise(edges):
            answer = signed_in.get(f"/programmes/{film.pk}/sound", {"start": start, "length": end - start, **more})
            assert answer.status_code == 200, answer.content
            values.append(soundfile.read(io.BytesIO(answer.content), dtype="float32")[0])
            readings.append(json.loads(answer["Recitant-Readings"]))
        return np.concatenate(values), readings

    return blocks


@pytest.mark.parametrize("way", WAYS)
def test_blocks_end_to_end_are_the_whole_however_they_are_asked_for(heard, way):
    whole, _ = heard([0, 384_000], through=way, hear="handed-over")
    pieces, _ = heard(EDGES, through=way, hear="handed-over")
    assert np.abs(whole).max() > 0.01
    assert np.abs(pieces - whole).max() < 1e-6


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("hear", ["mix", "handed-over"])
def test_each_way_is_as_loud_as_the_mix_unless_its_own_loudness_is_wanted(heard, way, hear):
    at = {"hear": hear, "through_at": 4 * SECOND}
    mix, _ = heard([0, 384_000], hear=hear)
    matched, readings = heard([0, 384_000], through=way, **at)
    own, _ = heard([0, 384_000], through=way, through_level="own", **at)
    loudness = [measure(audio, STEREO).integrated_lufs for audio in (mix, matched, own)]
    assert loudness[1] == pytest.approx(loudness[0], abs=0.3)
    words = readings[0]["through"]
    if abs(loudness[2] - loudness[0]) > 0.3:
        assert ("quieter" if loudness[2] < loudness[0] else "louder") in words
    assert np.abs(matched - mix).max() < 1.0


def test_a_phone_takes_the_bass_and_both_sides(heard):
    audio, _ = heard([SECOND, 5 * SECOND], through="phone")
    assert np.array_equal(audio[:, 0], audio[:, 1])
    mix, _ = heard([SECOND, 5 * SECOND])
    spectra = [np.abs(np.fft.rfft(one.mean(axis=1))) for one in (audio, mix)]
    low = slice(0, 4 * 200)  # 200 Hz in bins of a quarter of a hertz
    assert np.square(spectra[0][low]).sum() < 0.02 * np.square(spectra[1][low]).sum()


def test_a_codec_changes_the_samples_and_not_their_time(heard):
    mix, _ = heard([SECOND, 4 * SECOND])
    coded, _ = heard([SECOND, 4 * SECOND], through="codec-96", through_level="own")
    differs = [np.square(np.roll(coded, by, axis=0) - mix).mean() for by in (-24, -1, 0, 1, 24)]
    assert 0.0 < min(differs) == differs[2] < 0.2 * np.square(mix).mean()


def test_any_specification_of_the_sheet_can_be_heard_as_it_is_handed_over(heard):
    own, _ = heard([SECOND, 4 * SECOND], hear="handed-over")
    louder, _ = heard([SECOND, 4 * SECOND], hear="handed-over", spec="online-14")
    levels = [measure(audio, STEREO).integrated_lufs for audio in (own, louder)]
    assert levels[1] - levels[0] > 5.0


@pytest.mark.parametrize(
    ("asked", "words"),
    [({"through": "gramophone"}, "no such way of listening"), ({"hear": "handed-over", "spec": "nowhere"}, "nowhere")],
)
def test_what_there_is_not_is_refused_in_a_sentence(signed_in, film, asked, words):
    answer = signed_in.get(
        f"/programmes/{film.pk}/sound", {"start": 0, "length": SECOND, **asked}, headers={"accept": "application/json"}
    )
    assert answer.status_code in (409, 422)
    assert words in answer.json()["sentence"]


def test_both_pages_offer_every_way(signed_in, film):
    for page in ("balance", "hand-over"):
        text = signed_in.get(f"/programmes/{film.pk}/{page}").content.decode()
        assert all(f'value="{way}"' in text for way in WAYS)
