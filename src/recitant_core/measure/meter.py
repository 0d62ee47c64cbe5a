"""Everything a delivery is judged by, in one pass over a signal of any length."""

from dataclasses import dataclass

import numpy as np

from recitant_core.dsp.kweighting import KState, k_energies, k_pairs
from recitant_core.measure.loudness import (
    BLOCK_HOPS,
    RANGE_STEP_HOPS,
    SHORT_TERM_HOPS,
    gating_block_powers,
    integrated_lufs,
    range_lu,
    window_powers,
)
from recitant_core.measure.true_peak import PeakState, feed_peaks, finish_peaks
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import db_from_factor, lufs_from_power


@dataclass(frozen=True)
class Readings:
    """The figures of a whole signal. None: too short to say; -inf: silence."""

    integrated_lufs: float | None
    range_lu: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    true_peak_dbtp: float
    sample_peak_dbfs: float


@dataclass(frozen=True)
class MeterState:
    """A measurement under way."""

    k: KState
    peaks: PeakState
    hops: tuple[FloatArray, ...]

    @classmethod
    def at_rest(cls, layout: ChannelLayout, rate_hz: int = RATE_HZ) -> "MeterState":
        """Zero state.

        Raises:
            RangeError: the rate is too low for the weighting filter.
        """
        return cls(KState.at_rest(layout, rate_hz), PeakState.at_rest(layout.n_channels), ())


def feed_meter(audio: Audio, state: MeterState) -> MeterState:
    """The measurement after one more block; any cut into blocks gives the same readings.

    Args:
        audio: float32 (frames, channels), of the layout and rate of the state.
        state: of everything before it; it is left as it is.
    """
    hops, k = k_energies(audio, state.k)
    return MeterState(k, feed_peaks(audio, state.peaks), (*state.hops, hops))


def feed_stereo_meter(audio: Audio, state: MeterState) -> tuple[MeterState, FloatArray]:
    """The measurement after one more block of two channels, and the block's k_pairs: float64 (hops, 3).

    Args:
        audio: float32 (frames, 2).
        state: of everything before it; it is left as it is.
    """
    pairs, k = k_pairs(audio, state.k)
    left, right = k.layout.loudness_weights()
    hops = pairs[:, 0] * left + pairs[:, 1] * right
    return MeterState(k, feed_peaks(audio, state.peaks), (*state.hops, hops)), pairs


def read_meter(state: MeterState) -> Readings:
    """The figures of everything that was fed."""
    peaks = finish_peaks(state.peaks)
    return readings_from(hop_energy(state), peaks.true_peak_factor, peaks.sample_peak_factor, state.k.rate_hz)


def hop_energy(state: MeterState) -> FloatArray:
    """The 10 ms energies of everything that was fed, float64 (hops,)."""
    return np.concatenate([np.zeros(0), *state.hops])


def readings_from(
    energy: FloatArray, true_peak_factor: float, sample_peak_factor: float, rate_hz: int = RATE_HZ
) -> Readings:
    """The figures of a signal from its energies and its highest peaks.

    Args:
        energy: K-weighted sum of squares of each 10 ms, float64 (hops,).
        true_peak_factor: highest magnitude between samples too, as a factor of full scale.
        sample_peak_factor: highest magnitude of a sample.
        rate_hz: of the signal that the energies are of.
    """
    short_term = window_powers(energy, SHORT_TERM_HOPS, 1, rate_hz)
    return Readings(
        integrated_lufs=integrated_lufs(gating_block_powers(energy, rate_hz)),
        range_lu=range_lu(short_term[::RANGE_STEP_HOPS]),
        max_momentary_lufs=_highest_lufs(window_powers(energy, BLOCK_HOPS, 1, rate_hz)),
        max_short_term_lufs=_highest_lufs(short_term),
        true_peak_dbtp=db_from_factor(true_peak_factor),
        sample_peak_dbfs=db_from_factor(sample_peak_factor),
    )


def measure(audio: Audio, layout: ChannelLayout, rate_hz: int = RATE_HZ) -> Readings:
    """The figures of a signal held in memory; for longer ones see feed_meter.

    Args:
        audio: float32 (frames, channels).
        layout: of its channels, for their weights in loudness.

    >>> from recitant_core.units.channels import MONO
    >>> sine = 0.1 * np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)
    >>> round(measure(sine.astype(np.float32)[:, None], MONO).integrated_lufs, 1)  # -20 dBFS, BS.1770 Annex 1
    -23.0
    """
    return read_meter(feed_meter(audio, MeterState.at_rest(layout, rate_hz)))


def _highest_lufs(powers: FloatArray) -> float | None:
    return lufs_from_power(float(powers.max())) if powers.size else None
