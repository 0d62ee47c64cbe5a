"""A chain over a stretch of sound: how much around it counts, and what comes out.

A stretch is always processed from rest after a warm-up that its processors need to forget; see render.chains for
how the timeline is cut so that every cut gives the same bits.
"""

from collections.abc import Callable
from functools import lru_cache, partial
from typing import Final

from recitant_core.processors.dynamics import DYNAMICS_KINDS, Watch, dynamic, dynamics_reach
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.lanes import LanePass, goes_in_lanes, rows_of, run_of
from recitant_core.processors.late_room import less_room_reach, with_less_room
from recitant_core.processors.model import Chain, Processor, active
from recitant_core.processors.noise import denoised, noise_reach
from recitant_core.processors.repair import REACH_SAMPLES, repaired
from recitant_core.processors.space import moved, space_reach
from recitant_core.processors.tone import TONE_KINDS, tone_settling_samples, toned
from recitant_core.units.arrays import Audio, FloatArray

GRID_SAMPLES: Final = 512
"""Stretches start on this grid: every processor's own steps divide it."""
PIECE_SAMPLES: Final = 8_192
"""Samples that go through lanes at once: few enough for the L2 cache, enough to outweigh the cost of a call."""
MOST_LANE_CHANNELS: Final = 2
ChainWatch = Callable[[int, FloatArray], None]
"""Told which processor, and its gain in dB every 16 samples; of a stretch in pieces, in order."""


@lru_cache(maxsize=512)
def chain_reach(chain: Chain) -> tuple[int, int]:
    """Samples before a stretch, on the grid, and after it that its output depends on.

    What lies further back has decayed under what is heard: a stretch made with this lead has the samples that it has in
    the whole. (0, 0) for a chain in which nothing acts.
    """
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
    for first, last in _runs(chain, audio.shape[1]):
        if goes_in_lanes(chain[first]) and audio.shape[1] <= MOST_LANE_CHANNELS:
            _take_in_lanes(chain, first, last, audio, watch)
        else:
            audio = _pass(chain, first, audio, start_sample, watch)
    return audio


def _runs(chain: Chain, n_channels: int) -> list[tuple[int, int]]:
    """First and last index of stretches of a chain that go in lanes together; other processors stand alone."""
    runs: list[tuple[int, int]] = []
    for index, processor in enumerate(chain):
        if processor.is_bypassed:
            continue
        is_next = goes_in_lanes(processor) and n_channels <= MOST_LANE_CHANNELS
        if is_next and runs and runs[-1][1] == index and goes_in_lanes(chain[index - 1]):
            runs[-1] = (runs[-1][0], index + 1)
        else:
            runs.append((index, index + 1))
    return runs


def _take_in_lanes(chain: Chain, first: int, last: int, audio: Audio, watch: ChainWatch | None) -> None:
    run = run_of(chain[first:last])
    one = LanePass([run], 2)
    piece = rows_of(1, PIECE_SAMPLES)
    for start in range(0, len(audio), PIECE_SAMPLES):
        part = audio[start : start + PIECE_SAMPLES]
        n = -(-len(part) // CONTROL_SAMPLES) * CONTROL_SAMPLES
        piece[0, : len(part)] = part  # a single channel goes into both
        piece[0, len(part) : n] = 0.0
        told = one.take(piece, 0, n, is_watched=watch is not None)
        part[:] = piece[0, : len(part), : audio.shape[1]]
        if watch is not None:
            for which, reduction_db in zip(run.gaining, told, strict=True):
                watch(first + which, -reduction_db[:, 0])


def _pass(chain: Chain, index: int, audio: Audio, start_sample: int, watch: ChainWatch | None) -> Audio:
    processor = chain[index]
    told = None if watch is None else partial(watch, index)
    before = audio.copy() if processor.outputs_difference else None
    made = _one(processor, audio, start_sample, told)
    return made if before is None else before - made


def _one(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None) -> Audio:
    if processor.kind in TONE_KINDS:
        return toned(processor, audio, start_sample)
    if processor.kind in DYNAMICS_KINDS:
        return dynamic(processor, audio, start_sample, watch)
    if processor.kind == "noise":
        return denoised(processor, audio, start_sample)
    if processor.kind == "less-room":
        return with_less_room(processor, audio, start_sample)
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
    if processor.kind == "less-room":
        return less_room_reach()
    if processor.kind == "clicks":
        return REACH_SAMPLES, REACH_SAMPLES
    return space_reach(processor)
