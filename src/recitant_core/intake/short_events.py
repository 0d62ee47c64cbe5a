"""Holes and clicks of a recording, found while it is read, wherever they fall between two reads.

Held to: tests/core/test_findings.py
"""

from typing import Final

import numba
import numpy as np

from recitant_core.units.arrays import Audio, FloatArray

# A hole: 5 to 50 ms of one value, cut into sound that goes on right before and right behind it.
_HOLE_SAMPLES: Final = (240, 2_400)
_BESIDE_HOLE_SAMPLES: Final = 48
_BESIDE_HOLE: Final = 0.004
# A click: up to 1.5 ms whose steepness stands far over the 20 ms before and behind it.
_CLICK_SAMPLES: Final = 24
_CLICK_PIECES: Final = 3
_AROUND_PIECES: Final = 40
_CLICK_OVER: Final = 10.0**2.4
_FAINTEST: Final = 1e-9
_MOST: Final = 2_000
# What is read is looked at together with this much of what came before it: a whole number of pieces for clicks.
_OVERLAP: Final = 2 * (_HOLE_SAMPLES[1] + 2 * _BESIDE_HOLE_SAMPLES)


class ShortEvents:
    """Gathers holes and clicks from pieces of a recording that are fed in order."""

    def __init__(self, n_channels: int) -> None:
        self._holes = np.zeros((_MOST, 3))
        self._clicks = np.zeros((_MOST, 3))
        self._n_holes = 0
        self._n_clicks = 0
        self._before: Audio = np.zeros((0, n_channels), np.float32)

    def feed(self, audio: Audio, start_sample: int) -> None:
        """Look at the next stretch.

        Args:
            audio: float32 (frames, channels); of any length at the end, else a whole number of 24 frames.
        """
        joined = np.concatenate([self._before, audio])
        first = start_sample - len(self._before)
        self._n_holes = _find_holes(joined, first, self._holes, self._n_holes)
        self._n_clicks = _find_clicks(joined, first, self._clicks, self._n_clicks)
        self._before = joined[-_OVERLAP:]

    @property
    def holes(self) -> FloatArray:
        """float64 (holes, 3): channel, first sample, samples of each."""
        return self._holes[: self._n_holes].copy()

    @property
    def clicks(self) -> FloatArray:
        """float64 (clicks, 3): channel, first sample, samples of each."""
        return self._clicks[: self._n_clicks].copy()


@numba.njit(cache=True, nogil=True)
def _is_known(events, n, channel, at):  # type: ignore[no-untyped-def]
    # What lay in the overlap was seen before.
    for k in range(max(0, n - 256), n):  # noqa: SIM110  generators do not compile
        if events[k, 0] == channel and events[k, 1] == at:
            return True
    return False


@numba.njit(cache=True, nogil=True)
def _find_holes(audio, start_sample, holes, n_holes):  # type: ignore[no-untyped-def]
    n, channels = audio.shape
    least, most = _HOLE_SAMPLES
    beside = _BESIDE_HOLE_SAMPLES
    for channel in range(channels):
        i = beside
        while i < n - least - beside:
            value = audio[i, channel]
            # A run of one value begins here, and is long enough: its last sample is looked at before those between.
            if audio[i - 1, channel] == value or audio[i + least - 1, channel] != value:
                i += 1
                continue
            end = i + 1
            while end < n and audio[end, channel] == value:
                end += 1
            length = end - i
            if least <= length <= most and end + beside <= n:
                high_before, high_after = 0.0, 0.0
                for k in range(beside):
                    high_before = max(high_before, abs(audio[i - 1 - k, channel] - value))
                    high_after = max(high_after, abs(audio[end + k, channel] - value))
                # A rest in the music fades out; a hole has full sound on both sides.
                is_hole = min(high_before, high_after) >= _BESIDE_HOLE
                if is_hole and n_holes < len(holes) and not _is_known(holes, n_holes, channel, start_sample + i):
                    holes[n_holes, 0] = channel
                    holes[n_holes, 1] = start_sample + i
                    holes[n_holes, 2] = length
                    n_holes += 1
            i = end
    return n_holes


@numba.njit(cache=True, nogil=True)
def _find_clicks(audio, start_sample, clicks, n_clicks):  # type: ignore[no-untyped-def]
    n, channels = audio.shape
    n_pieces = n // _CLICK_SAMPLES
    steep = np.zeros(n_pieces)
    sums = np.zeros(n_pieces + 1)
    for channel in range(channels):
        for k in range(n_pieces):
            power = 0.0
            for i in range(max(2, k * _CLICK_SAMPLES), (k + 1) * _CLICK_SAMPLES):
                # The second difference: small in music and speech, large where a sample stands out.
                bend = audio[i, channel] - 2.0 * audio[i - 1, channel] + audio[i - 2, channel]
                power += bend * bend
            steep[k] = power / _CLICK_SAMPLES
            sums[k + 1] = sums[k] + steep[k]
        k = _AROUND_PIECES
        while k < n_pieces - _AROUND_PIECES - _CLICK_PIECES:
            # A click stands over what is before it and over what follows; an onset goes on.
            before = max((sums[k] - sums[k - _AROUND_PIECES]) / _AROUND_PIECES, _FAINTEST / _CLICK_OVER)
            if steep[k] <= _FAINTEST or steep[k] <= _CLICK_OVER * before:
                k += 1
                continue
            end = k + 1
            highest = steep[k]
            while end - k <= _CLICK_PIECES and steep[end] > before * np.sqrt(_CLICK_OVER):
                highest = max(highest, steep[end])
                end += 1
            after = (sums[end + _AROUND_PIECES] - sums[end]) / _AROUND_PIECES
            at = start_sample + k * _CLICK_SAMPLES
            is_click = end - k <= _CLICK_PIECES and highest > _CLICK_OVER * max(after, _FAINTEST / _CLICK_OVER)
            if is_click and n_clicks < len(clicks) and not _is_known(clicks, n_clicks, channel, at):
                clicks[n_clicks, 0] = channel
                clicks[n_clicks, 1] = at
                clicks[n_clicks, 2] = (end - k) * _CLICK_SAMPLES
                n_clicks += 1
            k = end
    return n_clicks
