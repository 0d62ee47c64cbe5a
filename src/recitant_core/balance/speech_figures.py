"""Loudness while people talk and while they do not, and how much they talk.

A gating block (BS.1770: 400 ms) counts as speech where at least half of it lies in speech.
Held to: tests/core/test_speech_figures.py
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from recitant_core.dsp.kweighting import HOPS_PER_SECOND
from recitant_core.measure.clearance import HOP_SAMPLES, BoolArray, speech_mask
from recitant_core.measure.loudness import (
    BLOCK_HOPS,
    BLOCK_STEP_HOPS,
    gating_block_powers,
    integrated_lufs,
    level_curve_lufs,
)
from recitant_core.render.estimate import clip_energy
from recitant_core.timeline.model import Clip, Role, Track
from recitant_core.timeline.speaking import SpeechOfSources, speech_of_clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan

_HALF = 0.5


@dataclass(frozen=True)
class SpeechFigures:
    """What is reported of speech in a programme; levels in LUFS, None where there is nothing to measure."""

    speech_share: float
    dialogue_lufs: float | None
    """Loudness of the dialogue alone, gated by speech."""
    in_speech_lufs: dict[Role, float | None]
    outside_speech_lufs: dict[Role, float | None]


def speech_figures(stems: Mapping[Role, FloatArray], is_speech: BoolArray) -> SpeechFigures:
    """Figures of speech.

    Args:
        stems: 10 ms energies of each stem with all its gains, float64 (hops,).
        is_speech: bool (hops,).
    """
    inside = speaking_blocks(is_speech)
    during, between = {}, {}
    for role, energy in stems.items():
        blocks = gating_block_powers(energy[: len(is_speech)])
        during[role] = _loudness(blocks[inside[: len(blocks)]])
        between[role] = _loudness(blocks[~inside[: len(blocks)]])
    share = float(is_speech.mean()) if len(is_speech) else 0.0
    return SpeechFigures(share, during.get(Role.DIALOGUE), during, between)


def speaking_blocks(is_speech: BoolArray) -> BoolArray:
    """Which gating blocks are speech, bool (blocks,)."""
    found: BoolArray = _speaking_share(is_speech) >= _HALF
    return found


def clip_speech_lufs(
    clip: Clip, track: Track, stem_gain_db: float, source_energy: FloatArray, speech: SpeechOfSources
) -> float | None:
    """Loudness of a clip in the mix, over its speech where it has some, else over all of it; None for silence.

    Args:
        source_energy: 10 ms energies of its whole recording, see estimate.clip_energy.
    """
    _, energy = clip_energy(clip, track, track.gain_db + stem_gain_db, source_energy)
    return loudness_over_speech(clip, energy, speech)


def loudness_over_speech(clip: Clip, energy: FloatArray, speech: SpeechOfSources) -> float | None:
    """As clip_speech_lufs, from the clip's own energies with all gains."""
    spoken = [
        SampleSpan(part.start_sample - clip.start_sample, part.length_samples) for part in speech_of_clip(clip, speech)
    ]
    mask = speech_mask(spoken, len(energy))
    if not mask.any():
        mask[:] = True
    for span in clip.left_out:
        first = max(0, (span.start_sample - clip.in_sample) // HOP_SAMPLES)
        mask[first : max(first, -(-(span.end_sample - clip.in_sample) // HOP_SAMPLES))] = False
    # A block's power is that of its speech alone: what sounds between the words is not counted in.
    share = _speaking_share(mask)
    inside = share >= _HALF
    if inside.any():
        found = integrated_lufs(gating_block_powers(energy * mask)[inside] / share[inside])
    else:
        seconds = max(1, int(mask.sum())) / HOPS_PER_SECOND
        power = energy[mask].sum() / (seconds * HOPS_PER_SECOND * HOP_SAMPLES)
        found = float(level_curve_lufs(np.array([power]))[0])
    return found if found is not None and np.isfinite(found) else None


def _speaking_share(is_speech: BoolArray) -> FloatArray:
    if len(is_speech) < BLOCK_HOPS:
        return np.zeros(0)
    share: FloatArray = np.lib.stride_tricks.sliding_window_view(is_speech, BLOCK_HOPS)[::BLOCK_STEP_HOPS].mean(axis=1)
    return share


def _loudness(blocks: FloatArray) -> float | None:
    found = integrated_lufs(blocks)
    return found if found is not None and np.isfinite(found) else None
