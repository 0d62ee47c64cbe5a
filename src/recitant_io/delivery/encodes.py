"""Compressed files and films of a delivery, proved: each is played back, measured, and made anew until it holds.

Held to: tests/io/test_copies.py
"""

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, Final, Protocol

import numpy as np
from scipy.signal import correlate

from recitant_core.delivery.fitting.trial import Rendered
from recitant_core.delivery.judging.judge import State, Verdict, judge
from recitant_core.delivery.specification.model import Spec
from recitant_core.measure.meter import MeterState, Readings, feed_meter, hop_energy, read_meter
from recitant_core.ports import Progress, no_progress
from recitant_core.render.mix import mastered_segments
from recitant_core.timeline.model import Master, Plan
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import layout_from_count
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ
from recitant_core.units.level import finite
from recitant_io.formats.codecs import Codec, decoded_blocks, encode
from recitant_io.formats.sound_file import SoundFileForm, programme_sound, sound_writer
from recitant_io.media.labels import Labels

MOST_TRIES: Final = 6
MOST_MORE_DB: Final = 1.5  # of gain, against what a codec and a lower ceiling take
_UNDER_DB: Final = 0.03  # below the ceiling, when it is fitted again: peaks move a little with every change
_NOTABLE_LU: Final = 0.15  # that a codec takes: made up for in one more try
_GIVING_BACK_TRIES: Final = 3  # the rest of them is for the ceiling
_MORE: Final = 1.5  # of what the loudness lies outside its tolerance, when the gain is fitted again
_WINDOW_SAMPLES: Final = RATE_HZ // 2
_AS_HIGH: Final = 0.98
_REACH_SAMPLES: Final = 4_800
_PLACES: Final = 3


@dataclass(frozen=True)
class Decoded:
    """Figures of a compressed file as it plays back."""

    readings: Readings
    clipped_samples: int
    """Beyond full scale: a player of whole numbers cuts them off."""
    shift_samples: int
    """By which it is late against the mix as it plays back; negative where it is early. The worst of three places."""
    of_codec_samples: int
    """Of that, what every decoder of the codec is late by."""
    length_samples: int
    energies: FloatArray
    """10 ms energies, float64 (hops,)."""


class Copy(Protocol):
    """A file that is made of a mix and can be played back."""

    @property
    def delay_samples(self) -> int:
        """By which every player is late; nothing in the file declares it."""

    @property
    def offset_samples(self) -> int:
        """Sample of the mix at which the file begins."""

    def write(self, blocks: Iterable[Audio]) -> None:
        """Make the file of a mix, float32 (frames, channels), in order.

        Raises:
            StorageFull: no room left.
        """

    def played(self) -> Iterator[Audio]:
        """Blocks of the file as it plays back, float32 (frames, channels)."""

    def expected_samples(self, length_samples: int) -> int:
        """Length in samples that a mix of this length must play for."""


@dataclass(frozen=True)
class CodecCopy:
    """A compressed file. Implements Copy."""

    path: Path
    codec: Codec
    n_channels: int
    bit_rate_kbps: int | None = None
    labels: Labels | None = None
    chapters: tuple[Any, ...] = ()
    offset_samples: int = 0

    @property
    def delay_samples(self) -> int:
        """Delay in samples, by the format."""
        return self.codec.delay_samples

    def write(self, blocks: Iterable[Audio]) -> None:
        """Make the file.

        Raises:
            StorageFull: no room left. PlanError: a bit rate that the codec does not offer.
        """
        encode(
            blocks,
            self.path,
            self.codec,
            self.n_channels,
            bit_rate_kbps=self.bit_rate_kbps,
            labels=self.labels,
            chapters=self.chapters,
        )

    def played(self) -> Iterator[Audio]:
        """Blocks as the file plays back, float32 (frames, channels)."""
        return decoded_blocks(self.path)

    def expected_samples(self, length_samples: int) -> int:
        """Length of the mix, in samples."""
        return length_samples


