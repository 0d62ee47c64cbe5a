"""Recordings of one moment, through another microphone, room and noise, beside recordings of others."""

from itertools import combinations

import numpy as np
import pytest

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.measure.moments import CLOCKS_APART_S, Recorded, same_moments, settled_offset
from recitant_core.units.channels import MONO
from recitant_core.units.clock import RATE_HZ
from signals import MemorySource
from signals.voices import from_afar, voice

VOICES = ("prompts-en.ogg", "prompts-fr.ogg", "reading.flac")
S = RATE_HZ


def recorded(key, audio, reference_samples=None):
    mono = np.asarray(audio, np.float32)[:, None]
    energy, _ = k_energies(mono, KState.at_rest(MONO, RATE_HZ))
    return Recorded(key, energy[:, None], reference_samples)


@pytest.mark.parametrize("lead_s", [0.0, 3.2468, -7.5])
@pytest.mark.parametrize("name", VOICES)
def test_a_camera_across_the_room_is_found_within_half_a_millisecond(name, lead_s):
    near = voice(name)
    far = from_afar(near, lead_s, -10.0)
    (found,) = same_moments([recorded("far", far), recorded("near", near)])
    assert (found.first_key, found.second_key) == ("near", "far")  # the clearer one first
    assert found.offset_samples == pytest.approx(-lead_s * S, abs=0.04 * S)
    audio = {"near": near, "far": far}
    sources = {key: MemorySource(key, np.asarray(a, np.float32)[:, None]) for key, a in audio.items()}
    settled = settled_offset(found, sources, {key: len(a) for key, a in audio.items()})
    assert settled == pytest.approx(-lead_s * S, abs=0.0005 * S)


def test_recordings_of_other_moments_are_not_the_same():
    long = {name: np.tile(voice(name), 6) for name in VOICES}
    assert same_moments([recorded(name, audio) for name, audio in long.items()]) == ()
    for name, other in combinations(("music-calm.ogg", "fire-ambience.ogg", *VOICES), 2):
        pair = [recorded(one, np.tile(voice(one), 1 + 60 * S // len(voice(one)))) for one in (name, other)]
        assert same_moments(pair) == (), (name, other)


def test_a_sentence_said_again_and_a_short_clip_are_not_the_same_moment():
    sentences = voice("prompts-en.ogg")
    first, again = sentences[: 12 * S], sentences[14 * S : 30 * S]
    assert same_moments([recorded("one", first), recorded("two", again)]) == ()
    assert same_moments([recorded("one", sentences[: 8 * S]), recorded("two", sentences[: 8 * S])]) == ()
    assert same_moments([recorded("one", np.zeros(20 * S)), recorded("two", np.zeros(20 * S))]) == ()
    assert same_moments([recorded("none", np.zeros(0)), recorded("two", sentences)]) == ()


def test_the_time_of_day_finds_what_noise_hides_and_says_nothing_alone():
    near = voice("prompts-fr.ogg")
    far = from_afar(near, 3.0, 12.0)
    day = 36_000 * S
    by_sound = same_moments([recorded("near", near), recorded("far", far)])
    by_clock = same_moments([recorded("near", near, day + 3 * S), recorded("far", far, day)])
    assert by_sound == () and [one.offset_samples / S for one in by_clock] == [pytest.approx(-3.0, abs=0.05)]
    wrong = round((CLOCKS_APART_S + 2.0) * S)
    assert same_moments([recorded("near", near, day + 3 * S + wrong), recorded("far", far, day)]) == ()
    # Clocks that were never set say nothing against the sound.
    clear = from_afar(near, 3.0, -10.0)
    assert same_moments([recorded("near", near, 0), recorded("far", clear, day)]) != ()
    others = [recorded("a", voice("prompts-en.ogg"), day), recorded("b", voice("prompts-fr.ogg"), day)]
    assert same_moments(others) == ()
