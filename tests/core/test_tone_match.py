"""Takes that match: speech through known colours and rooms comes back, by no more than it takes.

Judged by third octaves taken with scipy's Welch estimate, not with the program's own frames.
"""

from functools import cache
from pathlib import Path

import numpy as np
import pytest
import scipy.signal
import soundfile
import soxr

from recitant_core.balance.tone_match import (
    GROUPS_HZ,
    MOST_BAND_DB,
    matched,
    middle_tone,
    tone_of_take,
)
from recitant_core.errors import EditRefused
from recitant_core.measure.meter import measure
from recitant_core.processors.chain import through_chain
from recitant_core.processors.model import Processor
from recitant_core.units.channels import MONO
from recitant_core.units.clock import SampleSpan
from signals import MemorySource

ROOT = Path(__file__).parents[2]


@cache
def voice(name):
    audio, rate_hz = soundfile.read(ROOT / "demo" / "voices" / f"{name}.flac", dtype="float32", always_2d=True)
    audio = soxr.resample(audio.mean(axis=1), rate_hz, 48_000)
    noise = np.random.default_rng(1).standard_normal(len(audio)) * 10 ** (-70 / 20)
    return (audio * 0.05 / np.sqrt((audio**2).mean()) + noise).astype(np.float32)[:, None]


def coloured(audio, *bands):
    """Sound through an equaliser of bands (shape, Hz, dB)."""
    values = {}
    for i, (shape, freq_hz, gain_db) in enumerate(bands, 1):
        values |= {f"band{i}_shape": shape, f"band{i}_freq_hz": freq_hz, f"band{i}_gain_db": gain_db, f"band{i}_q": 0.8}
    return through_chain((Processor("equaliser").with_values(**values),), audio, 0)


def groups_db(audio):
    freq_hz, power = scipy.signal.welch(audio[:, 0], 48_000, nperseg=4_096)
    levels = [10 * np.log10(power[(low <= freq_hz) & (freq_hz < high)].mean()) for low, high in GROUPS_HZ]
    return np.array(levels) - levels[2]


def whole(audio):
    return MemorySource(f"take {audio.tobytes()[:400]!r}", audio), [SampleSpan(0, len(audio))]


COLOURS = {
    "dull": (("high-shelf", 4_000.0, -6.0),),
    "thin": (("low-shelf", 180.0, -6.0), ("bell", 3_000.0, 4.0)),
    "boxy": (("bell", 400.0, 5.0), ("high-shelf", 7_000.0, -3.0)),
}


@pytest.mark.parametrize("colour", COLOURS)
def test_a_coloured_take_comes_back_within_three_decibels(colour):
    plain = voice("narration-02")
    other = coloured(plain, *COLOURS[colour])
    match = matched(tone_of_take(*whole(other)), tone_of_take(*whole(plain)), ())
    out = through_chain(match.chain, other, 0)
    before, after = (np.abs(groups_db(one) - groups_db(plain)).max() for one in (other, out))
    assert before > 2.5 and after < 2.4
    gains = [match.chain[0].number(f"band{i}_gain_db") for i in range(1, 9)]
    assert max(map(abs, gains)) <= MOST_BAND_DB and sum(gain != 0.0 for gain in gains) <= 5
    # As loud as it was, once the clip's gain is moved with it.
    loud = [measure(one, MONO).integrated_lufs for one in (other, out)]
    assert loud[1] + match.gain_db == pytest.approx(loud[0], abs=0.6)


def test_other_words_of_the_same_voice_come_within_three_decibels():
    take = voice("narration-03")
    other = coloured(voice("narration-05"), ("low-shelf", 200.0, 6.0), ("high-shelf", 5_000.0, -6.0))
    match = matched(tone_of_take(*whole(other)), tone_of_take(*whole(take)), ())
    assert np.abs(groups_db(through_chain(match.chain, other, 0)) - groups_db(take)).max() < 3.0


def test_all_takes_come_to_their_middle_and_what_is_there_stays():
    colours = ((), *COLOURS.values(), ())
    takes = [coloured(voice("founder-01"), *bands) if bands else voice("founder-01") for bands in colours]
    tones = [tone_of_take(*whole(one)) for one in takes]
    middle = middle_tone(tones)
    found = [matched(tone, middle, ()) for tone in tones]
    assert all(found[i] is None or abs(found[i].most_db) <= 2.0 for i in (0, 4))  # they are near the middle
    out = [one if m is None else through_chain(m.chain, one, 0) for one, m in zip(takes, found, strict=True)]
    spread = np.ptp([groups_db(one) for one in out], axis=0)
    assert spread.max() < 2.5 < np.ptp([groups_db(one) for one in takes], axis=0).max()


def test_matched_again_it_comes_to_the_same_and_other_processors_stay():
    plain, other = voice("narration-02"), coloured(voice("narration-02"), *COLOURS["dull"])
    wanted = tone_of_take(*whole(plain))
    chain = (Processor("high-pass"), Processor("compressor"))
    once = matched(tone_of_take(*whole(other), chain), wanted, chain)
    again = matched(tone_of_take(*whole(other), once.chain), wanted, once.chain)
    assert again.chain == once.chain
    assert [one.kind for one in once.chain if one.kind != "equaliser"] == ["high-pass", "compressor"]


def test_a_take_from_farther_away_gets_less_room():
    plain = voice("narration-02")
    tail = np.random.default_rng(2).standard_normal(40_000) * 10 ** (-3 * np.arange(40_000) / 48_000 / 0.8)
    tail[:200] = 0.0
    tail /= np.sqrt((tail**2).sum())
    tail[0] = 1.0
    far = scipy.signal.fftconvolve(plain[:, 0], tail)[: len(plain), None].astype(np.float32)
    match = matched(tone_of_take(*whole(far)), tone_of_take(*whole(plain)), ())
    assert match.room_db >= 4.0 and "less-room" in [one.kind for one in match.chain]
    loud = [measure(one, MONO).integrated_lufs for one in (far, through_chain(match.chain, far, 0))]
    assert loud[1] + match.gain_db == pytest.approx(loud[0], abs=0.6)
    near = matched(tone_of_take(*whole(plain)), tone_of_take(*whole(far)), ())
    assert near is None or near.room_db == 0.0


def test_bands_in_which_only_noise_is_heard_are_left():
    plain = voice("narration-02")
    rng = np.random.default_rng(3)
    low = scipy.signal.sosfilt(scipy.signal.butter(4, 150, fs=48_000, output="sos"), rng.standard_normal(len(plain)))
    noisy = plain + (low * 0.2)[:, None].astype(np.float32)
    assert not tone_of_take(*whole(noisy)).is_heard[:2].any()
    match = matched(tone_of_take(*whole(noisy)), tone_of_take(*whole(plain)), ())
    assert match is None or match.chain[0].number("band1_gain_db") > -3.0


def test_too_little_speech_is_said():
    with pytest.raises(EditRefused, match="too_little_speech"):
        tone_of_take(MemorySource("short", voice("narration-02")), [SampleSpan(0, 48_000)])
    crumbs = [SampleSpan(at, 2_000) for at in range(0, 200_000, 3_000)]
    with pytest.raises(EditRefused, match="too_little_speech"):
        tone_of_take(MemorySource("crumbs", voice("narration-02")), crumbs)
    with pytest.raises(EditRefused, match="too_little_speech"):
        tone_of_take(*whole(np.zeros((200_000, 1), np.float32)))
