"""Clicks, thumps, rooms, delays, width and pitch: each does what its name says, and no more."""

import math

import numpy as np
import pytest

from recitant_core.processors.chain import through_chain
from recitant_core.processors.kinds import ROOMS
from recitant_core.processors.model import Processor, ValuePoint
from recitant_core.processors.repair import clicks_in
from recitant_core.processors.space import room_response
from signals import programme, sine


def voice_like(seconds, level=0.1):
    """Low noise in syllables: nothing in it is as short as a click."""
    rng = np.random.default_rng(12)
    n = round(seconds * 48_000)
    spectrum = np.fft.rfft(rng.standard_normal(n))
    freq_hz = np.fft.rfftfreq(n, 1 / 48_000)
    spectrum *= (freq_hz > 100) * (freq_hz < 6_000) / np.maximum(freq_hz, 100)
    wave = np.fft.irfft(spectrum, n)
    wave *= level / np.abs(wave).max() * (0.6 + 0.4 * np.sin(2 * np.pi * 3 * np.arange(n) / 48_000))
    return np.repeat(wave.astype(np.float32)[:, None], 2, axis=1)


def with_clicks(audio, places):
    out = audio.copy()
    for at in places:
        out[at : at + 60] += (0.5 * np.hanning(60) * np.sin(2 * np.pi * 9_000 * np.arange(60) / 48_000))[
            :, None
        ].astype(np.float32)
    return out


def test_clicks_are_found_where_they_are_and_nowhere_else():
    audio = voice_like(4.0)
    places = [30_000, 77_777, 150_000]
    found = clicks_in(with_clicks(audio, places), 18.0, 6.0)
    assert len(found) == len(places)
    for (begin, end), at in zip(found, places, strict=True):
        assert begin <= at and end >= at + 60 and end - begin < 400
    assert clicks_in(audio, 18.0, 6.0) == []


def test_a_repaired_click_is_as_quiet_as_what_is_around_it():
    audio = voice_like(4.0)
    repaired = through_chain((Processor("clicks"),), with_clicks(audio, [77_777]), 0)
    assert np.abs(repaired[77_700:77_900]).max() < 2 * np.abs(audio[77_000:78_600]).max()
    assert np.array_equal(repaired[:70_000], audio[:70_000])


def test_a_thump_goes_and_the_voice_over_it_stays():
    audio = voice_like(4.0)
    n = 4_800
    bump = 0.6 * np.hanning(n) * np.sin(2 * np.pi * 28 * np.arange(n) / 48_000)
    bumped = audio.copy()
    bumped[90_000 : 90_000 + n] += bump[:, None].astype(np.float32)
    repaired = through_chain((Processor("clicks").with_values(what="thumps"),), bumped, 0)
    left = repaired[90_000 : 90_000 + n] - audio[90_000 : 90_000 + n]
    assert 10 * math.log10((left**2).mean() / (bump**2).mean()) < -12


@pytest.mark.parametrize("room", ROOMS)
def test_rooms_die_away_and_are_the_same_every_time(room):
    response = room_response(room, 2)
    early, late = response[: len(response) // 4], response[3 * len(response) // 4 :]
    assert (late**2).sum() < 0.02 * (early**2).sum()
    assert (response**2).sum(axis=0) == pytest.approx(1.0, rel=1e-3)
    assert abs(np.corrcoef(response.T)[0, 1]) < 0.5  # the two sides are not the same room twice
    room_response.cache_clear()
    assert np.array_equal(room_response(room, 2), response)


def test_a_room_comes_late_and_at_its_level():
    impulse = np.zeros((96_000, 2), np.float32)
    impulse[10_000] = 1.0
    out = through_chain(
        (Processor("reverb").with_values(wet_db=-6.0, distance_ms=20.0, room="small-room"),), impulse, 0
    )
    assert out[10_000, 0] == pytest.approx(1.0, abs=1e-6)
    assert np.abs(out[10_001 : 10_000 + 960]).max() < 1e-12
    assert 10 * math.log10((out[10_900:, 0] ** 2).sum()) == pytest.approx(-6.0, abs=0.1)


def test_delay_is_late_by_its_time_also_on_a_curve():
    audio = programme(5, 2.0)
    late = through_chain((Processor("delay").with_values(time_ms=10.0),), audio, 0)
    assert np.array_equal(late[480:], audio[:-480])
    moving = Processor("delay", curves=(("time_ms", (ValuePoint(0, 0.0), ValuePoint(48_000, 10.0))),))
    out = through_chain((moving,), audio, 0)
    assert np.allclose(out[60_000:], audio[60_000 - 480 : -480], atol=1e-6)


def test_width_none_is_mono_and_plain_is_untouched():
    audio = programme(6, 1.0)
    mono = through_chain((Processor("width").with_values(width_percent=0.0),), audio, 0)
    assert np.allclose(mono[:, 0], mono[:, 1], atol=1e-7)
    assert np.allclose(through_chain((Processor("width"),), audio, 0), audio, atol=1e-7)
    right = through_chain((Processor("width").with_values(balance_db=6.0),), audio, 0)
    assert np.allclose(right[:, 1], audio[:, 1], atol=1e-7)
    assert np.allclose(right[:, 0], audio[:, 0] * 10 ** (-6 / 20), atol=1e-6)


@pytest.mark.parametrize("semitones", [-5.0, 4.0, 12.0])
def test_pitch_moves_a_tone_by_semitones(semitones):
    out = through_chain((Processor("pitch").with_values(semitones=semitones),), sine(-12, 2.0, 440.0), 0)
    spectrum = np.abs(np.fft.rfft(out[24_000:72_000, 0] * np.hanning(48_000)))
    middle_hz = (spectrum**2 * np.arange(len(spectrum))).sum() / (spectrum**2).sum()
    assert middle_hz == pytest.approx(440.0 * 2 ** (semitones / 12), rel=0.03)


def test_gain_follows_its_curve_and_polarity_turns():
    audio = np.ones((96_000, 2), np.float32)
    fade = Processor("gain", curves=(("gain_db", (ValuePoint(0, 0.0), ValuePoint(48_000, -20.0))),))
    out = through_chain((fade,), audio, 0)
    assert out[24_000, 0] == pytest.approx(10 ** (-10 / 20), rel=1e-3)
    assert out[60_000, 0] == pytest.approx(0.1, rel=1e-3)
    turned = through_chain((Processor("polarity").with_values(side="right"),), audio, 0)
    assert (turned[:, 0] == 1).all() and (turned[:, 1] == -1).all()
