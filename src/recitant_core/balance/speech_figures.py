"""Loudness while people talk and while they do not, and how much they talk.

A gating block (BS.1770: 400 ms) counts as speech where at least half of it lies in speech.
Held to: tests/core/test_ducking_update.py
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from recitant_core.measure.clip_level import HALF_BLOCK, speaking_share
from recitant_core.measure.loudness import BoolArray, gating_block_powers, integrated_lufs
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role


@dataclass(frozen=True)
class SpeechFigures:
    """Levels of speech in a programme, in LUFS; None where there is nothing to measure."""

    speech_share: float
    dialogue_lufs: float | None
    """Loudness of narration and dialogue together, gated by speech."""
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
    voices = [energy[: len(is_speech)] for role, energy in stems.items() if role.is_speech]
    spoken = None
    if voices:
        blocks = gating_block_powers(sum(voices[1:], voices[0]))
        spoken = _loudness(blocks[inside[: len(blocks)]])
    return SpeechFigures(share, spoken, during, between)


def speaking_blocks(is_speech: BoolArray) -> BoolArray:
    """Mask of gating blocks of which at least half is speech, bool (blocks,).

    Args:
        is_speech: bool (hops of 10 ms,).
    """
    found: BoolArray = speaking_share(is_speech) >= HALF_BLOCK
    return found


def _loudness(blocks: FloatArray) -> float | None:
    found = integrated_lufs(blocks)
    return found if found is not None and np.isfinite(found) else None
