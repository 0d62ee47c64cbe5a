"""Meters read what was heard: blocks kept for all who listen in one way, whole leads or none."""

import numpy as np
import pytest

from recitant_core.measure.meter_history import MOST_AGE_S, MeterHistory
from recitant_core.measure.running import LEAD_SAMPLES, running_readings
from recitant_core.units.channels import STEREO
from signals import programme

SECOND = 48_000


@pytest.fixture
def audio():
    return programme(3, 12.0, 2)


def heard(audio, starts, key="mix", now_s=0.0):
    kept = MeterHistory()
    for start in starts:
        kept.put(start, audio[start : start + SECOND], key, now_s)
    return kept


def test_blocks_in_a_row_give_the_lead_that_rendering_gives(audio):
    kept = heard(audio, range(0, 8 * SECOND, SECOND))
    start = 7 * SECOND + 1_234  # an edit is spliced in the middle of a block
    assert np.array_equal(kept.lead(start, "mix", 0.0), audio[start - LEAD_SAMPLES : start])
    one = running_readings(np.concatenate([kept.lead(start, "mix", 0.0), audio[start : start + SECOND]]), STEREO)
    other = running_readings(audio[start - LEAD_SAMPLES : start + SECOND], STEREO)
    assert np.array_equal(one.short_term_lufs, other.short_term_lufs)


def test_there_is_silence_before_the_programme(audio):
    lead = heard(audio, [0]).lead(SECOND, "mix", 0.0)
    assert not lead[:-SECOND].any() and np.array_equal(lead[-SECOND:], audio[:SECOND])
    assert not MeterHistory().lead(0, "mix", 0.0).any()


@pytest.mark.parametrize("starts", [[], [0, SECOND, 2 * SECOND, 4 * SECOND, 5 * SECOND, 6 * SECOND], [6 * SECOND]])
def test_a_lead_with_a_hole_is_none(audio, starts):
    assert heard(audio, starts).lead(7 * SECOND, "mix", 0.0) is None


def test_another_mix_counts_only_where_it_was_heard_a_moment_ago(audio):
    kept = heard(audio, range(0, 8 * SECOND, SECOND), key="before", now_s=100.0)
    assert kept.lead(7 * SECOND, "after", 101.0) is not None
    assert kept.lead(7 * SECOND, "after", 100.0 + MOST_AGE_S) is None
    assert kept.lead(7 * SECOND, "before", 100.0 + MOST_AGE_S) is not None


def test_what_was_heard_last_stands_for_a_place(audio):
    kept = heard(audio, range(0, 8 * SECOND, SECOND))
    kept.put(6 * SECOND, audio[6 * SECOND : 7 * SECOND] * np.float32(0.5), "after", 1.0)
    lead = kept.lead(7 * SECOND, "after", 1.0)
    assert np.array_equal(lead[-SECOND:], audio[6 * SECOND : 7 * SECOND] * np.float32(0.5))
    assert np.array_equal(lead[-2 * SECOND : -SECOND], audio[5 * SECOND : 6 * SECOND])


def test_only_the_newest_is_kept(audio):
    kept = MeterHistory()
    for _ in range(100):
        kept.put(0, audio, "mix", 0.0)
    assert audio.nbytes < kept.kept_bytes < 9 * LEAD_SAMPLES * 8 + audio.nbytes


def test_several_who_listen_at_different_places_find_what_they_heard(audio):
    kept = MeterHistory()
    starts = [0, 1 * SECOND, 3 * SECOND, 4 * SECOND, 5 * SECOND]
    for second in range(6):
        for start in starts:
            kept.put(start + second * SECOND, audio[start + second * SECOND :][:SECOND], "mix", float(second))
    for start in starts:
        at = start + 6 * SECOND
        assert np.array_equal(kept.lead(at, "mix", 6.0), audio[at - LEAD_SAMPLES : at])
