"""The compiled pass of a run of processors over N / 2 stereo signals side by side: filters, gains, band by band.

A piece goes through in blocks of BLOCK_FRAMES that stay in the nearest cache; within a block each operation of the run
is one loop with its state in registers. Levels are read, and gains computed, every CONTROL_SAMPLES frames. Numbers of
operations lie in flat rows of N doubles, one value of every lane a row; at_... are places in such rows.
Held to: tests/core/test_lanes.py
"""

from typing import Final

import numba

from recitant_core.dsp.lanes import store
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.lane_filters import FAINT, band_of, five_sections, one_section, read_block, write_block
from recitant_core.processors.lane_gains import (
    band_ramped,
    bent_levels,
    factors_of,
    held,
    levels_of_block,
    opened,
    ramped,
)

BLOCK_FRAMES: Final = 256
SECTIONS, GAIN_BY_LEVEL, GATE, BAND = 0, 1, 2, 3
"""What an operation does: filter; compress or expand; open and close; take off in one band."""
OPERATION_FIELDS: Final = 6
"""An operation: what it does, at_values, at_state, how many (sections; steps held), hears peaks, at_position."""
ROWS_A_SECTION: Final = 5


@numba.njit(cache=True, nogil=True)
def _through_block(operations, n, block, band, levels, values, state, told, at_told, n_told, faint_from, like):  # type: ignore[no-untyped-def]
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    n_steps = n // CONTROL_SAMPLES
    is_power_known = False
    for o in range(len(operations)):
        what, at, at_state, many, hears_peak, position = operations[o]
        if what == SECTIONS:
            # Five sections are what an equaliser has: one pass keeps more sums under way than five would.
            if many == 5:
                five_sections(block, n, values, at, state, at_state, faint_from, like)
            else:
                one_section(block, n, values, at, state, at_state, faint_from, like)
            is_power_known = False
            continue
        if what == BAND:
            band_of(block, band, n_steps, values, at, state, at_state, levels, faint_from, like)
            at += ROWS_A_SECTION * w
            at_state += 4 * w
        # Who filtered or ramped last has left the sum of squares of each step, so it need not be summed again.
        is_power_known = is_power_known or what == BAND
        levels_of_block(block, n_steps, hears_peak > 0, is_power_known, values, at, state, at_state, levels, like)
        at += w
        if what == GATE:
            opened(levels, n_steps, values, at, state, at_state + 3 * w, like)
            at += 3 * w
        else:
            if many > 0:
                operations[o, 5] = held(levels, n_steps, many, state, at_state + 3 * w, position, like)
            bent_levels(levels, n_steps, values, at, like)
            at += 6 * w
        factors_of(levels, n_steps, values, at, state, at_state + w, told, at_told, like)
        at_told += n_told
        is_power_known = what != BAND
        if what == BAND:
            band_ramped(block, band, n_steps, levels, state, at_state + 2 * w, like)
        else:
            ramped(block, n_steps, levels, state, at_state + 2 * w, like)


@numba.njit(cache=True, nogil=True)
def through_operations(audio, first, stride, n_frames, operations, values, state, told, work, like):  # type: ignore[no-untyped-def]
    """Take a piece of N / 2 stereo signals through a run of operations, in its own place.

    Args:
        audio: flat float32, a signal's frames one after another, the next signal's ``stride`` values later.
        first, n_frames: of the piece, a multiple of CONTROL_SAMPLES.
        operations: int64 (operations, OPERATION_FIELDS).
        values, state: flat float64 in rows of N; state is read and left for the next piece.
        told: flat float64 (gaining operations, steps, N), reductions in dB; empty where nobody asks.
        work: flat float64, 2 * BLOCK_FRAMES * N + BLOCK_FRAMES / CONTROL_SAMPLES * N + 2 + state's length.
    """
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    band_at = BLOCK_FRAMES * w
    levels_at = 2 * band_at
    flags_at = levels_at + band_at // CONTROL_SAMPLES
    block, band = work[:band_at], work[band_at:levels_at]
    levels, flags = work[levels_at:flags_at], work[flags_at : flags_at + 2]
    before = work[flags_at + 2 :]
    n_told = n_frames // CONTROL_SAMPLES * w
    done = 0
    while done < n_frames:
        # Blocks lie on the stretch's own grid, however it is cut into pieces: tails end at its lines.
        n = min(BLOCK_FRAMES - int(flags[0]) % BLOCK_FRAMES, n_frames - done)
        top = read_block(audio, first + done, stride, n, block, like)
        store(levels, 0, top)
        is_silent = not levels[:w].any()
        if not (is_silent and flags[1] > 0.0 and len(told) == 0):
            if is_silent:
                before[:] = state
            at_told = done // CONTROL_SAMPLES * w
            is_line = (int(flags[0]) + n) % BLOCK_FRAMES == 0
            faint_from = FAINT if is_line else 0.0
            _through_block(operations, n, block, band, levels, values, state, told, at_told, n_told, faint_from, like)
            write_block(block, n, audio, first + done, stride, like)
            # At rest in silence, and from then on: nothing changes until something sounds.
            flags[1] = 1.0 if is_silent and not block[: n * w].any() and (before == state).all() else 0.0
        flags[0] += n
        done += n
