"""Words cut out of clips: edges where it is quiet, gaps closed without moving what lies apart, people parted."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.errors import EditRefused
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.word_cuts import (
    BLEEP_DBFS,
    CROSSFADE_SAMPLES,
    at_quiet_edges,
    bleep,
    parted_by_speaker,
    quiet_sample,
    words_out,
)
from recitant_core.transcript.fillers import fillers_of, pauses_of
from recitant_core.transcript.model import Word
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000


def a_plan(*clips: Clip) -> Plan:
    """A plan of one narration track."""
    return Plan("p", "25", (Track("t", "Voice", Role.NARRATION, clips=clips),))


def clips_of(plan: Plan) -> list[Clip]:
    """Its clips."""
    return list(plan.tracks[0].clips)


def energy_with_quiet(*at_s: float) -> np.ndarray:
    """Ten seconds of 10 ms energies with a quiet hop at some places."""
    energy = np.full(1_000, 0.01)
    for at in at_s:
        energy[round(at * 100)] = 1e-9
    return energy


def test_edges_move_to_the_quietest_ten_milliseconds_within_sixty() -> None:
    plan = a_plan(Clip("1", "k", 5 * S, S, 4 * S))
    energies = {"k": energy_with_quiet(1.95, 3.05)}
    span = at_quiet_edges(plan, "t", SampleSpan(6 * S, S), energies)
    assert span.start_sample == pytest.approx((5.95 + 0.005) * S, abs=1)
    assert span.end_sample == pytest.approx((7.05 + 0.005) * S, abs=1)
    assert quiet_sample(plan.tracks[0], 20 * S, energies) == 20 * S
    with pytest.raises(EditRefused):
        at_quiet_edges(plan, "none", SampleSpan(6 * S, S), energies)


@given(st.integers(0, 9 * S), st.integers(0, 2**31))
def test_no_edge_moves_further_than_sixty_milliseconds(at: int, seed: int) -> None:
    energies = {"k": np.random.default_rng(seed).random(1_000)}
    track = a_plan(Clip("1", "k", 0, 0, 10 * S)).tracks[0]
    assert abs(quiet_sample(track, at, energies) - at) <= 0.065 * S + 480


def test_silence_leaves_what_sounds_where_it_is() -> None:
    plan = words_out(
        a_plan(Clip("1", "k", S, 0, 6 * S)), "t", [SampleSpan(2 * S, S), SampleSpan(4 * S, S)], is_closed=False
    )
    found = [(c.start_sample, c.in_sample, c.length_samples) for c in clips_of(plan)]
    assert found == [(S, 0, S), (3 * S, 2 * S, S), (5 * S, 4 * S, 2 * S)]
    assert len({clip.clip_id for clip in clips_of(plan)}) == 3
    assert all(clip.fade_out_samples > 0 for clip in clips_of(plan)[:2])
    with pytest.raises(EditRefused):
        words_out(a_plan(Clip("1", "k", S, 0, S)), "t", [SampleSpan(5 * S, S)], is_closed=False)


def test_a_closed_gap_is_cross_faded_and_leaves_what_lies_apart() -> None:
    touching, apart = Clip("2", "k", 7 * S, 6 * S, S), Clip("3", "m", 10 * S, 0, S)
    plan = words_out(a_plan(Clip("1", "k", S, 0, 6 * S), touching, apart), "t", [SampleSpan(3 * S, S)], is_closed=True)
    first, second, third, fourth = clips_of(plan)
    assert first.span.end_sample - second.start_sample == CROSSFADE_SAMPLES
    assert first.fade_out_samples == second.fade_in_samples == CROSSFADE_SAMPLES
    # Every sample of the recording after the cut sounds one second earlier.
    assert second.start_sample - second.in_sample == 0
    assert (third.start_sample, fourth.start_sample) == (6 * S, 10 * S)


@given(st.lists(st.tuples(st.integers(0, 110), st.integers(1, 12)), min_size=1, max_size=6))
def test_many_cuts_at_once_never_leave_a_gap_or_lose_what_was_kept(cuts: list[tuple[int, int]]) -> None:
    spans = [SampleSpan(at * S // 10, length * S // 10) for at, length in cuts]
    before = a_plan(Clip("1", "k", 0, 0, 12 * S))
    try:
        clips = clips_of(words_out(before, "t", spans, is_closed=True))
    except EditRefused:
        return
    assert len({clip.clip_id for clip in clips}) == len(clips)
    for one, after in pairwise(clips):
        assert 0 <= one.span.end_sample - after.start_sample <= CROSSFADE_SAMPLES
        assert after.in_sample >= one.in_sample
    assert all(clip.in_sample >= 0 and clip.in_sample + clip.length_samples <= 12 * S for clip in clips)


def words(*said: tuple[float, str, str]) -> list[Word]:
    """Words of 0.3 s: start in seconds, text, speaker."""
    return [Word(text, round(at * S), round((at + 0.3) * S), 0.9, who) for at, text, who in said]


def test_people_are_parted_in_the_pause_between_them_without_a_gap() -> None:
    said = words((0.5, "you", "a"), (1.0, "tilt", "a"), (2.3, "now", "b"), (4.0, "not", "a"))
    plan, people = parted_by_speaker(a_plan(Clip("1", "k", 0, 0, 5 * S)), {"1": said}, {"k": energy_with_quiet(1.82)})
    spans = [clip.span for clip in clips_of(plan)]
    assert [one.end_sample for one in spans[:-1]] == [after.start_sample for after in spans[1:]]
    assert spans[0].end_sample == pytest.approx(1.825 * S, abs=480)
    assert {who: len(ids) for who, ids in people.items()} == {"a": 2, "b": 1}
    alone, nobody = parted_by_speaker(a_plan(Clip("1", "k", 0, 0, 5 * S)), {}, {})
    assert (len(clips_of(alone)), nobody) == (1, {})


def test_fillers_and_long_pauses_are_listed() -> None:
    said = words(
        (0.5, "Um,", "a"),
        (0.9, "so", "a"),
        (1.2, "so", "a"),
        (1.6, "you", "a"),
        (1.9, "know.", "a"),
        (6.0, "Know", "a"),
    )
    assert [one.text for one in fillers_of(said)] == ["Um,", "so"]
    assert fillers_of(said)[1].span == SampleSpan(round(0.9 * S), round(0.3 * S))
    pause = pauses_of(said)[0].span
    assert (pause.start_sample, pause.end_sample) == (round(2.5 * S), round(5.7 * S))


def test_the_tone_has_its_level() -> None:
    tone = bleep(S)
    assert tone.shape == (S, 1)
    assert 20 * np.log10(np.abs(tone).max()) == pytest.approx(BLEEP_DBFS, abs=0.01)
