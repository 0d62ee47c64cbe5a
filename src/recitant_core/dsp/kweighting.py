"""K-weighting: the two filters of BS.1770 at any rate, and the energy that passes them.

Leaves gating and levels to ``measure``.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

import numba
import numpy as np

from recitant_core.errors import RangeError
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout

# BS.1770 Annex 1 gives both filters at 48 kHz; this analogue prototype gives them back there (memory).
SHELF_HZ: Final = 1681.974450955533
SHELF_GAIN_DB: Final = 3.999843853973347
SHELF_Q: Final = 0.7071752369554196
SHELF_BAND_EXPONENT: Final = 0.4996667741545416
HIGH_PASS_HZ: Final = 38.13547087602444
HIGH_PASS_Q: Final = 0.5003270373238773
HOPS_PER_SECOND: Final = 100
LEAST_RATE_HZ: Final = 4_000  # the shelf needs room under half the rate


def k_weighting_sections(rate_hz: int) -> FloatArray:
    """Coefficients of the K-weighting filter, float64 (2, 5): shelf then high-pass, each b0 b1 b2 a1 a2.

    Raises:
        RangeError: the rate is too low for the filter.

    Source: ITU-R BS.1770 Annex 1; other rates from the same prototype through the bilinear transform.
    Held to: tests/conformance/test_bs1770.py
    """
    if rate_hz < LEAST_RATE_HZ:
        raise RangeError("rate_too_low", rate_hz=rate_hz, least_hz=LEAST_RATE_HZ)
    k = math.tan(math.pi * SHELF_HZ / rate_hz)
    top = 10.0 ** (SHELF_GAIN_DB / 20.0)
    band = top**SHELF_BAND_EXPONENT
    a0 = 1.0 + k / SHELF_Q + k * k
    shelf = [
        (top + band * k / SHELF_Q + k * k) / a0,
        2.0 * (k * k - top) / a0,
        (top - band * k / SHELF_Q + k * k) / a0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / SHELF_Q + k * k) / a0,
    ]
    k = math.tan(math.pi * HIGH_PASS_HZ / rate_hz)
    a0 = 1.0 + k / HIGH_PASS_Q + k * k
    # The standard leaves the numerator at 1, -2, 1 (not divided by a0): its gain is part of -0.691.
    high_pass = [1.0, -2.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / HIGH_PASS_Q + k * k) / a0]
    return np.array([shelf, high_pass])


@dataclass(frozen=True)
class KState:
    """Where the filter stands between two blocks."""

    rate_hz: int
    sections: FloatArray
    weights: FloatArray
    filters: FloatArray
    """(channels, 4): the two delays of each section."""
    partial: FloatArray
    """Of the hop that is not full yet: left, right and product of two channels; the weighted energy of any other."""
    at_frame: int

    @classmethod
    def at_rest(cls, layout: ChannelLayout, rate_hz: int) -> "KState":
        """A filter that has heard nothing."""
        n_channels = layout.n_channels
        sections = k_weighting_sections(rate_hz)
        return cls(
            rate_hz,
            sections,
            layout.loudness_weights(),
            np.zeros((n_channels, 4)),
            np.zeros(3 if n_channels == 2 else 1),
            0,
        )


def k_energies(audio: Audio, state: KState) -> tuple[FloatArray, KState]:
    """Channel-weighted sums of squares of every 10 ms that became full, and the state after.

    Args:
        audio: float32 (frames, channels) of the state's layout, finite.
        state: where the block before ended.

    Returns:
        float64 (hops,), sums over the frames of a hop (not means); the new state. Cut a signal as you like: the
        hops are the same to the last bit.
    """
    if audio.shape[1] == 2:
        pairs, after = k_pairs(audio, state)
        return pairs[:, 0] * state.weights[0] + pairs[:, 1] * state.weights[1], after
    first_hop, n_hops = _hops(audio, state)
    out = np.zeros(n_hops)
    filters, partial = state.filters.copy(), state.partial.copy()
    partial[0] = _energies(
        audio, state.sections, state.weights, filters, partial[0], state.at_frame, state.rate_hz, first_hop, out
    )
    return out, replace(state, filters=filters, partial=partial, at_frame=state.at_frame + len(audio))


def k_pairs(audio: Audio, state: KState) -> tuple[FloatArray, KState]:
    """Sums of left squared, right squared and left times right after K-weighting, of every 10 ms that became full.

    From these the energy of any mix of the two channels follows.

    Args:
        audio: float32 (frames, 2), finite.
        state: of a two-channel layout.

    Returns:
        float64 (hops, 3), and the new state.
    """
    first_hop, n_hops = _hops(audio, state)
    out = np.zeros((n_hops, 3))
    filters, partial = state.filters.copy(), state.partial.copy()
    _pairs(audio, state.sections, filters, partial, state.at_frame, state.rate_hz, first_hop, out)
    return out, replace(state, filters=filters, partial=partial, at_frame=state.at_frame + len(audio))


def _hops(audio: Audio, state: KState) -> tuple[int, int]:
    first_hop = state.at_frame * HOPS_PER_SECOND // state.rate_hz
    return first_hop, (state.at_frame + len(audio)) * HOPS_PER_SECOND // state.rate_hz - first_hop


def hop_edges(n_hops: int, rate_hz: int) -> FloatArray:
    """Frame at which each of ``n_hops`` hops starts, and the end of the last: float64 (n_hops + 1,)."""
    return np.ceil(np.arange(n_hops + 1) * rate_hz / HOPS_PER_SECOND)


@numba.njit(cache=True, nogil=True)
def _energies(  # type: ignore[no-untyped-def]  # over eight parameters: a compiled loop takes its arrays one by one
    audio, sections, weights, filters, partial, at_frame, rate_hz, first_hop, out
):
    n_channels = audio.shape[1]
    hop = 0
    frame = 0
    while frame < len(audio):
        edge = -((-(first_hop + hop + 1) * rate_hz) // HOPS_PER_SECOND) - at_frame
        end = min(edge, len(audio))
        for channel in range(n_channels):
            if weights[channel] == 0.0:
                continue
            b0, b1, b2, a1, a2 = sections[0]
            _, _, _, c1, c2 = sections[1]
            s1, s2, s3, s4 = filters[channel]
            energy = 0.0
            for i in range(frame, end):
                x = float(audio[i, channel])
                y = b0 * x + s1
                s1 = b1 * x - a1 * y + s2
                s2 = b2 * x - a2 * y
                z = y + s3
                s3 = -2.0 * y - c1 * z + s4
                s4 = y - c2 * z
                energy += z * z
            filters[channel, 0] = s1 if abs(s1) > 1e-30 else 0.0
            filters[channel, 1] = s2 if abs(s2) > 1e-30 else 0.0
            filters[channel, 2] = s3 if abs(s3) > 1e-30 else 0.0
            filters[channel, 3] = s4 if abs(s4) > 1e-30 else 0.0
            partial += weights[channel] * energy
        frame = end
        if frame == edge:
            out[hop] = partial
            partial = 0.0
            hop += 1
    return partial


@numba.njit(cache=True, nogil=True)
def _pairs(audio, sections, filters, partial, at_frame, rate_hz, first_hop, out):  # type: ignore[no-untyped-def]
    # Both channels in one loop: their recursions do not wait for each other.
    b0, b1, b2, a1, a2 = sections[0]
    _, _, _, c1, c2 = sections[1]
    s1, s2, s3, s4 = filters[0]
    t1, t2, t3, t4 = filters[1]
    hop = 0
    frame = 0
    while frame < len(audio):
        edge = -((-(first_hop + hop + 1) * rate_hz) // HOPS_PER_SECOND) - at_frame
        end = min(edge, len(audio))
        left = 0.0
        right = 0.0
        both = 0.0
        for i in range(frame, end):
            x = float(audio[i, 0])
            u = float(audio[i, 1])
            y = b0 * x + s1
            v = b0 * u + t1
            s1 = b1 * x - a1 * y + s2
            t1 = b1 * u - a1 * v + t2
            s2 = b2 * x - a2 * y
            t2 = b2 * u - a2 * v
            z = y + s3
            w = v + t3
            s3 = -2.0 * y - c1 * z + s4
            t3 = -2.0 * v - c1 * w + t4
            s4 = y - c2 * z
            t4 = v - c2 * w
            left += z * z
            right += w * w
            both += z * w
        # A decaying filter ends in denormals, which are slow: below -600 dB it is at rest.
        if abs(s1) + abs(s2) + abs(s3) + abs(s4) < 1e-30:
            s1 = s2 = s3 = s4 = 0.0
        if abs(t1) + abs(t2) + abs(t3) + abs(t4) < 1e-30:
            t1 = t2 = t3 = t4 = 0.0
        partial[0] += left
        partial[1] += right
        partial[2] += both
        frame = end
        if frame == edge:
            for column in range(3):
                out[hop, column] = partial[column]
                partial[column] = 0.0
            hop += 1
    filters[0, 0], filters[0, 1], filters[0, 2], filters[0, 3] = s1, s2, s3, s4
    filters[1, 0], filters[1, 1], filters[1, 2], filters[1, 3] = t1, t2, t3, t4
