"""Second-order filters: coefficients, responses, and cascades of them over audio, standing still or moving.

Source of the coefficients: R. Bristow-Johnson, Audio EQ Cookbook (W3C note); first-order sections by the bilinear
transform; Butterworth cascades from the poles' angles.
Held to: tests/conformance/test_filters.py
"""

import math
from typing import Final

import numba
import numpy as np

from recitant_core.dsp.pairs import times_plus
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

MOVE_SAMPLES: Final = 64  # a filter that moves does so in steps of 1.3 ms
_SETTLED: Final = 1e-6  # -120 dB
_MOST_SETTLING_SAMPLES: Final = 12 * RATE_HZ
_STRETCH: Final = 256
_FAINT: Final = 1e-25
_FREQ_LIMIT_HZ: Final = 0.49 * RATE_HZ


def _angles(freq_hz: float, q: float) -> tuple[float, float]:
    turn = 2.0 * math.pi * min(freq_hz, _FREQ_LIMIT_HZ) / RATE_HZ
    return math.cos(turn), math.sin(turn) / (2.0 * q)


def _section(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> list[float]:
    return [b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0]


def bell(freq_hz: float, gain_db: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a peaking filter, with a0 = 1.

    Args:
        freq_hz: of its middle; brought under 0.49 of the sample rate.
        gain_db: at the middle; 0 changes nothing.
        q: of the middle's frequency to its bandwidth, by half the gain in dB.
    """
    cos, alpha = _angles(freq_hz, q)
    a = 10.0 ** (gain_db / 40.0)
    return _section(1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a)


def low_shelf(freq_hz: float, gain_db: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a shelf below a frequency, with a0 = 1.

    Args:
        freq_hz: where half the gain in dB is reached; brought under 0.49 of the sample rate.
        gain_db: far below.
        q: 0.707 for the steepest shelf that does not overshoot.
    """
    cos, alpha = _angles(freq_hz, q)
    a = 10.0 ** (gain_db / 40.0)
    root = 2.0 * math.sqrt(a) * alpha
    return _section(
        a * ((a + 1) - (a - 1) * cos + root), 2 * a * ((a - 1) - (a + 1) * cos), a * ((a + 1) - (a - 1) * cos - root),
        (a + 1) + (a - 1) * cos + root, -2 * ((a - 1) + (a + 1) * cos), (a + 1) + (a - 1) * cos - root,
    )  # fmt: skip


def high_shelf(freq_hz: float, gain_db: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a shelf above a frequency, with a0 = 1.

    Args:
        freq_hz: where half the gain in dB is reached; brought under 0.49 of the sample rate.
        gain_db: far above.
        q: 0.707 for the steepest shelf that does not overshoot.
    """
    cos, alpha = _angles(freq_hz, q)
    a = 10.0 ** (gain_db / 40.0)
    root = 2.0 * math.sqrt(a) * alpha
    return _section(
        a * ((a + 1) + (a - 1) * cos + root), -2 * a * ((a - 1) + (a + 1) * cos), a * ((a + 1) + (a - 1) * cos - root),
        (a + 1) - (a - 1) * cos + root, 2 * ((a - 1) - (a + 1) * cos), (a + 1) - (a - 1) * cos - root,
    )  # fmt: skip


def notch(freq_hz: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a notch, with a0 = 1.

    Args:
        freq_hz: that it takes away; brought under 0.49 of the sample rate.
        q: of this frequency to the width 3 dB down.
    """
    cos, alpha = _angles(freq_hz, q)
    return _section(1.0, -2 * cos, 1.0, 1 + alpha, -2 * cos, 1 - alpha)


def band_pass(freq_hz: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a band-pass with 0 dB at its middle, with a0 = 1.

    Args:
        freq_hz: of its middle; brought under 0.49 of the sample rate.
        q: of this frequency to the width 3 dB down.
    """
    cos, alpha = _angles(freq_hz, q)
    return _section(alpha, 0.0, -alpha, 1 + alpha, -2 * cos, 1 - alpha)


def low_pass(freq_hz: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a second-order low-pass, with a0 = 1.

    Args:
        freq_hz: of its edge; brought under 0.49 of the sample rate.
        q: gain at the edge as a factor; 0.707 for Butterworth, 3 dB down.
    """
    cos, alpha = _angles(freq_hz, q)
    return _section((1 - cos) / 2, 1 - cos, (1 - cos) / 2, 1 + alpha, -2 * cos, 1 - alpha)


def high_pass(freq_hz: float, q: float) -> list[float]:
    """b0 b1 b2 a1 a2 of a second-order high-pass, with a0 = 1.

    Args:
        freq_hz: of its edge; brought under 0.49 of the sample rate.
        q: gain at the edge as a factor; 0.707 for Butterworth, 3 dB down.
    """
    cos, alpha = _angles(freq_hz, q)
    return _section((1 + cos) / 2, -(1 + cos), (1 + cos) / 2, 1 + alpha, -2 * cos, 1 - alpha)


def butterworth(freq_hz: float, db_per_octave: int, *, is_high: bool) -> FloatArray:
    """Sections of a Butterworth high- or low-pass, 3 dB down at its frequency; float64 (sections, 5).

    Args:
        db_per_octave: a multiple of 6.
    """
    order = db_per_octave // 6
    sections = []
    if order % 2:
        k = math.tan(math.pi * min(freq_hz, _FREQ_LIMIT_HZ) / RATE_HZ)
        b0, b1 = (1.0, -1.0) if is_high else (k, k)
        sections.append([b0 / (1 + k), b1 / (1 + k), 0.0, (k - 1) / (1 + k), 0.0])
    for pair in range(order // 2):
        angle = math.pi * (2 * pair + 1 + order % 2) / (2 * order) if order % 2 == 0 else math.pi * (pair + 1) / order
        q = 1.0 / (2.0 * math.cos(angle))
        sections.append(high_pass(freq_hz, q) if is_high else low_pass(freq_hz, q))
    return np.array(sections)


def response_db(sections: FloatArray, freq_hz: FloatArray) -> FloatArray:
    """Gain of a cascade at each frequency, float64 (frequencies,).

    Args:
        sections: float64 (sections, 5).
    """
    z = np.exp(-2j * np.pi * freq_hz / RATE_HZ)
    total = np.ones(len(freq_hz), np.complex128)
    for b0, b1, b2, a1, a2 in sections:
        total *= (b0 + (b1 + b2 * z) * z) / (1.0 + (a1 + a2 * z) * z)
    found: FloatArray = 20.0 * np.log10(np.maximum(np.abs(total), 1e-12))
    return found


def settling_samples(sections: FloatArray) -> int:
    """Samples after which the impulse response of a cascade has decayed below -120 dB.

    Args:
        sections: b0 b1 b2 a1 a2 of each, float64 (sections, 5). Slow ones are brought under twelve seconds.
    """
    total = 0
    for *_, a1, a2 in sections:
        radius = max(abs(root) for root in np.roots([1.0, a1, a2])) if a2 or a1 else 0.0
        if radius > 0.0:
            total = max(total, round(math.log(_SETTLED) / math.log(min(radius, 1.0 - 1e-9))))
    # Poles near one another add to each other's tails.
    return min(_MOST_SETTLING_SAMPLES, round(total * (1.0 + 0.15 * (len(sections) - 1)))) + 8


def filtered(audio: Audio, sections: FloatArray, out: Audio | None = None) -> Audio:
    """Audio through a cascade, from rest: float32 (frames, channels); sums are kept in double precision.

    Args:
        audio: float32 (frames, channels).
        sections: float64 (sections, 5).
        out: where to put it; may be the audio itself.
    """
    if out is None:
        out = np.empty_like(audio)
    if not len(sections):
        out[:] = audio
        return out
    channels = audio.shape[1]
    if channels == 2:
        _cascade(audio, sections, out)
    else:
        # One channel rides as both; more go through two by two.
        for first in range(0, channels, 2):
            pair = audio[:, first : first + 2] if channels - first > 1 else np.repeat(audio[:, first : first + 1], 2, 1)
            pair = np.ascontiguousarray(pair)
            _cascade(pair, sections, pair)
            out[:, first : first + 2] = pair[:, : channels - first]
    return out


def _cascade(audio: Audio, sections: FloatArray, out: Audio) -> None:
    # Of each section: two samples before it and two after it, of both channels.
    state = np.zeros((len(sections), 2, 4))
    index = 0
    while index < len(sections):
        count = 4 if len(sections) - index >= 4 else 1
        run = _four_of_two if count == 4 else _one_of_two
        run(audio if index == 0 else out, sections[index : index + count], state[index : index + count], out)
        index += count


def filtered_moving(audio: Audio, sections: FloatArray) -> Audio:
    """Audio through a cascade that moves, from rest: float32 (frames, channels).

    Args:
        audio: its first frame lies on the grid of MOVE_SAMPLES.
        sections: float64 (steps, sections, 5), one step for every MOVE_SAMPLES frames.
    """
    out = np.empty_like(audio)
    _moving(audio, sections, out)
    return out


@numba.njit(cache=True, nogil=True)
def _kept(pair):  # type: ignore[no-untyped-def]
    # Flush denormals: they take the processor a hundred times as long.
    return (pair[0] if abs(pair[0]) > _FAINT else 0.0, pair[1] if abs(pair[1]) > _FAINT else 0.0)


@numba.njit(cache=True, nogil=True)
def _at(state, k):  # type: ignore[no-untyped-def]
    return (state[0, k], state[1, k])


@numba.njit(cache=True, nogil=True)
def _keep(state, x1, x2, y1, y2):  # type: ignore[no-untyped-def]
    for c in range(2):
        state[c, 0], state[c, 1], state[c, 2], state[c, 3] = x1[c], x2[c], y1[c], y2[c]


@numba.njit(cache=True, nogil=True)
def _one_of_two(x, sections, state, out):  # type: ignore[no-untyped-def]
    b0, b1, b2, a1, a2 = sections[0]
    a1, a2 = -a1, -a2
    none = (0.0, 0.0)
    x1, x2, y1, y2 = _at(state[0], 0), _at(state[0], 1), _at(state[0], 2), _at(state[0], 3)
    for start in range(0, len(x), _STRETCH):
        for i in range(start, min(start + _STRETCH, len(x))):
            now = (float(x[i, 0]), float(x[i, 1]))
            # The loop-carried dependency comes last: the next sample waits for it.
            older = times_plus(x2, b2, times_plus(x1, b1, times_plus(now, b0, none)))
            y = times_plus(y1, a1, times_plus(y2, a2, older))
            x2, x1, y2, y1 = x1, now, y1, y
            out[i, 0] = y[0]
            out[i, 1] = y[1]
        y1, y2 = _kept(y1), _kept(y2)
    _keep(state[0], x1, x2, y1, y2)


@numba.njit(cache=True, nogil=True)
def _four_of_two(x, sections, state, out):  # type: ignore[no-untyped-def]
    # Four sections in one pass: chains of sums that the processor can keep under way at once.
    a0, a1, a2, a3, a4 = sections[0]
    b0, b1, b2, b3, b4 = sections[1]
    c0, c1, c2, c3, c4 = sections[2]
    d0, d1, d2, d3, d4 = sections[3]
    a3, a4, b3, b4, c3, c4, d3, d4 = -a3, -a4, -b3, -b4, -c3, -c4, -d3, -d4
    none = (0.0, 0.0)
    p1, p2 = _at(state[0], 0), _at(state[0], 1)
    q1, q2 = _at(state[0], 2), _at(state[0], 3)
    u1, u2 = _at(state[1], 2), _at(state[1], 3)
    v1, v2 = _at(state[2], 2), _at(state[2], 3)
    w1, w2 = _at(state[3], 2), _at(state[3], 3)
    for start in range(0, len(x), _STRETCH):
        for i in range(start, min(start + _STRETCH, len(x))):
            s = (float(x[i, 0]), float(x[i, 1]))
            y = times_plus(s, a0, times_plus(q1, a3, times_plus(q2, a4, times_plus(p2, a2, times_plus(p1, a1, none)))))
            p2, p1 = p1, s
            s = times_plus(y, b0, times_plus(u1, b3, times_plus(u2, b4, times_plus(q2, b2, times_plus(q1, b1, none)))))
            q2, q1 = q1, y
            y = times_plus(s, c0, times_plus(v1, c3, times_plus(v2, c4, times_plus(u2, c2, times_plus(u1, c1, none)))))
            u2, u1 = u1, s
            s = times_plus(y, d0, times_plus(w1, d3, times_plus(w2, d4, times_plus(v2, d2, times_plus(v1, d1, none)))))
            v2, v1 = v1, y
            w2, w1 = w1, s
            out[i, 0] = s[0]
            out[i, 1] = s[1]
        q1, q2, u1, u2 = _kept(q1), _kept(q2), _kept(u1), _kept(u2)
        v1, v2, w1, w2 = _kept(v1), _kept(v2), _kept(w1), _kept(w2)
    _keep(state[0], p1, p2, q1, q2)
    _keep(state[1], q1, q2, u1, u2)
    _keep(state[2], u1, u2, v1, v2)
    _keep(state[3], v1, v2, w1, w2)


@numba.njit(cache=True, nogil=True)
def _moving(x, sections, out):  # type: ignore[no-untyped-def]
    m = sections.shape[1]
    for channel in range(x.shape[1]):
        signal = np.zeros((m + 1, 2))
        for i in range(len(x)):
            step = min(i // MOVE_SAMPLES, len(sections) - 1)
            value = float(x[i, channel])
            for s in range(m):
                b0, b1, b2, a1, a2 = sections[step, s]
                y = b0 * value + b1 * signal[s, 0] + b2 * signal[s, 1] - a2 * signal[s + 1, 1] - a1 * signal[s + 1, 0]
                signal[s, 1] = signal[s, 0]
                signal[s, 0] = value
                value = y
            signal[m, 1] = signal[m, 0]
            signal[m, 0] = value
            out[i, channel] = value
            if i % _STRETCH == _STRETCH - 1 and np.abs(signal[1:]).max() < _FAINT:
                signal[1:] = 0.0
