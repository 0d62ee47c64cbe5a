"""What recordings and tracks sound like through their chains, as 10 ms energies: rendered once, kept on disk.

Estimates live from them. What is not rendered yet stands as it was before the chain; a background job fills the rest.
"""

import hashlib
import shutil
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Final

import numpy as np

from recitant_core.dsp.kweighting import KState, k_energies, k_pairs
from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.render.chains import sounding
from recitant_core.render.laid import Sources
from recitant_core.render.paths import track_identity
from recitant_core.render.segments import SEGMENT_SAMPLES
from recitant_core.render.tracks import add_track
from recitant_core.timeline.model import Clip, Track
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ, SampleSpan

SEGMENT_HOPS: Final = SEGMENT_SAMPLES * HOPS_PER_SECOND // RATE_HZ
_LEAD_SAMPLES: Final = RATE_HZ // 2  # for the weighting to settle
_MOST_FOLDERS: Final = 600
_KEPT: Final = 2_000


@dataclass
class TimeBudget:
    """Time that rendering may take before what is missing is left for later."""

    seconds: float | None
    progress: Progress = no_progress
    """Told the share of the segments that are rendered."""
    expected: int = 1
    """How many segments are to be rendered, for the progress."""
    missing: int = 0
    """How many segments were left."""
    rendered: int = 0

    def __post_init__(self) -> None:
        self._ends = None if self.seconds is None else time.monotonic() + self.seconds

    def count_rendered(self) -> None:
        """One segment more is rendered."""
        self.rendered += 1
        self.progress(min(1.0, self.rendered / self.expected))

    @property
    def is_spent(self) -> bool:
        """Whether no more may be rendered."""
        return self._ends is not None and time.monotonic() > self._ends


def chained_energy(
    folder: Path | None, source: SampleSource, clips: Sequence[Clip], recorded: FloatArray, budget: TimeBudget
) -> FloatArray:
    """Energies of a recording through the one chain that these clips share, where they use it; as ``recorded`` is.

    Args:
        folder: where energies are kept; None to keep none.
        recorded: of the recording without a chain; stands where nothing was rendered.
    """
    chained = sounding(source, clips[0].chain)
    out = recorded.copy()
    wanted = {
        index
        for clip in clips
        for index in _segments(SampleSpan(clip.in_sample, clip.length_samples))
        if index * SEGMENT_SAMPLES < source.length_samples
    }
    for index in sorted(wanted):
        path = _path(folder, chained.key, index)
        energy = _read(path)
        if energy is None:
            if budget.is_spent:
                budget.missing += 1
                continue
            span = _segment_span(index).intersect(SampleSpan(0, source.length_samples))
            assert span is not None
            lead = min(_LEAD_SAMPLES, span.start_sample)
            audio = chained.read(span.start_sample - lead, span.length_samples + lead)
            budget.count_rendered()
            energy = _write(path, _energy(audio, chained.layout, lead, recorded.shape[1]))
        first = index * SEGMENT_HOPS
        part = out[first : first + SEGMENT_HOPS]
        part[: len(energy)] = energy[: len(part)]
    return out


def chained_track_energy(
    folder: Path | None,
    track: Track,
    layout: ChannelLayout,
    sources: Sources,
    estimated: FloatArray,
    budget: TimeBudget,
) -> FloatArray:
    """Energies of a track through its chain and ride, before its fader: float64 (hops,).

    Args:
        layout: of the bus.
        estimated: of its clips without the chain; stands where nothing was rendered.
    """
    out = estimated.copy()
    bare = replace(track, gain_db=0.0)
    for index in range(-(-len(estimated) // SEGMENT_HOPS)):
        span = _segment_span(index)
        if not out[index * SEGMENT_HOPS : (index + 1) * SEGMENT_HOPS].any():
            continue
        identity = track_identity(track, span.widen(2 * SEGMENT_SAMPLES, SEGMENT_SAMPLES))
        path = _path(folder, hashlib.sha256(repr((layout, identity)).encode()).hexdigest(), index)
        energy = _read(path)
        if energy is None:
            if budget.is_spent:
                budget.missing += 1
                continue
            lead = min(_LEAD_SAMPLES, span.start_sample)
            total = layout.silence(span.length_samples + lead)
            add_track(bare, 0.0, sources, span.widen(lead, 0), total, layout)
            budget.count_rendered()
            energy = _write(path, _energy(total.astype(np.float32), layout, lead, 1))
        part = out[index * SEGMENT_HOPS : (index + 1) * SEGMENT_HOPS]
        part[:] = energy.reshape(-1)[: len(part)]
    return out


def tidy(folder: Path) -> None:
    """Throw the oldest energies away where there are too many."""
    found = sorted(folder.glob("*/*"), key=lambda path: path.stat().st_mtime) if folder.exists() else []
    for path in found[: max(0, len(found) - _MOST_FOLDERS)]:
        shutil.rmtree(path, ignore_errors=True)


def _segments(span: SampleSpan) -> range:
    return range(span.start_sample // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES))


def _segment_span(index: int) -> SampleSpan:
    return SampleSpan(index * SEGMENT_SAMPLES, SEGMENT_SAMPLES)


def _energy(audio: Audio, layout: ChannelLayout, lead_samples: int, n_columns: int) -> FloatArray:
    padded = np.pad(audio, ((0, -len(audio) % (RATE_HZ // HOPS_PER_SECOND)), (0, 0)))
    if n_columns == 3:
        energy, _ = k_pairs(padded, KState.at_rest(STEREO, RATE_HZ))
    else:
        # As two loudspeakers give it.
        heard = padded @ layout.stereo_matrix().astype(np.float32)
        energy, _ = k_energies(heard, KState.at_rest(STEREO, RATE_HZ))
    return energy.reshape(-1, n_columns)[lead_samples * HOPS_PER_SECOND // RATE_HZ :]


def _path(folder: Path | None, key: str, index: int) -> Path | None:
    if folder is None:
        return None
    name = hashlib.sha256(key.encode()).hexdigest()
    return folder / name[:2] / name / f"{index}.npy"


@lru_cache(maxsize=_KEPT)
def _kept(path: Path) -> FloatArray:
    found: FloatArray = np.load(path)
    found.flags.writeable = False
    return found


def _read(path: Path | None) -> FloatArray | None:
    if path is None:
        return None
    try:
        return _kept(path)
    except (OSError, ValueError):
        return None


def _write(path: Path | None, energy: FloatArray) -> FloatArray:
    if path is None:
        return energy
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(f".{time.monotonic_ns()}.part")
    with part.open("wb") as file:
        np.save(file, energy)
    part.replace(path)
    return energy
