"""What small loudspeakers and stand-ins of platforms give, against the filters' own law and against the whole."""

import numpy as np
import pytest

from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.playback.platforms import PLATFORMS, platform_results
from recitant_core.delivery.playback.playback import (
    LOUDSPEAKERS,
    SETTLE_SAMPLES,
    platform_gain,
    through_loudspeaker,
    through_platform,
)
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES
from recitant_core.measure.meter import measure
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_text.playback import PLAYBACK_WORDS, playback_sentence
from signals import MemorySource, programme, sine

SPEAKERS = {speaker.name: speaker for speaker in LOUDSPEAKERS}


def given_db(speaker, frequency_hz):
    """Gain of a loudspeaker at a frequency, from a tone through it."""
    tone = sine(-20.0, 2.0, frequency_hz)
    heard = through_loudspeaker(tone, SPEAKERS[speaker])
    return 10.0 * np.log10(np.square(heard).mean() / np.square(tone[SETTLE_SAMPLES:]).mean())


@pytest.mark.parametrize("name", SPEAKERS)
def test_a_loudspeaker_gives_half_the_power_at_its_edges_and_falls_as_it_says(name):
    # Butterworth: -3.01 dB at the edge; n poles take 10 log10(1 + 2^2n) dB an octave away: 18.1 for 3, 12.3 for 2.
    speaker = SPEAKERS[name]
    taken_db = {18: 18.1, 12: 12.3}[speaker.low_db_per_octave]
    assert given_db(name, speaker.low_hz) == pytest.approx(-3.0, abs=0.1)
    assert given_db(name, speaker.low_hz / 2) == pytest.approx(-taken_db, abs=0.1)
    assert given_db(name, 2_000.0) == pytest.approx(0.0, abs=0.1)
    assert given_db(name, speaker.high_hz) == pytest.approx(-3.0, abs=0.1)


def test_one_loudspeaker_loses_what_differs_between_the_sides():
    sides = sine(-20.0, 2.0, 2_000.0) * np.float32([1.0, -1.0])
    assert np.abs(through_loudspeaker(sides, SPEAKERS["phone"])).max() < 1e-6
    assert np.abs(through_loudspeaker(sides, SPEAKERS["television"])).max() > 0.05


@pytest.mark.parametrize("name", SPEAKERS)
def test_a_stretch_through_a_loudspeaker_is_that_of_the_whole(name):
    audio = programme(3, 8.0)
    whole = through_loudspeaker(audio, SPEAKERS[name])
    at = 3 * RATE_HZ + 123
    part = through_loudspeaker(audio[at : at + SETTLE_SAMPLES + 5_000], SPEAKERS[name])
    assert np.abs(part - whole[at : at + 5_000]).max() < 1e-7


def rendered(audio):
    clip = Clip("a", "s", 0, 0, len(audio))
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    return render_once(plan, {"s": MemorySource("s", audio)}, MixInMemory())


@pytest.mark.parametrize("platform", PLATFORMS, ids=lambda one: one.name)
def test_what_is_heard_through_a_platform_is_as_loud_as_its_figures_say(platform):
    audio = programme(5, 20.0)
    known = rendered(audio)
    gain = platform_gain(platform, known.summary, known.untouched.readings, Master())
    silence = [np.zeros((n, 2), np.float32) for n in (BEFORE_SAMPLES, AFTER_SAMPLES)]
    heard = through_platform(np.concatenate([silence[0], audio, silence[1]]), gain)
    found = platform_results(known.summary, known.untouched.readings, Master())[PLATFORMS.index(platform)]
    assert measure(heard, STEREO).integrated_lufs == pytest.approx(found.heard_lufs, abs=0.3)
    assert measure(audio, STEREO).integrated_lufs + gain.heard_db == pytest.approx(found.heard_lufs, abs=0.1)


def test_while_a_mix_is_being_measured_its_loudness_alone_says_how_far_it_is_turned():
    known = rendered(sine(-9.0, 5.0))
    down = next(one for one in PLATFORMS if one.name == "turns-down")
    gain = platform_gain(down, None, known.untouched.readings, Master(2.0))
    assert gain.turned_db == pytest.approx(-7.0, abs=0.1)
    assert platform_gain(down, None, rendered(np.zeros((RATE_HZ, 2), np.float32)).untouched.readings, Master()) is None


def test_every_way_has_words_and_says_what_it_does():
    named = {name for ways in PLAYBACK_WORDS.values() for name in ways}
    assert named == {*SPEAKERS, *(platform.name for platform in PLATFORMS), "codec-96"}
    assert playback_sentence(-6.24, 6.2, -1.3) == (
        "6.2 LU quieter than the mix, turned up by 6.2 dB to match; both sides in one take 1.3 LU."
    )
    assert playback_sentence(0.01, 0.0, None) == "As loud as the mix."
    assert playback_sentence(None, 0.0, None) == "Too quiet here to be compared."


@pytest.mark.parametrize(("name", "is_mono"), [("phone", True), ("television", False), ("kitchen-radio", True)])
def test_a_phone_and_a_kitchen_radio_have_one_loudspeaker(name, is_mono):
    one_side = sine(-20, 2.0, 1_000.0)
    one_side[:, 1] = 0.0
    heard = through_loudspeaker(one_side, SPEAKERS[name])
    assert np.array_equal(heard[:, 0], heard[:, 1]) == is_mono
