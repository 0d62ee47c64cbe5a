"""What the pages compute beside the core comes to the same: how far an edge can go."""

import random

from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, trim_clip
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role

LENGTH = 10 * RATE_HZ


def test_an_edge_goes_as_far_on_the_page_as_in_the_core(scripts):
    rng = random.Random(4)
    wanted, expected = [], []
    for _ in range(60):
        start, inside = rng.randrange(0, 2 * RATE_HZ), rng.randrange(0, 2 * RATE_HZ)
        length = rng.choice([LEAST_CLIP_SAMPLES, 100, 5_000, rng.randrange(100, LENGTH - inside)])
        edge, by = rng.choice(["start", "end"]), rng.choice([0, 1, -1, 60, -60, rng.randrange(-LENGTH, LENGTH)])
        clip = Clip("a", "s", start, inside, length)
        plan = Plan("t", "25", (Track("1", "t", Role.DIALOGUE, clips=(clip,)),))
        after = trim_clip(plan, "a", edge, by, {"s": LENGTH}).tracks[0].clips[0]
        moved = after.start_sample - start if edge == "start" else after.length_samples - length
        wanted.append([{"start": start, "in": inside, "length": length}, edge, by])
        expected.append(moved)
    assert scripts("mirror_cases.js")("trims", wanted, LEAST_CLIP_SAMPLES, LENGTH) == expected
