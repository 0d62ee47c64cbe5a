"""Takes that match: the tone of a take's speech against another's or the middle of all, and what brings it there.

Tone is the long-term spectrum of speech alone, in third octaves (IEC 61260-1 middle frequencies). What brings one take
to another stays editable: an equaliser of two shelves and three bells of 6 dB at the most, less room where the take is
farther away, and the gain that keeps its level.
Held to: tests/core/test_tone_match.py
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np
import scipy.fft
from scipy.optimize import least_squares

from recitant_core.dsp.kweighting import k_weighting_sections
from recitant_core.errors import EditRefused
from recitant_core.measure.loudness import BoolArray
from recitant_core.ports import SampleSource
from recitant_core.processors.chain import through_chain
from recitant_core.processors.filters import response_db
from recitant_core.processors.late_room import DRY_DECAY_S, decay_s, less_room
from recitant_core.processors.model import Chain, Processor, in_default_order
from recitant_core.processors.tone import TONE_KINDS, tone_response_db
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan

BANDS_HZ: Final = np.array([1000.0 * 10.0 ** (n / 10.0) for n in range(-11, 11)])
"""Third octaves from 80 Hz to 10 kHz."""
GROUPS_HZ: Final = ((80.0, 200.0), (200.0, 500.0), (500.0, 2_000.0), (2_000.0, 5_000.0), (5_000.0, 10_000.0))
MOST_BAND_DB: Final = 6.0
SENTENCE_DB: Final = 0.4
_SENTENCE_S: Final = 4.0
LEAST_SPEECH_S: Final = 2.0
_MOST_SPEECH_SAMPLES: Final = 40 * RATE_HZ
_FRAME_SAMPLES: Final = 4_096
_LEAST_PAUSE_SAMPLES: Final = RATE_HZ // 5
_QUIET_FRAME_DB: Final = 20.0  # under the loud ones: gaps between words, that tell the room and the noise
_PAUSES_SHARE: Final = 0.05  # of all frames: the softest hold the noise
_OVER_NOISE_DB: Final = 6.0
_LEVEL_HZ: Final = (490.0, 2_050.0)
_LEAST_SPEECH_HZ: Final = 240.0  # hum and rumble lie below
_WORTH_DB: Final = 1.0
_ROOMIER: Final = 1.25
_LEAST_ROOM_DB: Final = 2.0
# Shape, frequencies from and to, and where it begins.
_SECTIONS: Final = (
    ("low-shelf", 80.0, 220.0, 140.0),
    ("bell", 180.0, 600.0, 320.0),
    ("bell", 600.0, 1_800.0, 1_000.0),
    ("bell", 1_800.0, 5_500.0, 3_000.0),
    ("high-shelf", 4_500.0, 9_000.0, 6_500.0),
)


@dataclass(frozen=True, eq=False)
class TakeTone:
    """Tone, level and room of the speech of one take, behind its filters but for an equaliser."""

    levels_db: FloatArray
    """Of each band, float64 (bands,), against the mean power of those from 500 Hz to 2 kHz."""
    is_heard: BoolArray
    """Bands in which the speech stands over the noise, bool (bands,)."""
    decay_s: float | None
    """In which its room decays by 60 dB; None where that cannot be told."""
    reference_db: float = 0.0
    """That mean power, on any scale that takes of one recording share."""
    speech_s: float = 0.0
    """So much speech it was read from; of a middle that of all."""
    drier: Callable[[Processor], "TakeTone"] | None = None
    """Its tone through a processor that takes room away; None of a middle."""

    def away_db(self, other: "TakeTone") -> FloatArray:
        """By how much another take lies over it in each band group, float64 (groups,); 0 where not both are heard."""
        both = self.is_heard & other.is_heard
        found = []
        for low, high in GROUPS_HZ:
            inside = both & (low <= BANDS_HZ * 1.01) & (high >= BANDS_HZ * 0.99)
            found.append(float((other.levels_db - self.levels_db)[inside].mean()) if inside.any() else 0.0)
        return np.array(found)


@dataclass(frozen=True)
class ToneMatch:
    """Processors that bring a take to another tone."""

    chain: Chain
    """The whole chain of the clip."""
    gain_db: float
    """To be added to the clip's gain, so that the speech stays as loud."""
    most_db: float
    """The largest move of a band of the equaliser, with its sign; 0 without one."""
    at_hz: float
    """Of that band."""
    room_db: float
    """By which its room is lowered at the most; 0 where it is not."""


