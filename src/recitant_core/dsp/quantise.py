"""From float to the whole numbers of a file, with dither that depends on the place alone.

Source: triangular dither of two steps' width (common practice) keeps the error free of the signal.
Held to: tests/core/test_fit.py
"""

import numba
import numpy as np
import numpy.typing as npt

from recitant_core.errors import RangeError
from recitant_core.units.arrays import Audio, require_audio

BIT_DEPTHS = (16, 24)
Integers = npt.NDArray[np.int32]


def quantise(audio: Audio, bit_depth: int, start_sample: int) -> Integers:
    """Dithered sample values of a stretch, int32 (frames, channels), full scale 2^(bit_depth - 1).

    Args:
        audio: float32 (frames, channels); beyond full scale it is held at full scale.
        bit_depth: 16 or 24.
        start_sample: place of the first frame; the dither is a function of it, so any cut gives the same file.

    Digital silence stays digital silence.

    Raises:
        RangeError: another bit depth.
    """
    require_audio(audio)
    if bit_depth not in BIT_DEPTHS:
        raise RangeError("bit_depth", bit_depth=bit_depth, known=BIT_DEPTHS)
    out = np.empty(audio.shape, np.int32)
    full_scale, start = float(1 << (bit_depth - 1)), np.uint64(start_sample)
    if audio.shape[1] == 2:
        _quantise(np.ascontiguousarray(audio).reshape(-1), full_scale, start, 0, 1, out.reshape(-1))
    else:
        for channel in range(audio.shape[1]):
            alone = np.empty(len(audio), np.int32)
            _quantise(np.ascontiguousarray(audio[:, channel]), full_scale, start, channel, 0, alone)
            out[:, channel] = alone
    return out


def audio_from_integers(values: Integers, bit_depth: int) -> Audio:
    """Samples of whole numbers, float32 (frames, channels): exact for 16 and 24 bit.

    >>> audio_from_integers(np.array([[-32_768], [16_384]], np.int32), 16).tolist()
    [[-1.0], [0.5]]
    """
    out: Audio = values.astype(np.float32)
    out *= np.float32(1.0 / (1 << (bit_depth - 1)))
    return out


@numba.njit(cache=True, nogil=True)
def _scramble(x):  # type: ignore[no-untyped-def]
    # The finaliser of SplitMix64 (public domain): every bit of the place reaches every bit of the noise.
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))


@numba.njit(cache=True, nogil=True)
def _quantise(samples, full_scale, start_sample, channel, doublings, out):  # type: ignore[no-untyped-def]
    # Samples of one channel, or (doublings 1) of two by turns. No branches: eight at a time.
    within = (1 << doublings) - 1
    for k in range(len(samples)):
        x = samples[k]
        place = (start_sample + np.uint64(k >> doublings)) * np.uint64(16) + np.uint64(channel + (k & within))
        noise = _scramble(place * np.uint64(0x9E3779B97F4A7C15))
        first = float(np.int64(noise & np.uint64(0xFFFFFFFF))) / 4294967296.0
        second = float(np.int64(noise >> np.uint64(32))) / 4294967296.0
        value = np.floor(x * full_scale + (first - second) + 0.5)
        value = min(max(value, -full_scale), full_scale - 1.0)
        out[k] = np.int32(value) if x != 0.0 else np.int32(0)
