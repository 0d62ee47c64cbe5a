"""Slow and obvious versions that the fast code must agree with."""

import math
from itertools import pairwise

import numpy as np


def slow_mix(plan, sources):
    """A plan's mix before the master, sample by sample as the words say; float64 (frames, 2)."""
    out = np.zeros((plan.span.length_samples, 2))
    for track in plan.tracks:
        for clip in track.clips:
            source = sources[clip.source_key]
            matrix = source.layout.stereo_matrix(track.pan)
            audio = source.read(clip.in_sample, clip.length_samples).astype(np.float64)
            for i in range(clip.length_samples):
                gain_db = clip.gain_db + track.gain_db + plan.stem_gain_db(track.role) + _curve_db(clip.curve, i)
                factor = 10 ** (gain_db / 20)
                if i < clip.fade_in_samples:
                    factor *= math.sin(math.pi / 2 * (i + 0.5) / clip.fade_in_samples)
                left = clip.length_samples - i
                if left <= clip.fade_out_samples:
                    factor *= math.sin(math.pi / 2 * (left - 0.5) / clip.fade_out_samples)
                out[clip.start_sample + i] += (audio[i] * factor) @ matrix
    return out


def _curve_db(points, at):
    if not points:
        return 0.0
    if at <= points[0].at_sample:
        return points[0].gain_db
    for a, b in pairwise(points):
        if at <= b.at_sample:
            share = (at - a.at_sample) / (b.at_sample - a.at_sample)
            return a.gain_db + share * (b.gain_db - a.gain_db)
    return points[-1].gain_db


def slow_true_peak(audio):
    """The highest value of all phases of the whole signal, with a parabola through every local maximum."""
    from recitant_core.dsp.interpolation import BEFORE, TAPS, interpolator

    best = 0.0
    for channel in audio.T.astype(np.float64):
        padded = np.concatenate([np.zeros(TAPS), channel, np.zeros(TAPS)])
        rows = [padded[BEFORE : len(padded) - TAPS + BEFORE]]
        for taps in interpolator(4).astype(np.float64):
            rows.append(np.convolve(padded, taps[::-1], "valid")[: len(rows[0])])
        y = np.abs(np.stack(rows, axis=1).ravel())
        before, here, after = y[:-2], y[1:-1], y[2:]
        bend = 2 * here - before - after
        is_top = (here >= before) & (here >= after) & (bend > 0)
        tops = here[is_top] + (after - before)[is_top] ** 2 / (8 * bend[is_top])
        best = max(best, float(tops.max(initial=0.0)), float(y.max()))
    return best