@dataclass(frozen=True)
class SoundFileCopy:
    """An uncompressed file at another rate than the mix, which moves its peaks. Implements Copy."""

    path: Path
    shape: SoundFileForm
    delay_samples: int = 0
    offset_samples: int = 0

    def write(self, blocks: Iterable[Audio]) -> None:
        """Make the file, or the pair.

        Raises:
            StorageFull: no room left. PlanError: more than the container holds.
        """
        with sound_writer(self.path, self.shape) as file:
            for block in blocks:
                file.write_audio(block)

    def played(self) -> Iterator[Audio]:
        """Blocks as it plays back, without leader and tail, float32 (frames, channels)."""
        return programme_sound(self.path, self.shape)

    def expected_samples(self, length_samples: int) -> int:
        """Length of the mix, in samples."""
        return length_samples


@dataclass(frozen=True)
class WentIn:
    """The mix that went into a copy."""

    readings: Readings
    energies: FloatArray
    """10 ms energies, float64 (hops,)."""
    windows: list[tuple[int, Audio]]
    """Where it is compared with what comes back; see Places.windows."""


@dataclass(frozen=True)
class ProvedCopy:
    """A copy that was written, and what it took."""

    decoded: Decoded
    verdict: Verdict
    master: Master
    """With which the mix went into it."""
    level_lost_lu: float | None
    """Integrated loudness that went in less what comes out."""
    n_tries: int
    mix: WentIn
    energies_in: FloatArray
    """10 ms energies of the mix on the copy's clock, float64 (hops,)."""


