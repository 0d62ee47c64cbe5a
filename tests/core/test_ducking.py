"""Curves of ducking: few points, no pumping, pinned points that stay, and what is said of a change."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.gain.duck_drawing import deepened, point_added, point_moved, point_removed, released
from recitant_core.gain.duck_rule import DUCK_PRESETS, DuckRule
from recitant_core.gain.ducking import (
    AHEAD_S,
    DuckPoint,
    curve_change,
    curve_points,
    dips,
    hop_gains_db,
    laid_around_pinned,
    levels_in_passage,
    passages,
    points_db,
    travel_db_per_min,
)
from recitant_core.units.clock import RATE_HZ, SampleSpan

RULE = DuckRule(uses_phrases=False)
STEADY = np.full(60_000, 1.0)
speech_lists = st.lists(st.tuples(st.floats(0, 500), st.floats(0.1, 20)), max_size=30)


def span_s(start, end):
    return SampleSpan(round(start * RATE_HZ), round((end - start) * RATE_HZ))


def fixed(speech, depth_db=-10.0, rule=RULE):
    found = passages(speech, rule)
    return curve_points([(p, [(p.start_sample, depth_db)]) for p in found], rule, STEADY)


def at(points, time_s):
    return float(points_db(points, np.array([time_s * RATE_HZ]))[0])


def test_one_dip_has_four_points_and_is_whole_before_the_first_word():
    points = fixed([span_s(10, 14)])
    assert len(points) == 4
    assert at(points, 10 - AHEAD_S) == -10.0 and at(points, 14 + RULE.hold_s) == pytest.approx(-10.0)
    assert at(points, 10 - AHEAD_S - RULE.lead_in_s) == 0.0
    assert at(points, 14 + RULE.hold_s + RULE.recovery_s) == 0.0


def test_no_rise_into_a_pause_shorter_than_the_bridge():
    points = fixed([span_s(10, 12), span_s(14.4, 16)])
    assert len(dips(points)) == 1
    assert at(points, 13.2) == -10.0
    assert len(dips(fixed([span_s(10, 12), span_s(17, 19)]))) == 2


def test_slopes_are_never_steeper_than_the_rule_allows():
    rule = replace(RULE, lead_in_s=0.05, recovery_s=0.05, slope_db_per_s=30.0)
    points = fixed([span_s(10, 12), span_s(20, 22)], -24.0, rule)
    for a, b in pairwise(points):
        seconds = (b.at_sample - a.at_sample) / RATE_HZ
        assert abs(b.gain_db - a.gain_db) <= 30.0 * seconds + 0.01


def test_speech_from_the_first_sample_to_the_last_is_one_dip():
    points = fixed([span_s(0, 60)])
    assert points[0] == DuckPoint(0, -10.0) and len(dips(points)) == 1


def test_a_rise_hides_under_a_phrase_of_the_music():
    energy = np.full(3_000, 1.0)
    energy[1_450:] = 30.0  # the music comes in anew at 14.5 s
    rule = replace(RULE, uses_phrases=True)
    points = curve_points([(span_s(10, 12), [(span_s(10, 12).start_sample, -10.0)])], rule, energy)
    up = points[-1].at_sample / RATE_HZ
    assert up == pytest.approx(14.5, abs=0.1)
    plain = curve_points([(span_s(10, 12), [(span_s(10, 12).start_sample, -10.0)])], RULE, energy)
    assert plain[-1].at_sample / RATE_HZ == pytest.approx(12 + 0.3 + 1.2)


def test_depth_follows_the_need_but_not_what_is_over_in_a_moment():
    need = np.zeros(6_000)
    need[1_000:3_000] = -4.0
    need[1_500:1_530] = -20.0  # 0.3 s
    need[2_400:3_000] = -9.0
    levels = levels_in_passage(span_s(10, 30), need, RULE, [span_s(10, 30)])
    assert [level for _, level in levels] == [-4.0, -9.0]
    assert 20 * RATE_HZ <= levels[1][0] <= 24 * RATE_HZ


def test_inside_talk_it_comes_up_only_for_long_and_by_much():
    need = np.full(6_000, -12.0)
    need[1_600:2_000] = -4.0  # four seconds less deep
    assert [level for _, level in levels_in_passage(span_s(10, 40), need, RULE, [span_s(10, 40)])] == [-12.0]
    need[1_600:3_500] = -4.0
    need[3_500:] = -4.0
    assert [level for _, level in levels_in_passage(span_s(10, 40), need, RULE, [span_s(10, 40)])] == [-12.0, -4.0]


def test_inside_talk_it_comes_up_under_words_and_never_into_a_pause():
    need = np.full(6_000, -12.0)
    need[1_600:] = -4.0
    words = [span_s(10, 17), span_s(19, 19.5), span_s(20, 30), span_s(31, 40)]  # two pauses and a short word
    levels = levels_in_passage(span_s(10, 40), need, RULE, words)
    assert [level for _, level in levels] == [-12.0, -4.0]
    up = levels[1][0]
    assert any(w.start_sample <= up and up + RULE.recovery_s * RATE_HZ <= w.end_sample for w in words)
    assert [level for _, level in levels_in_passage(span_s(10, 40), need, RULE, words[1:2])] == [-12.0]


def test_a_need_smaller_than_the_smallest_change_is_met_by_the_smallest_change():
    assert levels_in_passage(span_s(10, 20), np.full(3_000, -0.4), RULE, [span_s(10, 20)])[0][1] == -1.0
    assert levels_in_passage(span_s(10, 20), np.zeros(3_000), RULE, [span_s(10, 20)])[0][1] == 0.0
    assert levels_in_passage(span_s(10, 20), np.full(3_000, -50.0), RULE, [span_s(10, 20)])[0][1] == RULE.floor_db


@settings(max_examples=60)
@given(speech_lists, st.floats(-30, -1), st.floats(0.2, 6), st.floats(0.05, 2), st.floats(0.1, 3))
def test_any_talk_gives_an_ordered_curve_that_is_down_at_every_word(talk, depth_db, bridge_s, lead_in_s, recovery_s):
    rule = replace(RULE, bridge_s=bridge_s, lead_in_s=lead_in_s, recovery_s=recovery_s, slope_db_per_s=200.0)
    speech = [span_s(start, start + length) for start, length in talk]
    points = fixed(speech, depth_db, rule)
    assert all(a.at_sample < b.at_sample for a, b in pairwise(points))
    for span in speech:
        inside = np.linspace(span.start_sample, span.end_sample - 1, 9)
        assert points_db(points, inside).max(initial=depth_db) <= depth_db + 0.01
    # No rise inside a bridge: it never comes up and goes down again within less than the bridge.
    for before, after in pairwise(passages(speech, rule)):
        assert after.start_sample - before.end_sample > round(bridge_s * RATE_HZ) - 1


def test_few_points_stand_for_an_hour_of_talk():
    speech = [span_s(i * 12 + 1, i * 12 + 7) for i in range(300)]
    assert len(fixed(speech)) <= 4 * 300


def test_a_dragged_point_pins_itself_and_its_neighbours_and_stays():
    points = fixed([span_s(10, 14), span_s(30, 34)])
    moved = point_moved(points, 1, points[1].at_sample - 4_800, -6.0)
    assert [p.is_pinned for p in moved] == [True, True, True] + [False] * 5
    remade = laid_around_pinned(fixed([span_s(10, 14), span_s(31, 36)]), moved, RULE)
    assert [p for p in remade if p.is_pinned] == [p for p in moved if p.is_pinned]
    assert at(remade, 33) == -10.0  # what was not touched follows
    assert at(remade, 9.8) == pytest.approx(-6.0, abs=0.5)


@settings(max_examples=80)
@given(st.lists(st.tuples(st.integers(0, 60), st.floats(-30, 0)), max_size=9, unique_by=lambda p: p[0]), speech_lists)
def test_every_pinned_point_stays_whatever_is_made_around_it(drawn, talk):
    old = [DuckPoint(at * RATE_HZ // 2, round(db, 2), at % 3 != 0) for at, db in sorted(drawn)]
    remade = laid_around_pinned(fixed([span_s(s, s + n) for s, n in talk]), tuple(old), RULE)
    assert [p for p in remade if p.is_pinned] == [p for p in old if p.is_pinned]
    assert all(a.at_sample < b.at_sample for a, b in pairwise(remade))


def test_a_pinned_dip_stays_where_its_speech_has_gone():
    moved = point_moved(fixed([span_s(10, 14)]), 1, round(9.9 * RATE_HZ), -6.0)
    remade = laid_around_pinned((), moved, RULE)
    assert [p for p in remade if p.is_pinned] == [p for p in moved if p.is_pinned]
    assert at(remade, 20) == 0.0 and at(remade, 5) == 0.0


def test_released_points_follow_again():
    moved = point_moved(fixed([span_s(10, 14)]), 1, round(9.9 * RATE_HZ), -6.0)
    free = released(moved, span_s(0, 20))
    assert laid_around_pinned(fixed([span_s(10, 14)]), free, RULE) == fixed([span_s(10, 14)])


def test_a_point_stays_between_its_neighbours_and_under_zero():
    points = fixed([span_s(10, 14)])
    moved = point_moved(points, 1, 0, +9.0)
    assert moved[1].gain_db == 0.0 and moved[0].at_sample < moved[1].at_sample < moved[2].at_sample


def test_points_are_added_on_the_line_and_removed():
    points = fixed([span_s(10, 14)])
    added = point_added(points, 12 * RATE_HZ)
    assert len(added) == 5 and at(added, 12) == at(points, 12)
    assert point_added(added, 12 * RATE_HZ) == added
    index = next(i for i, p in enumerate(added) if p.at_sample == 12 * RATE_HZ)
    removed = point_removed(added, index)
    assert len(removed) == 4
    assert np.array_equal(hop_gains_db(removed, 2_000), hop_gains_db(points, 2_000))


def test_deeper_in_a_span_and_as_before_around_it():
    points = fixed([span_s(10, 30)])
    lower = deepened(points, span_s(18, 20), 5.0, RULE)
    assert at(lower, 19) == -15.0 and at(lower, 14) == -10.0 and at(lower, 25) == -10.0
    assert at(deepened((), span_s(0, 2), 5.0, RULE), 1) == -5.0


def test_travel_is_all_movement_a_minute_and_a_minute_at_least():
    points = (DuckPoint(0, 0.0), DuckPoint(100, -8.0), DuckPoint(200, -8.0), DuckPoint(300, -2.0))
    assert travel_db_per_min(points, 120 * RATE_HZ) == pytest.approx(7.0)
    assert travel_db_per_min(points, 10 * RATE_HZ) == pytest.approx(14.0) and travel_db_per_min((), 0) == 0.0


def test_what_changed_is_counted_by_dips():
    old = fixed([span_s(10, 14), span_s(30, 34), span_s(50, 54)])
    new = fixed([span_s(11, 15), span_s(30, 34), span_s(70, 74)])
    change = curve_change(old, new)
    assert (change.n_moved, change.n_new, change.n_gone, change.n_kept) == (1, 1, 1, 0)
    assert curve_change(old, old).n_moved == 0
    assert curve_change(old, point_moved(old, 1, old[1].at_sample, -7.0)).n_kept == 1


def level_points(*passages_s, rule=RULE):
    """A curve over passages of (begin, end, [(at, level in dB)]), in seconds."""
    laid = [(span_s(a, b), [(round(t * RATE_HZ), db) for t, db in levels]) for a, b, levels in passages_s]
    return curve_points(laid, rule, STEADY)


@pytest.mark.parametrize("wanted_db", [-10.3, -9.7, -14.0, -4.0])
def test_a_step_inside_a_dip_goes_where_it_is_asked_to_go(wanted_db):
    points = level_points((10, 30, [(10, -10.0), (20, wanted_db)]))
    assert at(points, 12) == -10.0 and at(points, 28) == pytest.approx(wanted_db)
    # Down it is whole where it is asked for, up it begins there.
    assert at(points, 20) == pytest.approx(min(-10.0, wanted_db) if wanted_db < -10.0 else -10.0)


def test_steps_closer_than_their_slopes_stay_in_order():
    crowded = [(10, -6.0), (10.01, -12.0), (10.02, -3.0), (10.03, -9.0)]
    points = level_points((10, 20, crowded))
    assert all(a.at_sample < b.at_sample for a, b in pairwise(points))
    assert at(points, 19) == pytest.approx(-9.0)


@pytest.mark.parametrize(("more_s", "n_dips"), [(0.02, 2), (-0.02, 1)])
def test_a_rise_is_made_where_it_can_stay_up_for_half_a_second(more_s, n_dips):
    # Common practice: sound that jumps up in a short pause is worse than sound that stays down.
    down_s = up_s = 10.0 / RULE.slope_db_per_s
    down_s, up_s = max(down_s, RULE.lead_in_s), max(up_s, RULE.recovery_s)
    gap_s = RULE.hold_s + up_s + 0.5 + down_s + AHEAD_S + more_s
    points = level_points((10, 12, [(10, -10.0)]), (12 + gap_s, 30, [(12 + gap_s, -10.0)]))
    assert len(dips(points)) == n_dips


def test_a_rise_under_a_phrase_leaves_half_a_second_before_the_next_dip():
    rule = replace(RULE, uses_phrases=True)
    # Its own phrase begins just before the next line: a rise that ended there would not stay up.
    energy = np.full(6_000, 1e-3)
    energy[1_680:] = 1e3
    points = curve_points(
        [(span_s(10, 12), [(10 * RATE_HZ, -10.0)]), (span_s(17, 19), [(17 * RATE_HZ, -10.0)])], rule, energy
    )
    first, second = dips(points)
    assert second.span.start_sample - first.span.end_sample >= 0.45 * RATE_HZ


def test_the_level_at_the_very_start_of_a_programme_is_that_of_the_dip():
    points = level_points((0.3, 4, [(0.3, -8.0)]))
    assert points[0].at_sample >= 0 and at(points, 0.3 - AHEAD_S) == pytest.approx(-8.0, abs=0.01)


def test_removing_a_point_pins_both_neighbours_also_at_the_ends():
    points = tuple(DuckPoint(n * RATE_HZ, -float(n)) for n in range(4))
    assert [p.is_pinned for p in point_removed(points, 1)] == [True, True, False]
    assert [p.is_pinned for p in point_removed(points, 0)] == [True, False, False]
    assert [p.is_pinned for p in point_removed(points, 3)] == [False, False, True]


def needs(*stretches, seconds=60):
    """The gain that each hop needs, from (begin s, end s, dB)."""
    need = np.zeros(seconds * 100)
    for begin, end, db in stretches:
        need[round(begin * 100) : round(end * 100)] = db
    return need


def test_inside_talk_the_sound_comes_up_only_by_three_db_and_for_eight_seconds():
    talk = [span_s(0, 60)]
    for step_db, lasts_s, n_levels in ((2.8, 30, 1), (3.2, 30, 2), (6.0, 5, 1)):
        need = needs((0, 60, -12.0), (20, 20 + lasts_s, -12.0 + step_db))
        levels = levels_in_passage(talk[0], need, RULE, talk)
        assert len([db for _, db in levels if db > -12.0]) == n_levels - 1, (step_db, lasts_s)


def test_it_goes_down_again_before_what_needs_more():
    talk = [span_s(0, 60)]
    levels = levels_in_passage(talk[0], needs((0, 20, -12.0), (20, 40, -4.0), (40, 60, -12.0)), RULE, talk)
    assert [db for _, db in levels] == [-12.0, -4.0, -12.0]
    assert [at for at, _ in levels] == sorted(at for at, _ in levels)


def test_a_spot_comes_back_sooner_and_a_documentary_later_than_talk_over_a_bed():
    # Common practice: the faster the form, the faster the dips.
    spot, talk, documentary = (DUCK_PRESETS[name] for name in ("spot", "talk-over-bed", "documentary"))
    for name in ("lead_in_s", "hold_s", "recovery_s", "bridge_s"):
        assert getattr(spot, name) < getattr(talk, name) < getattr(documentary, name), name
    assert spot.slope_db_per_s > talk.slope_db_per_s > documentary.slope_db_per_s
    assert talk == DuckRule()


def test_a_rise_inside_a_dip_takes_as_long_as_its_own_height():
    rule = replace(RULE, slope_db_per_s=2.0, recovery_s=0.1, lead_in_s=0.1)
    points = level_points((20, 50, [(20, -10.0), (30, -4.0)]), rule=rule)
    # Six dB at two a second.
    assert at(points, 30) == pytest.approx(-10.0) and at(points, 31.5) == pytest.approx(-7.0, abs=0.05)
    assert at(points, 33) == pytest.approx(-4.0)


def test_a_dip_that_is_deepened_from_the_very_start_is_deeper_there():
    lowered = deepened((), SampleSpan(0, 4 * RATE_HZ), 3.0, RULE)
    assert lowered[0].at_sample == 0 and at(lowered, 0) == pytest.approx(-3.0)


def test_a_level_that_is_said_twice_ends_nothing():
    points = level_points((10, 40, [(10, -10.0), (20, -10.0), (30, -4.0)]))
    assert at(points, 25) == -10.0 and at(points, 38) == pytest.approx(-4.0)