def tone_of_take(
    source: SampleSource, spans: Sequence[SampleSpan], chain: Chain = (), pauses: Sequence[SampleSpan] = ()
) -> TakeTone:
    """Tone of the speech of a take.

    Args:
        spans: of its speech, in the recording.
        pauses: of it, that hold its noise; without a fifth of a second of them the softest moments of the speech do.
        chain: of its clip; what its filters do counts, its equaliser does not.

    Raises:
        EditRefused: under two seconds of speech, or digital silence.
    """
    spans = [span for span in spans if span.length_samples >= _FRAME_SAMPLES]
    spoken = sum(span.length_samples for span in spans)
    if spoken < LEAST_SPEECH_S * RATE_HZ or not any(part.any() for part in _read(source, spans)):
        raise EditRefused("too_little_speech", clip=source.key, least_s=LEAST_SPEECH_S)

    def through(room: Chain) -> TakeTone:
        # Read anew: takes of an hour would fill the memory.
        parts = [through_chain(room, part, 0) if room else part for part in _read(source, spans)]
        return _tone(parts, _read(source, pauses), chain)

    return replace(through(()), speech_s=spoken / RATE_HZ, drier=lambda room: through((room,)))


def _tone(parts: Sequence[Audio], quiet: Sequence[Audio], chain: Chain) -> TakeTone:
    power = np.concatenate([_band_powers(part) for part in parts])
    # Sibilants count as vowels do: they are most of what a dull take lacks.
    loudness = power[:, BANDS_HZ >= _LEAST_SPEECH_HZ].sum(axis=1)
    speech = power[loudness > np.quantile(loudness, 0.9) * 10.0 ** (-_QUIET_FRAME_DB / 10.0)].mean(axis=0)
    if sum(map(len, quiet)) >= _LEAST_PAUSE_SAMPLES:
        noise = np.median(np.concatenate([_band_powers(part) for part in quiet]), axis=0)
    else:
        noise = power[loudness <= np.quantile(loudness, _PAUSES_SHARE)].mean(axis=0)
    is_heard = speech > noise * 10.0 ** (_OVER_NOISE_DB / 10.0)
    levels = 10.0 * np.log10(np.maximum(speech - np.where(is_heard, noise, 0.0), 1e-20))
    for processor in chain:
        if processor.kind in TONE_KINDS and processor.kind != "equaliser" and not processor.is_bypassed:
            levels = levels + tone_response_db(processor, BANDS_HZ)
    middle = (_LEVEL_HZ[0] <= BANDS_HZ) & (_LEVEL_HZ[1] >= BANDS_HZ)
    try:
        room_s = decay_s(np.concatenate(parts))
    except EditRefused:
        room_s = None
    reference = 10.0 * np.log10((10.0 ** (levels[middle] / 10.0)).mean())
    return TakeTone(levels - reference, is_heard, room_s, reference)


def middle_tone(tones: Sequence[TakeTone]) -> TakeTone:
    """The middle of several takes, band by band, in dB; a band is heard where half of them have it."""
    levels = np.median([tone.levels_db for tone in tones], axis=0)
    is_heard = np.mean([tone.is_heard for tone in tones], axis=0) >= 0.5
    rooms = [tone.decay_s for tone in tones if tone.decay_s is not None]
    seconds = sum(tone.speech_s for tone in tones)
    return TakeTone(levels, is_heard, float(np.median(rooms)) if rooms else None, speech_s=seconds)


def matched(tone: TakeTone, wanted: TakeTone, chain: Chain) -> ToneMatch | None:
    """Processors that bring a take to a tone, in place of an equaliser and of less room that stand there.

    Args:
        chain: of the clip.

    Returns:
        None where the take is near enough: no band is to be moved by 1 dB, and its room is none longer.
    """
    kept = tuple(one for one in chain if one.kind not in ("equaliser", "less-room"))
    before, room = tone, _less_room(tone, wanted)
    if room is not None and tone.drier is not None:
        # Late sound has a tone of its own.
        before, tone = tone, replace(tone.drier(room), speech_s=tone.speech_s)
    equaliser = _equaliser(tone, wanted)
    if equaliser is None and room is None:
        return None
    made = in_default_order((*kept, *(one for one in (equaliser, room) if one is not None)))
    bands = [] if equaliser is None else [(_gain(equaliser, i), _freq(equaliser, i)) for i in _bands_of(equaliser)]
    most_db, at_hz = max(bands, key=lambda band: abs(band[0]), default=(0.0, 0.0))
    gain_db = _loudness_db(before, None) - _loudness_db(tone, equaliser)
    return ToneMatch(made, round(gain_db, 1), most_db, at_hz, 0.0 if room is None else room.number("amount_db"))