class Places:
    """Stretches in which a mix is compared with what comes back from a codec: its loudest half second of each third."""

    def __init__(self, length_samples: int) -> None:
        """
        Args:
            length_samples: of the mix.
        """
        self._third = max(1, -(-length_samples // _PLACES))
        self._found: list[tuple[float, int, Audio]] = [(0.0, 0, np.zeros(0, np.float32))] * _PLACES
        self._at = 0

    def feed(self, audio: Audio) -> None:
        """Look at the next stretch of the mix, float32 (frames, channels)."""
        mono = audio.sum(axis=1)
        for start in range(0, len(mono) - _WINDOW_SAMPLES + 1, _WINDOW_SAMPLES):
            window = mono[start : start + _WINDOW_SAMPLES]
            power = float(np.dot(window, window))
            third = min(_PLACES - 1, (self._at + start) // self._third)
            if power > self._found[third][0]:
                self._found[third] = (power, self._at + start, window.copy())
        self._at += len(mono)

    def windows(self) -> list[tuple[int, Audio]]:
        """First sample and mono sum of each, in order; none of silence."""
        return [(at, window) for power, at, window in self._found if power > 0.0]


def decoded(copy: Copy, windows: list[tuple[int, Audio]]) -> Decoded:
    """Figures of a copy as it plays back.

    Args:
        windows: of the mix that went in, to find the shift.
    """
    meter: MeterState | None = None
    n_clipped, at = 0, copy.offset_samples
    around = [np.zeros(_WINDOW_SAMPLES + 2 * _REACH_SAMPLES, np.float32) for _ in windows]
    for block in copy.played():
        if meter is None:
            meter = MeterState.at_rest(layout_from_count(block.shape[1]))
        meter = feed_meter(block, meter)
        n_clipped += int(np.count_nonzero(np.abs(block) > 1.0))
        for (start, _), into in zip(windows, around, strict=True):
            _copy_part(block, at, into, start - _REACH_SAMPLES)
        at += len(block)
    if meter is None:
        meter = MeterState.at_rest(layout_from_count(2))
    # A place that the copy does not reach says nothing.
    whole = [
        (window, found)
        for (start, window), found in zip(windows, around, strict=True)
        if start >= copy.offset_samples and start + _WINDOW_SAMPLES <= at
    ]
    shift = max((_shift(*one) for one in whole), key=lambda late: abs(late - copy.delay_samples), default=0)
    return Decoded(read_meter(meter), n_clipped, shift, copy.delay_samples, at - copy.offset_samples, hop_energy(meter))


def _copy_part(block: Audio, at: int, into: Audio, start: int) -> None:
    first, last = max(at, start), min(at + len(block), start + len(into))
    if first < last:
        into[first - start : last - start] = block[first - at : last - at].sum(axis=1)


def _shift(window: Audio, found: Audio) -> int:
    correlation = correlate(found, window, "valid", "fft")
    # Of a steady tone every period is as like as the next: of the peaks that are about as high the nearest counts.
    rising = np.diff(correlation, prepend=-np.inf) > 0.0
    falling = np.diff(correlation, append=-np.inf) <= 0.0
    peaks = np.flatnonzero(rising & falling & (correlation >= _AS_HIGH * correlation.max()))
    return int(min(peaks - _REACH_SAMPLES, key=abs, default=0))


def write_proved(plan: Plan, known: Rendered, spec: Spec, copy: Copy, progress: Progress = no_progress) -> ProvedCopy:
    """A copy of a mix that keeps its specification when it is played back.

    Where a codec lifts a peak over the ceiling, or takes the loudness out of the tolerance, the limiter's ceiling or
    the gain of this file is set again and the file is made anew, six times at most; the last one stands, and its
    verdict says what is missing.

    Args:
        plan: with the master that the fit found.
        known: the plan rendered.
        copy: what is made.
        progress: told the share done; may raise Cancelled.

    Raises:
        StorageFull, PlanError: as the copy does.
    """
    master, written, most_gain_db, wanted_lufs = plan.master, None, 0.0, None
    length = plan.span.length_samples
    for n_tries in range(1, MOST_TRIES + 1):
        passed = _Passing(replace(plan, master=master), known, partial(_of_try, progress, n_tries))
        copy.write(passed)
        written = proved(plan, known, spec, copy, passed.went_in(), master, n_tries)
        if n_tries == 1:
            went_in, n_channels = written.mix.readings, plan.layout.n_channels
            wanted_lufs = went_in.integrated_lufs
            is_on_target = judge(went_in, spec, n_channels, _moved(known, went_in)).checks[0].state is not State.FAIL
            most_gain_db = master.gain_db + (MOST_MORE_DB if is_on_target else 0.0)
            # A film may show less than the whole mix: its loudness is its own then.
            if abs(written.decoded.length_samples - length) > RATE_HZ:
                most_gain_db, wanted_lufs = master.gain_db, None
        following = _set_again(master, written, spec, wanted_lufs, most_gain_db)
        if following == master:
            break
        master = following
    progress(1.0)
    assert written is not None
    return written


def proved(
    plan: Plan, known: Rendered, spec: Spec, copy: Copy, mix: WentIn, master: Master, n_tries: int = 1
) -> ProvedCopy:
    """A copy that stands on the disk, played back and judged.

    Args:
        plan: of the mix.
        known: it rendered.
        mix: what went in.
        master: with which it went in.
        n_tries: which one it is.
    """
    found = decoded(copy, mix.windows)
    lost = _difference(mix.readings.integrated_lufs, found.readings.integrated_lufs)
    verdict = judge(found.readings, spec, plan.layout.n_channels, _moved(known, found.readings))
    return ProvedCopy(found, verdict, master, lost, n_tries, mix, _on_clock_of(copy, mix.energies))


def _on_clock_of(copy: Copy, energies: FloatArray) -> FloatArray:
    hops = copy.offset_samples * HOPS_PER_SECOND // RATE_HZ
    return energies[hops:] if hops >= 0 else np.concatenate([np.zeros(-hops), energies])


class _Passing:
    """The mix on its way into a codec, measured as it passes by."""

    def __init__(self, plan: Plan, known: Rendered, progress: Progress) -> None:
        self._plan = plan
        self._known = known
        self._progress = progress
        self._meter = MeterState.at_rest(plan.layout)
        self._places = Places(plan.span.length_samples)

    def __iter__(self) -> Iterator[Audio]:
        for segment in mastered_segments(self._plan, self._known.mixes):
            self._meter = feed_meter(segment.output, self._meter)
            self._places.feed(segment.output)
            yield segment.output
            self._progress(segment.span.end_sample / self._plan.span.length_samples)

    def went_in(self) -> WentIn:
        """Blocks that were written."""
        return WentIn(read_meter(self._meter), hop_energy(self._meter), self._places.windows())


def _of_try(progress: Progress, n_tries: int, share: float) -> None:
    # Each further try is half as likely to be needed: it gets half of what is left.
    progress(1.0 - (1.0 - 0.5 * share) * 0.5 ** (n_tries - 1))


def _set_again(
    master: Master, written: ProvedCopy, spec: Spec, wanted_lufs: float | None, most_gain_db: float
) -> Master:
    over_db = written.decoded.readings.true_peak_dbtp - spec.max_true_peak_dbtp
    if over_db > 0.0:
        ceiling_dbtp = spec.max_true_peak_dbtp if master.ceiling_dbtp is None else master.ceiling_dbtp
        master = replace(master, ceiling_dbtp=ceiling_dbtp - over_db - _UNDER_DB)
    loudness = written.verdict.checks[0]
    # Limited, loudness follows the gain by less than one for one.
    if loudness.state is State.FAIL:
        master = replace(master, gain_db=min(most_gain_db, master.gain_db - _MORE * loudness.miss))
    elif over_db <= 0.0 and written.n_tries <= _GIVING_BACK_TRIES:
        # Within its tolerance, and not where the mix is: what the codec took is given back.
        lost = _difference(wanted_lufs, written.decoded.readings.integrated_lufs)
        if lost is not None and abs(lost) >= _NOTABLE_LU:
            master = replace(master, gain_db=min(most_gain_db, master.gain_db + lost))
    return master


def _moved(known: Rendered, readings: Readings) -> float | None:
    """Loudness of the dialogue: what it is before the master, moved by what happened to the whole."""
    before, untouched = known.untouched.dialogue_lufs, known.untouched.readings.integrated_lufs
    if before is None or untouched is None or readings.integrated_lufs is None:
        return None
    return before + readings.integrated_lufs - untouched


def _difference(before: float | None, after: float | None) -> float | None:
    if before is None or after is None or not math.isfinite(before) or not math.isfinite(after):
        return None
    return before - after


def decoded_data(found: ProvedCopy, mix_master: Master) -> dict[str, Any]:
    """Figures of a compressed file as it plays back, and the gains that it took, as JSON data.

    Args:
        mix_master: of the mix it is a copy of.
    """
    readings = found.decoded.readings
    ceiling = mix_master.ceiling_dbtp
    if ceiling is None and found.master.ceiling_dbtp is not None:
        ceiling = found.verdict.spec.max_true_peak_dbtp
    return {
        "integrated_lufs": finite(readings.integrated_lufs),
        "true_peak_dbtp": finite(readings.true_peak_dbtp),
        "clipped_samples": found.decoded.clipped_samples,
        "shift_samples": found.decoded.shift_samples,
        "shift_of_codec_samples": found.decoded.of_codec_samples,
        "length_samples": found.decoded.length_samples,
        "level_lost_lu": found.level_lost_lu,
        "passes": found.verdict.is_passed,
        "tries": found.n_tries,
        "ceiling_lowered_db": 0.0
        if ceiling is None or found.master.ceiling_dbtp is None
        else ceiling - found.master.ceiling_dbtp,
        "gain_changed_db": found.master.gain_db - mix_master.gain_db,
    }
