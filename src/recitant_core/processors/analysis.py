"""What a recording needs: its spectrum, its hum, its resonances, and starting points made from measurement.

Held to: tests/core/test_analysis.py
"""

import math
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy.fft

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_core.ports import SampleSource
from recitant_core.processors.dynamics import level_dbfs
from recitant_core.processors.filters import band_pass, filtered
from recitant_core.processors.model import Chain, Processor, in_default_order
from recitant_core.processors.noise import learned_profile
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan

_FRAME: Final = 8_192
_MOST_FRAMES: Final = 600
_HUM_FRAME: Final = 1 << 17
_LEAST_HUM_DB: Final = 8.0
_MULTIPLES: Final = 8
_RESONANCE_LEAST_DB: Final = 3.0
_RESONANCE_PLACES: Final = (150.0, 6_000.0)
_MOST_HEARD_SAMPLES: Final = 120 * RATE_HZ
CHAIN_PRESETS: Final = (
    "voice-close",
    "voice-roomy",
    "voice-sharp",
    "voice-boxy",
    "rumble",
    "hum",
    "music-held",
    "in-a-hall",
)


def spectrum_db(audio: Audio, freq_hz: FloatArray) -> FloatArray:
    """Mean spectrum in twelfths of an octave, dBFS a band, float64 (frequencies,); -140 where there is nothing.

    Args:
        audio: float32 (frames, channels); channels are averaged in power.
        freq_hz: middles of the bands, ascending.
    """
    power = _mean_power(audio)
    bins = np.fft.rfftfreq(_FRAME, 1 / RATE_HZ)
    sums = np.concatenate([[0.0], np.cumsum(power)])
    step = bins[1]
    half = 2.0 ** (1.0 / 24.0)
    low, high = freq_hz / half / step + 0.5, freq_hz * half / step + 0.5
    inside = np.interp(high, np.arange(len(sums)), sums) - np.interp(low, np.arange(len(sums)), sums)
    found: FloatArray = 10.0 * np.log10(np.maximum(inside, 1e-14))
    return found


