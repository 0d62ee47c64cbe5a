"""K-weighting: the two filters of BS.1770 at any rate, and the energy that passes them.

Each second of a signal is filtered by itself, from rest a quarter of a second before it: a hundred times as long as the
filter takes to forget. So seconds can go side by side, and an energy is the same wherever a measurement began.
Leaves gating and levels to ``measure``.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numba
import numpy as np
import numpy.typing as npt

from recitant_core.dsp.lanes import (
    absolute,
    add,
    every,
    like,
    load,
    load_four_frames_from,
    load_frames_from,
    store,
    swapped,
    times,
    times_plus,
    where_more,
    widest,
)
from recitant_core.errors import RangeError
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import HOPS_PER_SECOND

# BS.1770 Annex 1 gives both filters at 48 kHz; this analogue prototype gives them back there (memory).
SHELF_HZ: Final = 1681.974450955533
SHELF_GAIN_DB: Final = 3.999843853973347
SHELF_Q: Final = 0.7071752369554196
SHELF_BAND_EXPONENT: Final = 0.4996667741545416
HIGH_PASS_HZ: Final = 38.13547087602444
HIGH_PASS_Q: Final = 0.5003270373238773
_LEADS_PER_SECOND: Final = 4
_STATE_ROWS: Final = 6
_FAINT: Final = 1e-30  # -600 dB
LEAST_RATE_HZ: Final = 4_000  # the shelf needs room under half the rate


@lru_cache(maxsize=32)
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
    """State of the K filter between two blocks."""

    rate_hz: int
    layout: ChannelLayout
    at_frame: int
    under_way: Mapping[int, FloatArray]
    """Of each stretch that has begun and is not over, by its index: float64 (pairs of channels, 6, 2), four delays of
    the filter, and what the hop that is not full yet holds: squares, and products of both channels."""

    @classmethod
    def at_rest(cls, layout: ChannelLayout, rate_hz: int) -> "KState":
        """A filter at the start of a signal.

        Raises:
            RangeError: the rate is too low for the filter.
        """
        k_weighting_sections(rate_hz)
        return cls(rate_hz, layout, 0, {})


def k_energies(audio: Audio, state: KState) -> tuple[FloatArray, KState]:
    """Channel-weighted sums of squares of every 10 ms that became full, and the state after.

    Args:
        audio: float32 (frames, channels) of the state's layout, finite.
        state: where the block before ended.

    Returns:
        float64 (hops,), sums over the frames of a hop (not means); the new state. Cut a signal as you like: the
        hops are the same to the last bit.
    """
    sums, after = _hop_sums(audio, state)
    weights = state.layout.loudness_weights()
    out = sums[0][:, 0] * weights[0]
    for channel in range(1, len(weights)):
        if weights[channel]:
            out += sums[channel // 2][:, channel % 2] * weights[channel]
    return out, after


def k_pairs(audio: Audio, state: KState) -> tuple[FloatArray, KState]:
    """Sums of left squared, right squared and left times right after K-weighting, of every 10 ms that became full.

    From these the energy of any mix of the two channels follows.

    Args:
        audio: float32 (frames, 2), finite.
        state: of a two-channel layout.

    Returns:
        float64 (hops, 3), and the new state.
    """
    sums, after = _hop_sums(audio, state)
    return sums[0], after


def hop_edges(n_hops: int, rate_hz: int) -> FloatArray:
    """Frame at which each of ``n_hops`` hops starts, and the end of the last: float64 (n_hops + 1,).

    >>> hop_edges(3, 44_100).tolist()
    [0.0, 441.0, 882.0, 1323.0]
    """
    return np.ceil(np.arange(n_hops + 1) * rate_hz / HOPS_PER_SECOND)


@lru_cache(maxsize=32)
def _edges(rate_hz: int) -> npt.NDArray[np.int64]:
    """Edges of the hops of a second, int64 (101,)."""
    return hop_edges(HOPS_PER_SECOND, rate_hz).astype(np.int64)


@dataclass(frozen=True)
class _Stretch:
    """A part of a block within one second of the signal's clock, the lead before that second included."""

    index: int
    first_frame: int
    """Of the block."""
    n_frames: int
    from_frame: int
    """Of the second; negative in the lead."""
    state: FloatArray | None
    """None from rest."""


