"""A chain over a stretch of sound: how much around it counts, and what comes out.

A stretch is always processed from rest after a warm-up that its processors need to forget; see render.chains for
how the timeline is cut so that every cut gives the same bits.
"""

from collections.abc import Callable
from functools import partial
from typing import Final

from recitant_core.processors.dynamics import DYNAMICS_KINDS, Watch, dynamic, dynamics_reach, streams
from recitant_core.processors.model import Chain, Processor, active
from recitant_core.processors.noise import denoised, noise_reach
from recitant_core.processors.repair import REACH_SAMPLES, repaired
from recitant_core.processors.space import moved, space_reach
from recitant_core.processors.tone import TONE_KINDS, Memory, tone_settling_samples, toned
from recitant_core.units.arrays import Audio, FloatArray

GRID_SAMPLES: Final = 512
"""Stretches start on this grid: every processor's own steps divide it."""
PIECE_SAMPLES: Final = 49_152
ChainWatch = Callable[[int, FloatArray], None]
"""Told which processor, and its gain in dB every 16 samples; of a stretch in pieces, in order."""


def chain_reach(chain: Chain) -> tuple[int, int]:
    """How many samples before a stretch, on the grid, and after it count for what leaves a chain."""
    pairs = [_reach(processor) for processor in chain if not processor.is_bypassed]
    if not pairs:
        return 0, 0
    # Tails of filters and gains die side by side, a quarter more for what one hands to the next; windows add up.
    fading = [before for processor, (before, _) in zip(active(chain), pairs, strict=True) if _fades(processor)]
    windows = sum(b for processor, (b, _) in zip(active(chain), pairs, strict=True) if not _fades(processor))
    before = round(max(fading, default=0) * (1.25 if len(fading) > 1 else 1.0)) + windows
    return -(-before // GRID_SAMPLES) * GRID_SAMPLES, sum(after for _, after in pairs)


def through_chain(chain: Chain, audio: Audio, start_sample: int, watch: ChainWatch | None = None) -> Audio:
    """A stretch through a chain, from rest; float32 (frames, channels), as long and in step with what went in.

    Args:
        audio: float32 (frames, channels), the warm-up before and the reach after the wanted part among them.
        start_sample: of its first frame, on the grid; curves of values and blocks of frames count from 0 on its clock.
        watch: told what gain each processor of dynamics or repair gave.
    """
    # One array is written over again and again: fresh ones for every processor cost as much as the sums.
    audio = audio.copy()
    for first, last, is_streaming in _runs(chain):
        if is_streaming:
            # What streams goes through in pieces that stay near the processor.
            memories: list[Memory] = [{} for _ in chain]
            for start in range(0, len(audio), PIECE_SAMPLES):
                piece = audio[start : start + PIECE_SAMPLES]
                for index in range(first, last):
                    _pass(chain, index, piece, start_sample + start, watch, memories[index])
        else:
            audio = _pass(chain, first, audio, start_sample, watch, None)
    return audio


def _runs(chain: Chain) -> list[tuple[int, int, bool]]:
    """First and last index of stretches of a chain that stream or do not; those that do not stand alone."""
    runs: list[tuple[int, int, bool]] = []
    for index, processor in enumerate(chain):
        if processor.is_bypassed:
            continue
        is_tone = processor.kind in TONE_KINDS and not processor.curves
        is_streaming = (is_tone or streams(processor)) and not processor.gives_taken
        if is_streaming and runs and runs[-1][2] and runs[-1][1] == index:
            runs[-1] = (runs[-1][0], index + 1, True)
        else:
            runs.append((index, index + 1, is_streaming))
    return runs


def _pass(
    chain: Chain, index: int, audio: Audio, start_sample: int, watch: ChainWatch | None, memory: Memory | None
) -> Audio:
    processor = chain[index]
    told = None if watch is None else partial(watch, index)
    before = audio.copy() if processor.gives_taken else None
    made = _one(processor, audio, start_sample, told, memory)
    return made if before is None else before - made


def _one(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None, memory: Memory | None) -> Audio:
    if processor.kind in TONE_KINDS:
        return toned(processor, audio, start_sample, memory)
    if processor.kind in DYNAMICS_KINDS:
        return dynamic(processor, audio, start_sample, watch, memory)
    if processor.kind == "noise":
        return denoised(processor, audio, start_sample)
    if processor.kind == "clicks":
        return repaired(processor, audio, watch)
    return moved(processor, audio, start_sample)


def _fades(processor: Processor) -> bool:
    return processor.kind in TONE_KINDS or (processor.kind in DYNAMICS_KINDS and processor.kind != "limiter")


def _reach(processor: Processor) -> tuple[int, int]:
    if processor.kind in TONE_KINDS:
        return tone_settling_samples(processor), 0
    if processor.kind in DYNAMICS_KINDS:
        before, after = dynamics_reach(processor)
        return before, after
    if processor.kind == "noise":
        return noise_reach(processor)
    if processor.kind == "clicks":
        return REACH_SAMPLES, REACH_SAMPLES
    return space_reach(processor)
