"""What stand-ins of platforms do, against our own limiter over the samples themselves."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.delivery.fitting.trial import MixInMemory, render_once, tried
from recitant_core.delivery.playback.platforms import PLATFORMS, platform_results
from recitant_core.measure.meter import readings_from
from recitant_core.render.mix import mastered_segments
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.roles import Role
from recitant_text.platforms import PLATFORM_WORDS, platform_rows
from signals import MemorySource, programme, sine


def known_of(audio):
    clip = Clip("a", "s", 0, 0, len(audio))
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    return plan, render_once(plan, {"s": MemorySource("s", audio)}, MixInMemory())


def results(known, master=None):
    found = platform_results(known.summary, known.untouched.readings, master or Master())
    return {one.platform: one for one in found}


@pytest.mark.parametrize(
    ("level", "down", "both"), [(-9.0, -14.0, -14.0), (-14.0, -14.0, -14.0), (-20.0, -20.0, -14.0)]
)
def test_loud_tones_are_turned_down_and_quiet_ones_up_where_that_is_done(level, down, both):
    _, known = known_of(sine(level, 5.0))
    found = results(known)
    assert found["turns-down"].heard_lufs == pytest.approx(down, abs=0.05)
    assert found["turns-both"].heard_lufs == pytest.approx(both, abs=0.05)
    assert found["broadcast"].heard_lufs == pytest.approx(level, abs=0.05)
    assert found["turns-down"].turned_db <= 0.0 and found["turns-down"].most_reduction_db == 0.0


def test_a_limiter_of_the_platform_takes_what_ours_takes_from_the_samples():
    plan, known = known_of(programme(5, 20.0))
    quiet = results(known)["turns-both"]
    through = tried(replace(plan, master=Master(quiet.turned_db, -1.0)), known, 24)
    assert quiet.turned_db > 6.0
    assert quiet.heard_lufs == pytest.approx(through.readings.integrated_lufs, abs=0.3)
    assert quiet.most_reduction_db == pytest.approx(through.most_reduction_db, abs=1.0)


def test_a_delivery_is_heard_through_its_own_master_first():
    plan, known = known_of(programme(5, 20.0))
    master = Master(24.0, -1.1)
    found = results(known, master)
    delivered = mastered_segments(replace(plan, master=master), known.mixes)
    once_more, again = known_of(np.concatenate([segment.output for segment in delivered]))
    through = tried(replace(once_more, master=Master(0.0, -3.0)), again, 24)
    assert found["broadcast"].heard_lufs == pytest.approx(through.readings.integrated_lufs, abs=0.4)
    # Its peaks lie at -1.1 dBTP; the chain holds them 1.9 dB lower.
    assert found["broadcast"].most_reduction_db == pytest.approx(1.9, abs=0.4)


def test_silence_is_nothing_to_hear():
    _, known = known_of(np.zeros((48_000, 2), np.float32))
    assert {one.heard_lufs for one in results(known).values()} == {None}
    short = replace(known.summary, energy=np.zeros(3), peaks=np.zeros(6))
    assert platform_results(short, readings_from(np.zeros(3), 0.0, 0.0), Master())[0].heard_lufs is None


def test_every_platform_has_words():
    _, known = known_of(sine(-20.0, 5.0))
    data = [vars(one) for one in results(known).values()]
    rows = platform_rows(data, data)
    assert {name for name, *_ in rows} == set(PLATFORM_WORDS.values()) and set(PLATFORM_WORDS) == {
        one.name for one in PLATFORMS
    }
    assert rows[0][1] == "−20.0 LUFS, untouched" and rows[1][1].startswith("−14.0 LUFS, turned up by 6.0 dB")