def _mean_power(audio: Audio) -> FloatArray:
    if len(audio) < _FRAME:
        audio = np.pad(audio, ((0, _FRAME - len(audio)), (0, 0)))
    starts = np.arange(0, len(audio) - _FRAME + 1, max(_FRAME // 2, (len(audio) - _FRAME) // _MOST_FRAMES or 1))
    window = np.hanning(_FRAME).astype(np.float32)
    total = np.zeros(_FRAME // 2 + 1)
    for channel in range(audio.shape[1]):
        frames = np.lib.stride_tricks.sliding_window_view(audio[:, channel], _FRAME)[starts] * window
        total += (np.abs(scipy.fft.rfft(frames, axis=1)) ** 2).sum(axis=0)
    # A sine's bins add up to its mean square.
    found: FloatArray = total / (len(starts) * audio.shape[1]) * 2.0 / (_FRAME * float((window**2).sum()))
    return found


@dataclass(frozen=True)
class Hum:
    """A hum: its mains frequency, and how many multiples stand out."""

    mains_hz: float
    multiples: int
    over_db: float
    """By how much its lines stand out in the middle."""


def hum_in(audio: Audio) -> Hum:
    """The hum in a recording, float32 (frames, channels).

    Raises:
        EditRefused: none stands out.
    """
    mono = audio.mean(axis=1, dtype=np.float64)
    starts = range(0, max(1, len(mono) - _HUM_FRAME + 1), _HUM_FRAME // 2)
    frames = [
        np.abs(np.fft.rfft(mono[s : s + _HUM_FRAME] * np.hanning(len(mono[s : s + _HUM_FRAME])), _HUM_FRAME))
        for s in starts
    ]
    # The quieter half: hum goes on while nobody speaks.
    frames.sort(key=lambda frame: float(frame[: _HUM_FRAME // 40].sum()))
    level = 20.0 * np.log10(np.mean(frames[: max(1, len(frames) // 2)], axis=0) + 1e-9)
    step = RATE_HZ / _HUM_FRAME

    def over_db(freq_hz: float) -> float:
        at = round(freq_hz / step)
        line = float(np.interp(freq_hz / step, np.arange(at - 2, at + 3), level[at - 2 : at + 3]))
        around = np.concatenate([level[at - 45 : at - 12], level[at + 13 : at + 46]])
        return float(line - np.median(around)) if len(around) else 0.0

    best, score = 0.0, -math.inf
    for mains_hz in np.concatenate([np.arange(49.0, 51.0, 0.05), np.arange(59.0, 61.0, 0.05)]):
        mine = float(np.mean([min(60.0, over_db(mains_hz * n)) for n in range(1, 9)]))
        if mine > score:
            best, score = float(mains_hz), mine
    lines = [n for n in range(1, 25) if over_db(best * n) > _LEAST_HUM_DB]
    if len([n for n in lines if n <= _MULTIPLES]) < 3:
        raise EditRefused("no_hum")
    strong = [over_db(best * n) for n in lines]
    return Hum(round(best, 2), max(n for n in lines if n <= 24), float(np.median(strong)))


@dataclass(frozen=True)
class Resonance:
    """A narrow peak that stays: where, how far it stands out, how narrow."""

    freq_hz: float
    over_db: float
    q: float

    @property
    def bell_db(self) -> float:
        """Gain in dB of a bell against it: four fifths of its height, -8 at the lowest."""
        return -round(min(8.0, 0.8 * self.over_db), 1)


def resonances(audio: Audio) -> list[Resonance]:
    """Narrow peaks that persist in a voice, strongest first, five at the most.

    Args:
        audio: float32 (frames, channels) of speech. A spoken tone wanders, a resonance stays: what counts is how far
            each twenty-fourth of an octave stands over its neighbourhood in most moments, not in the mean.

    Raises:
        EditRefused: none stands out.
    """
    low, high = _RESONANCE_PLACES
    n_places = round(24 * math.log2(high / low)) + 1
    places = low * 2.0 ** (np.arange(n_places) / 24.0)
    # Harmonics of a voice lie closer together than a band is wide only above some 3 kHz: long windows, wide bands.
    mono = audio.mean(axis=1)
    if len(mono) < 4 * _FRAME:
        raise EditRefused("no_resonance")
    starts = np.arange(0, len(mono) - _FRAME + 1, max(_FRAME // 4, (len(mono) - _FRAME) // _MOST_FRAMES))
    frames = np.lib.stride_tricks.sliding_window_view(mono, _FRAME)[starts] * np.hanning(_FRAME).astype(np.float32)
    power = np.abs(scipy.fft.rfft(frames, axis=1)) ** 2
    loud = power.sum(axis=1)
    power = power[loud > 0.05 * np.quantile(loud, 0.9)]
    step = RATE_HZ / _FRAME
    sums = np.concatenate([np.zeros((len(power), 1)), np.cumsum(power, axis=1)], axis=1)

    def bands(width_octaves: float) -> FloatArray:
        half = 2.0 ** (width_octaves / 2.0)
        first = np.floor(places / half / step).astype(int)
        last = np.maximum(np.ceil(places * half / step).astype(int), first + 1)
        mean: FloatArray = (sums[:, last] - sums[:, first]) / (last - first)
        return 10.0 * np.log10(mean + 1e-20)

    over = np.quantile(bands(1 / 6) - bands(1.5), 0.4, axis=0)
    found = []
    for i in range(2, n_places - 2):
        if over[i] >= over[i - 2 : i + 3].max() and over[i] > _RESONANCE_LEAST_DB:
            left, right = i, i
            while left > 0 and over[left] > over[i] / 2.0:
                left -= 1
            while right < n_places - 1 and over[right] > over[i] / 2.0:
                right += 1
            octaves = max(1, right - left) / 24.0
            q = 1.0 / (2.0 ** (octaves / 2.0) - 2.0 ** (-octaves / 2.0))
            if octaves < 0.8:
                found.append(Resonance(round(float(places[i]), 1), round(float(over[i]), 1), round(min(12.0, q), 1)))
    if not found:
        raise EditRefused("no_resonance")
    return sorted(found, key=lambda r: -r.over_db)[:5]


@dataclass(frozen=True)
class VoiceFigures:
    """Figures that chain presets are made from, all in dBFS rms but the frequency."""

    speech_dbfs: float
    loud_dbfs: float
    noise_dbfs: float
    sibilance_dbfs: float
    lowest_hz: float


def voice_figures(audio: Audio, is_speech: FloatArray) -> VoiceFigures:
    """Levels of a voice and of what is behind it.

    Args:
        audio: float32 (frames, channels).
        is_speech: bool (frames / 16,), which steps of the detector are speech.

    Raises:
        EditRefused: it is silent.
    """
    level = level_dbfs(audio, "rms")
    inside = is_speech[: len(level)].astype(bool)
    if not inside.any():
        # Nobody listened for speech: the louder part stands for it.
        inside = level > np.quantile(level, 0.6)
    speech = level[inside]
    if not len(speech) or float(np.quantile(speech, 0.9)) < -90.0:
        raise EditRefused("not_measurable")
    around = level[~inside]
    noise = float(np.quantile(around, 0.3)) if len(around) > 600 else float(np.quantile(level, 0.05))
    sharp = level_dbfs(filtered(audio, np.array([band_pass(6_500.0, 1.2)])), "rms")[: len(level)][inside]
    freq_hz = np.exp(np.linspace(math.log(50.0), math.log(400.0), 60))
    spectrum = spectrum_db(audio, freq_hz)
    # The lowest frequency that carries the voice: what lies under it is rumble.
    strong = freq_hz[spectrum > spectrum.max() - 14.0]
    return VoiceFigures(
        float(np.median(speech)),
        float(np.quantile(speech, 0.9)),
        noise,
        float(np.quantile(sharp, 0.97)),
        float(strong[0]),
    )


def starting_point(name: str, source: SampleSource, speech: Sequence[SampleSpan], span: SampleSpan) -> Chain:
    """A chain to start from, its values made from what is measured in a stretch of a recording.

    Args:
        name: one of CHAIN_PRESETS.
        speech: where somebody speaks in the recording.
        span: the stretch of the recording that counts.

    Raises:
        MalformedRequest: no such starting point.
        EditRefused: it is silent, or what the starting point cures is not there.
    """
    if name not in CHAIN_PRESETS:
        raise MalformedRequest("malformed", field="name")
    span = SampleSpan(span.start_sample, min(span.length_samples, _MOST_HEARD_SAMPLES))
    audio = source.read(span.start_sample, span.length_samples)
    inside = [part for one in speech if (part := one.intersect(span)) is not None]
    mask = np.zeros(-(-len(audio) // 16), bool)
    for part in inside:
        mask[(part.start_sample - span.start_sample) // 16 : (part.end_sample - span.start_sample) // 16] = True
    if name == "hum":
        hum = hum_in(audio)
        return (Processor("hum").with_values(mains_hz=hum.mains_hz, multiples=float(hum.multiples), depth_db=30.0),)
    if name == "in-a-hall":
        return (Processor("reverb").with_values(room="hall", wet_db=-14.0),)
    figures = voice_figures(audio, mask)
    high_pass = Processor("high-pass").with_values(freq_hz=round(min(120.0, max(60.0, 0.75 * figures.lowest_hz))))
    esser = Processor("de-esser").with_values(threshold_dbfs=round(figures.sibilance_dbfs - 4.0, 1))
    # Half of the speech stands over the threshold, its loud parts are pressed by some 4 dB, and that is made up.
    threshold_db = round(figures.speech_dbfs, 1)
    pressed_db = (figures.loud_dbfs - threshold_db) * 2.0 / 3.0
    compressor = Processor("compressor").with_values(
        threshold_dbfs=max(-80.0, threshold_db), ratio=3.0, make_up_db=round(min(12.0, max(0.0, 0.5 * pressed_db)), 1)
    )
    held = Processor("compressor").with_values(
        threshold_dbfs=round(figures.loud_dbfs - 2.0, 1), ratio=2.0, attack_ms=30.0, release_ms=400.0
    )
    made: dict[str, Callable[[], Chain]] = {
        "voice-close": lambda: (high_pass, compressor, esser),
        "voice-sharp": lambda: (high_pass, esser.with_values(threshold_dbfs=round(figures.sibilance_dbfs - 8.0, 1))),
        "voice-boxy": lambda: (high_pass, bells(resonances(audio))),
        "rumble": lambda: (
            Processor("clicks").with_values(what="thumps"),
            high_pass.with_values(slope_db_per_octave="24"),
        ),
        "music-held": lambda: (held,),
        "voice-roomy": lambda: _roomy(source, figures, high_pass, compressor, esser, inside, span, audio),
    }
    return made[name]()


def _roomy(source, figures, high_pass, compressor, esser, inside, span, audio) -> Chain:  # type: ignore[no-untyped-def]
    chain = [high_pass, esser]
    # A recording without a pause keeps its noise; everything else still helps.
    with suppress(EditRefused):
        profile = learned_profile(source, pauses(inside, span))
        # A voice 30 dB over its noise needs little; one 10 dB over it more than sounds well.
        distance = figures.speech_dbfs - figures.noise_dbfs
        amount = round(min(15.0, max(4.0, 40.0 - distance)), 1)
        chain.append(Processor("noise", profile_db=profile).with_values(amount_db=amount))
    with suppress(EditRefused):
        chain.append(bells(resonances(audio)))
    between = figures.noise_dbfs + 0.35 * (figures.speech_dbfs - figures.noise_dbfs)
    chain.append(Processor("expander").with_values(threshold_dbfs=round(max(-80.0, between), 1), range_db=8.0))
    chain.append(compressor.with_values(make_up_db=0.0))
    return in_default_order(tuple(chain))


def bells(found: Sequence[Resonance]) -> Processor:
    """An equaliser that lowers resonances, one bell each."""
    values: dict[str, float | str] = {}
    for i, one in enumerate(found[:5], 1):
        values |= {f"band{i}_shape": "bell", f"band{i}_freq_hz": one.freq_hz}
        values |= {f"band{i}_gain_db": one.bell_db, f"band{i}_q": one.q}
    return Processor("equaliser").with_values(**values)


def pauses(speech: Sequence[SampleSpan], span: SampleSpan, margin_samples: int = RATE_HZ // 6) -> list[SampleSpan]:
    """Stretches of a span where nobody speaks, a margin away from speech.

    Those of a tenth of a second or less are left out.

    Args:
        speech: in any order, on the clock of the span.
        margin_samples: from the edge of speech, for its onsets and its room.
    """
    found = []
    at = span.start_sample
    for one in [*sorted(speech), SampleSpan(span.end_sample + margin_samples, 0)]:
        end = one.start_sample - margin_samples
        if end - at > RATE_HZ // 10:
            found.append(SampleSpan(at, min(end, span.end_sample) - at))
        at = max(at, one.end_sample + margin_samples)
    return found
