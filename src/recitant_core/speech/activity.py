"""Where someone speaks, as spans with a confidence: from the probabilities of a model, or from energy alone.

The model itself belongs to recitant_io; this turns what it says into spans.
Source of the post-processing times: common practice (bridge 0.6 s, pad 0.10 and 0.15 s); the least length is the one at
which recorded effects were no longer taken for words (docs/benchmarks.md).
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan, samples_from_s

THRESHOLD: Final = 0.7
RELEASE: Final = 0.4  # once begun, speech lasts until the probability is under this
LEAST_SPEECH_S: Final = 0.26
BRIDGE_S: Final = 0.6
PAD_BEFORE_S: Final = 0.10
PAD_AFTER_S: Final = 0.15


@dataclass(frozen=True, order=True)
class SpeechSpan:
    """A stretch of speech in a recording."""

    start_sample: int
    length_samples: int
    confidence: float
    """Mean probability inside, 0 to 1."""

    @property
    def span(self) -> SampleSpan:
        """Stretch of the recording."""
        return SampleSpan(self.start_sample, self.length_samples)


def spans_from_probabilities(probability: FloatArray, hop_samples: int, length_samples: int) -> list[SpeechSpan]:
    """Speech spans of a recording.

    Args:
        probability: float64 (hops,), 0 to 1, that someone speaks in each hop.
        hop_samples: of the recording, at 48 kHz.
        length_samples: of the recording; spans end there at the latest.
    """
    raw = _hysteresis(probability)
    least = samples_from_s(LEAST_SPEECH_S)
    joined: list[list[int]] = []
    for first, last in raw:
        start, end = first * hop_samples, last * hop_samples
        # A breath between two words parts nothing.
        if joined and start - joined[-1][1] < samples_from_s(BRIDGE_S):
            joined[-1][1] = end
        else:
            joined.append([start, end])
    spans: list[SpeechSpan] = []
    for start, end in joined:
        if end - start < least:
            continue
        padded_start = max(0, start - samples_from_s(PAD_BEFORE_S))
        padded_end = min(length_samples, end + samples_from_s(PAD_AFTER_S))
        # Confidence counts what was found, not the padding.
        inside = probability[start // hop_samples : max(start // hop_samples + 1, end // hop_samples)]
        spans.append(SpeechSpan(padded_start, padded_end - padded_start, round(float(inside.mean()), 3)))
    return spans


def energy_probability(hop_energy: FloatArray) -> FloatArray:
    """A first guess from energy alone: how far each 10 ms stands above the noise floor, as 0 to 1; float64 (hops,).

    Right on clean recordings of speech only; it takes music and noise for speech.

    Args:
        hop_energy: float64 (hops,), 10 ms energies of the recording.
    """
    if not hop_energy.size:
        return np.zeros(0)
    smooth = np.convolve(hop_energy, np.ones(5) / 5.0, mode="same")
    with np.errstate(divide="ignore"):
        level_db = 10.0 * np.log10(np.maximum(smooth, 1e-14))
    floor_db = np.percentile(level_db, 10)
    top_db = np.percentile(level_db, 95)
    if top_db - floor_db < 6.0:  # one level throughout: nothing that stands out from anything
        return np.full(len(hop_energy), 1.0 if top_db > -60.0 else 0.0)
    threshold_db = floor_db + 0.35 * (top_db - floor_db)
    probability: FloatArray = 1.0 / (1.0 + np.exp(-(level_db - threshold_db) / 1.5))
    return probability


def speech_share(spans: list[SpeechSpan], length_samples: int) -> float:
    """Share of a recording that is speech, 0 to 1; 0 of an empty one.

    >>> speech_share([SpeechSpan(0, 300, 1.0)], 1_200)
    0.25
    """
    return sum(span.length_samples for span in spans) / length_samples if length_samples else 0.0


def _hysteresis(probability: FloatArray) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    begun: int | None = None
    for hop, value in enumerate(probability):
        if begun is None and value >= THRESHOLD:
            begun = hop
        elif begun is not None and value < RELEASE:
            found.append((begun, hop))
            begun = None
    if begun is not None:
        found.append((begun, len(probability)))
    return found
