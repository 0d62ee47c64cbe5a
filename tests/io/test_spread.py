"""A mix rendered in parts by several, in any order, holds the bits of one that was rendered in one go."""

from itertools import pairwise

import numpy as np
import pytest

from recitant_core.delivery.orders.orders import Order
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.processors.model import Processor
from recitant_core.render.mix import mixed_segments
from recitant_core.render.segments import SEGMENT_SAMPLES, forget_segments
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from recitant_io.delivery.delivery import deliver
from recitant_io.delivery.spread import joined, part_bytes, parts_of, write_part
from recitant_io.formats.codecs import wanted_files
from signals import MemorySource, programme

SECONDS = 70
SOURCES = {name: MemorySource(name, programme(seed, SECONDS)) for seed, name in enumerate(("voice", "score"))}
CHAINS = {
    "voice": (Processor("compressor"), Processor("de-esser")),
    "score": (Processor("high-pass"), Processor("reverb")),
}
PLAN = Plan(
    "spread",
    "25",
    tuple(
        Track(name, name, role, -6.0, clips=(Clip(name, name, 1_234, 0, SECONDS * 48_000),), chain=CHAINS[name])
        for name, role in (("voice", Role.DIALOGUE), ("score", Role.MUSIC))
    ),
    master_chain=(Processor("compressor"),),
)


@pytest.fixture(params=[1, 2, 3])
def parts(request, tmp_path):
    """Parts of so many segments, and their files, which were written last part first."""
    spans = parts_of(PLAN, request.param * SEGMENT_SAMPLES)
    paths = [tmp_path / "parts" / f"{number}.f32" for number in range(len(spans))]
    for span, path in reversed(list(zip(spans, paths, strict=True))):
        forget_segments()  # as in a process of its own
        write_part(PLAN, SOURCES, span, path)
    return spans, paths


def test_parts_are_whole_segments_and_make_up_the_plan():
    spans = parts_of(PLAN, 2 * SEGMENT_SAMPLES + 17)
    assert spans[0].start_sample == 0 and spans[-1].end_sample == PLAN.span.end_sample
    assert all(one.end_sample == other.start_sample for one, other in pairwise(spans))
    assert {span.length_samples for span in spans[:-1]} == {2 * SEGMENT_SAMPLES}
    assert len(parts_of(PLAN, 5)) == -(-PLAN.span.length_samples // SEGMENT_SAMPLES)


def test_parts_joined_are_the_whole_bit_for_bit(parts):
    spans, paths = parts
    assert [path.stat().st_size for path in paths] == [part_bytes(PLAN, span) for span in spans]
    found, whole = list(joined(PLAN, spans, paths)), list(mixed_segments(PLAN, SOURCES))
    assert [one.span for one in found] == [one.span for one in whole]
    for one, other in zip(found, whole, strict=True):
        assert np.array_equal(one.mix, other.mix) and list(one.stems) == list(other.stems)
        assert all(np.array_equal(one.stems[role], other.stems[role]) for role in other.stems)


def test_a_delivery_of_parts_is_the_delivery_bit_for_bit(parts, tmp_path):
    spans, paths = parts
    orders = [Order(spec_by_id(name), wanted_files("mix,stems,flac")) for name in ("ebu-r128", "online-14")]
    deliver(PLAN, SOURCES, orders, tmp_path / "alone")
    deliver(PLAN, {}, orders, tmp_path / "spread", mixed=lambda: joined(PLAN, spans, paths))
    names = sorted(path.name for path in (tmp_path / "alone").iterdir())
    assert len(names) == 9 and names == sorted(path.name for path in (tmp_path / "spread").iterdir())
    for name in names:
        assert (tmp_path / "alone" / name).read_bytes() == (tmp_path / "spread" / name).read_bytes(), name


def test_a_part_that_is_cut_off_is_not_taken(parts):
    spans, paths = parts
    paths[0].write_bytes(paths[0].read_bytes()[:-4])
    with pytest.raises(ValueError, match=paths[0].name):
        list(joined(PLAN, spans, paths))


def test_one_that_stops_leaves_nothing(tmp_path):
    def stop(_share):
        raise InterruptedError

    with pytest.raises(InterruptedError):
        write_part(PLAN, SOURCES, PLAN.span, tmp_path / "0.f32", stop)
    assert not list(tmp_path.iterdir())
