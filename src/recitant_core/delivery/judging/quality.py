"""What is looked at in a finished file, beside its loudness: what slips through a figure and is heard at once.

Limits are common practice in quality control of finished sound; each is named with its check.
Held to: tests/core/test_quality.py
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numba
import numpy as np

from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import db_from_factor

LONGEST_SILENCE_S: Final = 2.0  # of digital silence inside a programme
EDGE_SAMPLES: Final = RATE_HZ // 1_000  # what is heard as a click at an edge: its first millisecond
EDGE_DBFS: Final = -50.0
STEP_OVER: Final = 2.5
"""Times the movement from sample to sample around it: what the jump at a hard edge is at the least."""
DC_DBFS: Final = -50.0
WIDE_WINDOW_S: Final = 3
OPPOSITE_CORRELATION: Final = -0.3  # of both sides over three seconds: they cancel in mono
AUDIBLE_DBFS: Final = -50.0
STEMS_NULL_STEPS: Final = 1.5  # of 24 bit, a stem: dither moves a sample by one step at most, rounding by half of one
DROPOUT_DB: Final = 20.0
DROPOUT_HOPS: Final = 2
_BOTH: Final = 2
MOST_FILLING_SAMPLES: Final = 4_096  # of the last block of a codec


class CheckState(StrEnum):
    """Outcome of a quality check."""

    FINE = "fine"
    REMARK = "remark"
    """Worth listening to; it may be meant."""
    WRONG = "wrong"
    """Nothing that anybody means."""


@dataclass(frozen=True)
class QualityCheck:
    """One thing that was looked at in a file."""

    check: str
    file: str
    state: CheckState
    value: float | None = None
    """In the unit of the check."""
    at_s: float | None = None
    """Where in the programme, in seconds."""


class SoundChecks:
    """Looks at the samples of a file while its blocks pass by."""

    def __init__(self, file: str, n_channels: int, rate_hz: int = RATE_HZ, full_scale: float = 1.0) -> None:
        """Nothing seen yet.

        Args:
            file: its name.
            n_channels: of every block.
            rate_hz: of the file.
            full_scale: the highest sample that the file can hold; of whole numbers it lies a step under 1.0.
        """
        self._full_scale = np.float32(full_scale)
        self._file = file
        self._rate_hz = rate_hz
        self._n_samples = 0
        self._over = np.array([0, -1])
        """How many samples are at full scale, and the first of them."""
        self._total = np.zeros(n_channels)
        self._head = np.zeros((0, n_channels), np.float32)
        self._tail = np.zeros((0, n_channels), np.float32)
        # First and length of the longest run of zeros between sounds, and of the one that goes on.
        self._silence = np.zeros(4, np.int64)
        self._has_sound = False
        self._sides: list[FloatArray] = []
        self._second = np.zeros(3)
        """Of the second that goes on: sums of left times right, and of the square of each."""

    def feed(self, audio: Audio) -> None:
        """Look at the next block, float32 (frames, channels)."""
        if len(self._head) < EDGE_SAMPLES:
            self._head = np.concatenate([self._head, audio[: EDGE_SAMPLES - len(self._head)]])
        self._tail = np.concatenate([self._tail, audio[-EDGE_SAMPLES:]])[-EDGE_SAMPLES:]
        audio = np.ascontiguousarray(audio)
        self._has_sound = _look_along(
            audio, self._n_samples, self._full_scale, self._has_sound, self._silence, self._over, self._total
        )
        if audio.shape[1] == _BOTH:
            seconds = np.zeros(((self._n_samples % self._rate_hz + len(audio)) // self._rate_hz + 1, 3))
            seconds[0] = self._second
            _add_sides(audio, self._n_samples % self._rate_hz, self._rate_hz, seconds)
            self._sides.append(seconds[:-1])
            self._second = seconds[-1]
        self._n_samples += len(audio)

    def quality_checks(self) -> list[QualityCheck]:
        """Everything that was looked at."""
        return [self._clipped(), self._silent(), *self._edges(), self._dc(), *self._opposite()]

    def _check(self, check: str, state: CheckState, value: float | None, at: float | None = None) -> QualityCheck:
        return QualityCheck(check, self._file, state, value, None if at is None else at / self._rate_hz)

    def _clipped(self) -> QualityCheck:
        n_over, first = self._over.tolist()
        state = CheckState.WRONG if n_over else CheckState.FINE
        return self._check("over", state, n_over, first if n_over else None)

    def _silent(self) -> QualityCheck:
        first, length = int(self._silence[0]), int(self._silence[1])
        longest_s = length / self._rate_hz
        if longest_s > LONGEST_SILENCE_S:
            return self._check("silence", CheckState.REMARK, longest_s, first)
        return self._check("silence", CheckState.FINE, longest_s)

    def _edges(self) -> list[QualityCheck]:
        found = []
        for check, part, at in (("start", self._head, 0), ("end", self._tail, max(0, self._n_samples - EDGE_SAMPLES))):
            peak_dbfs = db_from_factor(float(np.abs(part).max(initial=0.0)))
            is_cut = peak_dbfs > EDGE_DBFS and _is_step(part, is_start=check == "start")
            state = CheckState.REMARK if is_cut else CheckState.FINE
            value = peak_dbfs if math.isfinite(peak_dbfs) else None
            found.append(self._check(check, state, value, at if is_cut else None))
        return found

    def _dc(self) -> QualityCheck:
        offset = float(np.abs(self._total).max(initial=0.0)) / max(1, self._n_samples)
        offset_dbfs = db_from_factor(offset)
        value = offset_dbfs if math.isfinite(offset_dbfs) else None
        return self._check("dc", CheckState.REMARK if offset_dbfs > DC_DBFS else CheckState.FINE, value)

    def _opposite(self) -> list[QualityCheck]:
        seconds = np.concatenate([np.zeros((0, 3)), *self._sides])
        if len(seconds) < WIDE_WINDOW_S:
            return []
        sums = np.lib.stride_tricks.sliding_window_view(seconds, WIDE_WINDOW_S, axis=0).sum(axis=2)
        power = 10.0 ** (AUDIBLE_DBFS / 10.0) * WIDE_WINDOW_S * self._rate_hz
        heard = np.minimum(sums[:, 1], sums[:, 2]) > power
        if not heard.any():
            return []
        correlation = np.full(len(sums), np.inf)
        correlation[heard] = sums[heard, 0] / np.sqrt(sums[heard, 1] * sums[heard, 2])
        worst = int(np.argmin(correlation))
        is_opposite = correlation[worst] < OPPOSITE_CORRELATION
        state = CheckState.REMARK if is_opposite else CheckState.FINE
        return [self._check("sides", state, float(correlation[worst]), worst * self._rate_hz if is_opposite else None)]


def _is_step(part: Audio, *, is_start: bool) -> bool:
    """Whether sound begins or ends with a jump that stands out over its own movement, as steady noise does not.

    Args:
        part: first or last samples, float32 (samples, channels).
        is_start: which of them.
    """
    if len(part) < 2:
        return False
    step = np.abs(part[0 if is_start else -1])
    movement = np.quantile(np.abs(np.diff(part, axis=0)), 0.9, axis=0)
    return bool((step > STEP_OVER * movement).any())


@numba.njit(cache=True, nogil=True)
def _look_along(audio, start, full_scale, has_sound, silence, over, total):  # type: ignore[no-untyped-def]
    # silence: first and length of the longest run that ended, first and length of the one that goes on.
    for i in range(len(audio)):
        is_zero = True
        for channel in range(audio.shape[1]):
            value = audio[i, channel]
            total[channel] += value
            if value != 0.0:
                is_zero = False
            if abs(value) >= full_scale:
                over[0] += 1
                if over[1] < 0:
                    over[1] = start + i
        if is_zero:
            if silence[3] == 0:
                silence[2] = start + i
            silence[3] += 1
            continue
        # Silence before the first sound is not inside.
        if has_sound and silence[3] > silence[1]:
            silence[0] = silence[2]
            silence[1] = silence[3]
        silence[3] = 0
        has_sound = True
    return has_sound


@numba.njit(cache=True, nogil=True)
def _add_sides(audio, inside, rate_hz, seconds):  # type: ignore[no-untyped-def]
    # inside: how far the first frame lies in its second.
    at = inside
    row = 0
    for i in range(len(audio)):
        left, right = np.float64(audio[i, 0]), np.float64(audio[i, 1])
        seconds[row, 0] += left * right
        seconds[row, 1] += left * left
        seconds[row, 2] += right * right
        at += 1
        if at == rate_hz:
            at = 0
            row += 1


class StemsRest:
    """Highest difference between the sum of the stems and the mix before its limiter, fed stretch by stretch."""

    def __init__(self) -> None:
        self._highest = np.zeros(2)

    def feed(self, stems: Sequence[Audio], mix: Audio, gain: float, at_sample: int) -> None:
        """Compare the next stretch.

        Args:
            stems: float32 (frames, channels) each.
            mix: as it is before the gain of its master.
            gain: factor of that gain, in float32.
            at_sample: of the first frame.
        """
        total = stems[0].astype(np.float64)
        for stem in stems[1:]:
            _add_to(total.reshape(-1), stem.reshape(-1))
        _compare(total, mix, np.float32(gain), at_sample, self._highest)

    def quality_check(self, file: str, n_stems: int) -> QualityCheck:
        """Outcome, with its figures."""
        return stems_check(file, float(self._highest[0]), int(self._highest[1]), n_stems)


@numba.njit(cache=True, nogil=True)
def _add_to(total, values):  # type: ignore[no-untyped-def]
    for i in range(len(values)):
        total[i] += values[i]


@numba.njit(cache=True, nogil=True)
def _compare(total, mix, gain, at_sample, highest):  # type: ignore[no-untyped-def]
    for i in range(min(len(total), len(mix))):
        for channel in range(total.shape[1]):
            away = abs(total[i, channel] - np.float64(mix[i, channel] * gain))
            if away > highest[0]:
                highest[0] = away
                highest[1] = at_sample + i


def stems_check(file: str, highest_rest: float, at_sample: int, n_stems: int) -> QualityCheck:
    """Whether stems add up to their mix as it is before its last limiter.

    Args:
        file: name of the mix.
        highest_rest: highest sample of the sum less the mix, full scale 1.0.
        at_sample: where that is.
        n_stems: each was rounded by itself; the sum of the mix is rounded too.
    """
    most = (STEMS_NULL_STEPS * n_stems + 1.0) / (1 << 23)
    is_null = highest_rest <= most
    rest_dbfs = db_from_factor(highest_rest)
    return QualityCheck(
        "stems",
        file,
        CheckState.FINE if is_null else CheckState.WRONG,
        rest_dbfs if math.isfinite(rest_dbfs) else None,
        None if is_null else at_sample / RATE_HZ,
    )


def dropout_check(file: str, went_in: FloatArray, came_out: FloatArray) -> QualityCheck:
    """Whether sound is missing in a file that was in the mix.

    Args:
        file: its name.
        went_in: 10 ms energies of the mix, float64 (hops,).
        came_out: of the file, on the same clock.
    """
    n = min(len(went_in), len(came_out))
    floor = 10.0 ** (AUDIBLE_DBFS / 10.0) * (RATE_HZ // 100)
    is_gone = (went_in[:n] > floor) & (came_out[:n] < went_in[:n] * 10.0 ** (-DROPOUT_DB / 10.0))
    runs = np.flatnonzero(np.diff(np.concatenate([[0], is_gone.view(np.int8), [0]]))).reshape(-1, 2)
    long = [run for run in runs.tolist() if run[1] - run[0] >= DROPOUT_HOPS]
    if not long:
        return QualityCheck("dropouts", file, CheckState.FINE, 0)
    return QualityCheck("dropouts", file, CheckState.WRONG, len(long), long[0][0] / 100)


def length_check(file: str, length_samples: int, wanted_samples: int) -> QualityCheck:
    """Whether a file is as long as it must be; a last block that is filled up with silence is no fault."""
    by = length_samples - wanted_samples
    return QualityCheck("length", file, CheckState.FINE if 0 <= by <= MOST_FILLING_SAMPLES else CheckState.WRONG, by)


def same_check(file: str, *, is_same: bool) -> QualityCheck:
    """Whether what is on disk is what was rendered."""
    return QualityCheck("same", file, CheckState.FINE if is_same else CheckState.WRONG)
