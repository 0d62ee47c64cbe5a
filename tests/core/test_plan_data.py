"""The plan as data, there and back, and what is wrong in one."""

import pytest

from recitant_core.errors import PlanError
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from signals import MemorySource, programme

V = MemorySource("v", programme(1, 2.0, 1))


def _plan_data(**clip):
    track = {"name": "v", "role": "dialogue", "gain_db": -1.5, "clips": [{"file": "v.wav", **clip}]}
    return {"plan": 1, "title": "t", "frame_rate": "29.97df", "tracks": [track]}


def test_a_plan_comes_back_from_its_data():
    data = _plan_data(at_s=0.1, in_s=0.25, length_s=1.2, fade_in_s=0.01, curve=[[0.0, -3], [0.5, 0]])
    plan = plan_from_data(data, {"v.wav": V})
    assert plan.tracks[0].clips[0].start_sample == 4_800
    assert plan_from_data(plan_to_data(plan, {"v": "v.wav"}), {"v.wav": V}) == plan


@pytest.mark.parametrize(
    ("clip", "code", "field"),
    [
        ({"in_s": 2.0}, "in_after_end", "tracks[0].clips[0].in_s"),
        ({"length_s": 2.5}, "past_end", "tracks[0].clips[0].length_s"),
        ({"curve": [[1, 0], [1, 2]]}, "curve_out_of_order", "tracks[0].clips[0].curve"),
    ],
)
def test_a_plan_that_cannot_be_says_where(clip, code, field):
    with pytest.raises(PlanError) as caught:
        plan_from_data(_plan_data(**clip), {"v.wav": V})
    assert caught.value.code == code
    assert caught.value.facts["field"] == field