def _equaliser(tone: TakeTone, wanted: TakeTone) -> Processor | None:
    both = tone.is_heard & wanted.is_heard
    if both.sum() < len(BANDS_HZ) // 3:
        return None
    away = np.where(both, wanted.levels_db - tone.levels_db, 0.0)
    # Over an octave: what a sentence happens to hold in one third is not the take's tone.
    around = np.array([0.5, 1.0, 0.5])
    smooth = np.convolve(away * both, around, "same") / np.maximum(np.convolve(both, around, "same"), 0.5)
    # And by so much two sentences of one take differ: that is left to them.
    own = SENTENCE_DB * min(1.0, float(np.sqrt(_SENTENCE_S / max(tone.speech_s, 1e-3))))
    smooth = np.clip(np.sign(smooth) * np.maximum(np.abs(smooth) - own, 0.0), -MOST_BAND_DB, MOST_BAND_DB)
    if np.abs(smooth[both]).max() < _WORTH_DB:
        return None
    weights = both.astype(np.float64)
    lows, highs, begins = (np.log([section[i] for section in _SECTIONS]) for i in (1, 2, 3))

    def made(values: FloatArray) -> Processor:
        changes: dict[str, float | str] = {}
        for i, (shape, *_) in enumerate(_SECTIONS, 1):
            changes |= {f"band{i}_shape": shape, f"band{i}_freq_hz": float(np.exp(values[5 + i - 1]))}
            changes |= {f"band{i}_gain_db": float(values[i - 1]), f"band{i}_q": 0.7 if shape != "bell" else 0.9}
        return Processor("equaliser").with_values(**changes)

    def off(values: FloatArray) -> FloatArray:
        response = tone_response_db(made(values), BANDS_HZ)
        # A band that does little is not moved for nothing.
        return np.concatenate([weights * (response - smooth), 0.15 * values[:5]])

    begin = np.concatenate([np.zeros(5), begins])
    bounds = (
        np.concatenate([np.full(5, -MOST_BAND_DB), lows]),
        np.concatenate([np.full(5, MOST_BAND_DB), highs]),
    )
    found = least_squares(off, begin, bounds=bounds, max_nfev=30).x
    return _rounded(made(found))


def _rounded(equaliser: Processor) -> Processor | None:
    changes: dict[str, float | str] = {}
    for i, (shape, *_) in enumerate(_SECTIONS, 1):
        gain_db = round(_gain(equaliser, i) * 2.0) / 2.0
        if gain_db != 0.0:
            freq_hz = float(f"{_freq(equaliser, i):.2g}")
            changes |= {f"band{i}_shape": shape, f"band{i}_freq_hz": freq_hz, f"band{i}_gain_db": gain_db}
            changes[f"band{i}_q"] = equaliser.number(f"band{i}_q")
    return Processor("equaliser").with_values(**changes) if changes else None


def _less_room(tone: TakeTone, wanted: TakeTone) -> Processor | None:
    if tone.decay_s is None or wanted.decay_s is None or tone.decay_s < _ROOMIER * max(wanted.decay_s, DRY_DECAY_S):
        return None
    whole = less_room(tone.decay_s)
    share = (tone.decay_s - max(wanted.decay_s, DRY_DECAY_S)) / (tone.decay_s - DRY_DECAY_S)
    amount_db = round(whole.number("amount_db") * share, 1)
    return whole.with_values(amount_db=amount_db) if amount_db >= _LEAST_ROOM_DB else None


def _loudness_db(tone: TakeTone, equaliser: Processor | None) -> float:
    # Of its speech, K-weighted, on the scale of the tone.
    levels_db = tone.levels_db + tone.reference_db + response_db(k_weighting_sections(RATE_HZ), BANDS_HZ)
    if equaliser is not None:
        levels_db = levels_db + tone_response_db(equaliser, BANDS_HZ)
    return float(10.0 * np.log10((10.0 ** (levels_db / 10.0)).sum()))


def _bands_of(equaliser: Processor) -> list[int]:
    return [i for i in range(1, len(_SECTIONS) + 1) if equaliser.value(f"band{i}_shape") != "off"]


def _gain(equaliser: Processor, band: int) -> float:
    return equaliser.number(f"band{band}_gain_db")


def _freq(equaliser: Processor, band: int) -> float:
    return equaliser.number(f"band{band}_freq_hz")


def _read(source: SampleSource, spans: Sequence[SampleSpan]) -> list[Audio]:
    parts, left = [], _MOST_SPEECH_SAMPLES
    for span in spans:
        length = min(span.length_samples, left)
        if length >= _FRAME_SAMPLES:
            parts.append(source.read(span.start_sample, length))
            left -= length
    return parts


def _band_powers(audio: Audio) -> FloatArray:
    # Power of each frame in each third octave, the louder channel's, float64 (frames, bands).
    channel = audio[:, int(np.argmax((audio.astype(np.float64) ** 2).sum(axis=0)))]
    frames = np.lib.stride_tricks.sliding_window_view(channel, _FRAME_SAMPLES)[:: _FRAME_SAMPLES // 2]
    spectra = scipy.fft.rfft(frames * np.hanning(_FRAME_SAMPLES).astype(np.float32), axis=1)
    found: FloatArray = (np.abs(spectra) ** 2).astype(np.float64) @ _band_weights()
    return found


@lru_cache(maxsize=1)
def _band_weights() -> FloatArray:
    # Which bins a third octave holds, those at its edges by their share: float64 (bins, bands).
    width = RATE_HZ / _FRAME_SAMPLES
    middles = np.arange(_FRAME_SAMPLES // 2 + 1)[:, None] * width
    low, high = BANDS_HZ * 10.0**-0.05, BANDS_HZ * 10.0**0.05
    shares: FloatArray = np.clip(np.minimum(middles + width / 2, high) - np.maximum(middles - width / 2, low), 0, width)
    return shares / width
