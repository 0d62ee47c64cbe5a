"""Scenes: cut where the level of a stem changes for long, in a silence near by, never for a few seconds."""

import numpy as np

from recitant_core.measure.scenes import scenes


def stem(*parts, seed=1, spread_db=2.0):
    rng = np.random.default_rng(seed)
    found = []
    for lufs, seconds in parts:
        level = lufs + rng.normal(0.0, spread_db, seconds).repeat(100)
        found.append(480 * 10 ** ((level + 0.691) / 10) if lufs is not None else np.zeros(100 * seconds))
    return np.concatenate(found)


def test_a_second_half_that_lies_lower_is_a_scene():
    assert [round(first / 100) for first, _ in scenes(stem((-24, 60), (-33, 60)))] == [0, 60]


def test_a_swell_of_five_seconds_and_slow_music_are_none():
    assert len(scenes(stem((-24, 60), (-15, 5), (-24, 60)))) == 1
    assert len(scenes(stem((-24, 90), spread_db=3.0))) == 1


def test_silence_is_no_level_and_takes_the_cut():
    energy = np.concatenate([stem((-24, 40)), np.zeros(300), stem((-34, 40))])
    found = scenes(energy)
    assert len(found) == 2 and 4000 <= found[1][0] <= 4300
    assert len(scenes(np.concatenate([stem((-24, 40)), np.zeros(2000), stem((-24, 40))]))) == 1


def test_short_and_silent_stems_are_one_scene():
    assert scenes(np.zeros(12_000)) == [(0, 12_000)] and scenes(stem((-24, 12))) == [(0, 1_200)]