def _hop_sums(audio: Audio, state: KState) -> tuple[list[FloatArray], KState]:
    """Of each pair of channels, float64 (hops, 3); see k_pairs. A last channel without a partner is its own."""
    if not len(audio):
        return [np.zeros((0, 3))] * -(-state.layout.n_channels // 2), state
    rate_hz, at = state.rate_hz, state.at_frame
    stretches = _stretches(len(audio), state)
    first_hop = at * HOPS_PER_SECOND // rate_hz
    n_hops = (at + len(audio)) * HOPS_PER_SECOND // rate_hz - first_hop
    n_pairs = -(-state.layout.n_channels // 2)
    after = {one.index: np.zeros((n_pairs, _STATE_ROWS, 2)) for one in stretches}
    sums = []
    for pair in range(n_pairs):
        two = audio[:, 2 * pair : 2 * pair + 2]
        if two.shape[1] == 1:
            two = np.empty((len(audio), 2), np.float32)
            two[:] = audio[:, 2 * pair : 2 * pair + 1]
        flat = np.ascontiguousarray(two).reshape(-1)
        out = np.zeros((n_hops, 3))
        for group in _groups(stretches):
            found = _run(flat, group, pair, rate_hz, {one.index: after[one.index][pair] for one in group})
            for i, one in enumerate(group):
                # Hops of the second that end within the block.
                at_hop = one.index * HOPS_PER_SECOND - first_hop
                begin, end = max(0, -at_hop), min(HOPS_PER_SECOND, n_hops - at_hop)
                if end > begin:
                    part = out[at_hop + begin : at_hop + end]
                    part[:, :2] = found[begin:end, 0, 2 * i : 2 * i + 2]
                    part[:, 2] = found[begin:end, 1, 2 * i]
        sums.append(out)
    over = (at + len(audio)) // rate_hz
    under_way = {index: rows for index, rows in after.items() if index >= over}
    return sums, replace(state, at_frame=at + len(audio), under_way=under_way)


def _stretches(n_frames: int, state: KState) -> list[_Stretch]:
    rate_hz, at = state.rate_hz, state.at_frame
    lead = rate_hz // _LEADS_PER_SECOND
    found = []
    for index in range(at // rate_hz, (at + n_frames + lead) // rate_hz + 1):
        begin, end = max(at, index * rate_hz - lead, 0), min(at + n_frames, (index + 1) * rate_hz)
        if end > begin:
            found.append(_Stretch(index, begin - at, end - begin, begin - index * rate_hz, state.under_way.get(index)))
    return found


def _groups(stretches: list[_Stretch]) -> Iterator[list[_Stretch]]:
    """Side by side what begins at the same frame of its second, from rest; what goes on from a state goes alone."""
    fresh = [one for one in stretches if one.state is None and one.from_frame < 0]
    yield from ([one] for one in stretches if one.state is not None or one.from_frame >= 0)
    fresh.sort(key=lambda one: -one.n_frames)
    most = widest() // 2
    yield from (fresh[i : i + most] for i in range(0, len(fresh), most))


def _run(flat: Audio, group: list[_Stretch], pair: int, rate_hz: int, after: dict[int, FloatArray]) -> FloatArray:
    """Sums of a group's hops, float64 (100, 2, lanes): squares, then products.

    Args:
        after: gets where each stretch stands, by its index, float64 (6, 2).
    """
    n_lanes = 2 if len(group) == 1 else widest()
    rows = np.zeros((_STATE_ROWS, n_lanes))
    if group[0].state is not None:
        rows[:, :2] = group[0].state[pair]
    # Where a signal has ended, or there is none, the first is read again, and what comes of it is thrown away.
    starts = np.full(n_lanes // 2, 2 * group[0].first_frame)
    starts[: len(group)] = [2 * one.first_frame for one in group]
    out = np.empty((HOPS_PER_SECOND, 2, n_lanes))
    sections = k_weighting_sections(rate_hz).reshape(-1)
    at = 0
    for i in reversed(range(len(group))):
        n = group[i].n_frames - at
        if n > 0:
            from_frame = group[0].from_frame + at
            _filtered_sums(
                flat, starts, at, n, from_frame, _edges(rate_hz), sections, rows.reshape(-1), out.reshape(-1),
                like(n_lanes),
            )  # fmt: skip
            at = group[i].n_frames
        after[group[i].index][:] = rows[:, 2 * i : 2 * i + 2]
        starts[i] = starts[0]
    return out


@numba.njit(cache=True, nogil=True)
def _filtered_sums(flat, starts, first, n, from_frame, edges, sections, rows, out, like):  # type: ignore[no-untyped-def]
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    shelf = (
        every(sections[0], like), every(sections[1], like), every(sections[2], like),
        every(-sections[3], like), every(-sections[4], like),
    )  # fmt: skip
    high_pass = (every(-2.0, like), every(-sections[8], like), every(-sections[9], like))
    faint, none = every(_FAINT, like), every(0.0, like)
    now = (
        load(rows, 0, like), load(rows, w, like), load(rows, 2 * w, like),
        load(rows, 3 * w, like), load(rows, 4 * w, like), load(rows, 5 * w, like),
    )  # fmt: skip
    hop = 0
    while hop < len(edges) - 1 and edges[hop + 1] <= from_frame:
        hop += 1
    frame = 0
    while frame < n:
        # The lead is filtered, and not counted.
        is_lead = from_frame + frame < 0
        edge = min(n, (0 if is_lead else edges[hop + 1]) - from_frame)
        whole = frame + (edge - frame) // 4 * 4
        for i in range(frame, whole, 4):
            x, y, u, v = load_four_frames_from(flat, starts, 2 * (first + i), like)
            now = _weighted(x, shelf, high_pass, now)
            now = _weighted(y, shelf, high_pass, now)
            now = _weighted(u, shelf, high_pass, now)
            now = _weighted(v, shelf, high_pass, now)
        for i in range(whole, edge):
            now = _weighted(load_frames_from(flat, starts, 2 * (first + i), like), shelf, high_pass, now)
        frame = edge
        s1, s2, s3, s4, squares, products = now
        if is_lead and from_frame + frame == 0:
            now = (s1, s2, s3, s4, none, none)
        elif not is_lead and from_frame + frame == edges[hop + 1]:
            store(out, 2 * hop * w, squares)
            store(out, (2 * hop + 1) * w, products)
            hop += 1
            # A decaying filter ends in denormal numbers, which are slow.
            s1 = where_more(absolute(s1), faint, s1, none)
            s2 = where_more(absolute(s2), faint, s2, none)
            s3 = where_more(absolute(s3), faint, s3, none)
            s4 = where_more(absolute(s4), faint, s4, none)
            now = (s1, s2, s3, s4, none, none)
    s1, s2, s3, s4, squares, products = now
    store(rows, 0, s1)
    store(rows, w, s2)
    store(rows, 2 * w, s3)
    store(rows, 3 * w, s4)
    store(rows, 4 * w, squares)
    store(rows, 5 * w, products)


@numba.njit(cache=True, nogil=True)
def _weighted(x, shelf, high_pass, now):  # type: ignore[no-untyped-def]
    b0, b1, b2, a1, a2 = shelf
    two, c1, c2 = high_pass
    s1, s2, s3, s4, squares, products = now
    y = times_plus(x, b0, s1)
    s1 = times_plus(y, a1, times_plus(x, b1, s2))
    s2 = times_plus(y, a2, times(x, b2))
    z = add(y, s3)
    s3 = times_plus(z, c1, times_plus(y, two, s4))
    s4 = times_plus(z, c2, y)
    return (s1, s2, s3, s4, times_plus(z, z, squares), times_plus(z, swapped(z), products))
