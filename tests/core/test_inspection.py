"""What a chain does, in numbers: each figure against a signal whose answer is known."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.errors import EditRefused
from recitant_core.processors.model import Processor
from recitant_core.render.inspection import chain_input, chain_view, heard_of, lowest_of, track_level_dbfs
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from signals import MemorySource, sine

LOWER = Processor("gain", (("gain_db", -6.0),))
SOURCES = {"v": MemorySource("v", sine(-12.0, 20.0)), "m": MemorySource("m", sine(-30.0, 20.0, 200.0))}
CLIP = Clip("1", "v", 2 * RATE_HZ, RATE_HZ, 10 * RATE_HZ, gain_db=-3.0)
PLAN = Plan(
    "p",
    "25",
    (
        Track("t", "voice", Role.DIALOGUE, gain_db=-4.0, clips=(CLIP,)),
        Track("u", "bed", Role.MUSIC, clips=(Clip("2", "m", 0, 0, 20 * RATE_HZ),)),
    ),
)


def view_of(chain, target, target_id, index=0):
    given = chain_input(PLAN, target, target_id, 6 * RATE_HZ, (0, 0), SOURCES.__getitem__, {})
    return chain_view(chain, index, given)


def figures(view):
    return {f["name"]: (f["before"], f["after"]) for f in view["figures"]}


def test_a_clip_goes_in_as_it_was_recorded_and_comes_out_lowered():
    before, after = figures(view_of((LOWER,), "clip", "1"))["sample_peak_dbfs"]
    assert before == pytest.approx(-12.0, abs=0.05)  # without the gain of the clip and its track
    assert after == pytest.approx(-18.0, abs=0.05)


def test_loudness_of_a_sine_is_the_published_one():
    # BS.1770-5: a 997 Hz sine at 0 dBFS on one front channel reads -3.01 LKFS; on two, 3.01 LU more.
    before, _ = figures(view_of((), "clip", "1"))["loudness_lufs"]
    assert before == pytest.approx(-12.0, abs=0.05)


@pytest.mark.parametrize(("target", "target_id", "peak_dbfs"), [("track", "t", -15.0), ("stem", "dialogue", -19.0)])
def test_tracks_and_stems_are_heard_alone_before_their_chain(target, target_id, peak_dbfs):
    # A track before its own fader, a stem behind the faders of its tracks; no music in either.
    before, _ = figures(view_of((), target, target_id))["sample_peak_dbfs"]
    assert before == pytest.approx(peak_dbfs, abs=0.05)


def test_the_master_hears_everything():
    assert heard_of(PLAN, "master", "").only_tracks is None
    assert heard_of(PLAN, "stem", "music").only_tracks == {"u"}
    assert heard_of(PLAN, "clip", "1").only_tracks == {"t"}


def test_a_bell_shows_in_response_and_spectrum():
    bell = Processor(
        "equaliser", (("band1_freq_hz", 1_000.0), ("band1_gain_db", 9.0), ("band1_q", 1.0), ("band1_shape", "bell"))
    )
    view = view_of((bell,), "clip", "1")
    nearest = int(np.argmin(np.abs(np.array(view["freq_hz"]) - 1_000.0)))
    assert view["response"][nearest] == pytest.approx(9.0, abs=0.2)
    assert view["spectrum_out"][nearest] - view["spectrum_into"][nearest] == pytest.approx(9.0, abs=0.3)


def test_effort_counts_speech_only_where_there_is_some():
    squeeze = Processor("compressor", (("ratio", 20.0), ("threshold_dbfs", -40.0)))
    speech = {"v": [SpeechSpan(RATE_HZ, 3 * RATE_HZ, 1.0)]}
    given = chain_input(PLAN, "clip", "1", 0, (0, 0), SOURCES.__getitem__, speech)
    assert given.is_speech.mean() == pytest.approx(0.3, abs=0.01)
    effort = chain_view((squeeze,), 0, given)["effort"]
    assert effort.is_over_speech and effort.share > 0.9 and effort.deepest_db > 20.0
    idle = chain_view((replace(squeeze, is_bypassed=True),), 0, given)
    assert idle["effort"] is None


def test_a_processor_that_is_not_there_leaves_its_part_out():
    view = view_of((LOWER,), "clip", "1", index=4)
    assert view["effort"] is None and "response" not in view and "reduction" not in view


def test_targets_that_are_gone_are_refused():
    for target, target_id in (("clip", "9"), ("track", "9"), ("stem", "x")):
        with pytest.raises(EditRefused):
            view_of((), target, target_id)


def test_the_level_of_a_track_is_of_its_sum_with_its_fader():
    level = track_level_dbfs(PLAN, PLAN.tracks[0], "rms", SOURCES.__getitem__)
    middle = level[len(level) // 2 - 50 : len(level) // 2 + 50]
    assert middle.mean() == pytest.approx(-12.0 - 3.0 - 4.0 - 3.01, abs=0.2)


def test_deep_reductions_survive_thinning():
    gains = np.zeros(10_000)
    gains[7_777] = -20.0
    assert lowest_of(gains, 100).min() == -20.0 and len(lowest_of(gains, 100)) == 100
    assert lowest_of(gains[:50], 100) is not None and len(lowest_of(gains[:50], 100)) == 50
