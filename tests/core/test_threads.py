"""Work side by side: its order, its errors, and the same bits on one core and on two; results that are kept."""

import threading
import time
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import pytest

from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.render.mix import render_segments
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Master, Track
from recitant_core.units.remembered import Remembered, fingerprint, keeps_hash
from recitant_core.units.threads import ahead, at_once, in_order, n_threads, results_at_once, use_threads
from signals import programme

from .test_chains import PLAN, SOURCES
from .test_lanes import SOURCES as LANE_SOURCES
from .test_lanes import tracks_of


@pytest.fixture(params=[1, 2, 3])
def threads(request):
    use_threads(request.param)
    yield request.param
    use_threads(1)


def test_results_come_in_order(threads):
    assert n_threads() == threads
    assert list(in_order(lambda n: n * n, range(20))) == [n * n for n in range(20)]
    assert list(ahead(iter(range(5)))) == list(range(5))
    done = []
    at_once(lambda n=n: done.append(n) for n in range(7))
    assert sorted(done) == list(range(7))


def test_an_error_is_raised_at_its_place(threads):
    def work(n):
        if n == 3:
            raise ValueError("three")
        return n

    given = in_order(work, range(9))
    assert [next(given), next(given), next(given)] == [0, 1, 2]
    with pytest.raises(ValueError, match="three"):
        next(given)
    with pytest.raises(ValueError, match="three"):
        at_once(lambda n=n: work(n) for n in range(5))
    with pytest.raises(ValueError, match="three"):
        list(ahead(work(n) for n in range(5)))


def test_who_stops_early_waits_for_no_more_than_has_begun():
    use_threads(2)
    begun, n_before = [], threading.active_count()
    given = in_order(lambda n: begun.append(n) or n, range(1_000))
    assert next(given) == 0
    given.close()
    use_threads(1)
    assert len(begun) < 10
    assert threading.active_count() <= n_before + 2


@pytest.mark.parametrize("plan", [replace(PLAN, master=Master(3.0, -2.0)), tracks_of(5, 2.0)], ids=["mixed", "lanes"])
def test_one_core_and_two_give_the_same_bits(plan):
    sources = SOURCES | LANE_SOURCES
    found = {}
    for n in (1, 2):
        use_threads(n)
        forget_segments()
        found[n] = np.concatenate([segment.output for segment in render_segments(plan, sources)])
    use_threads(1)
    assert np.array_equal(found[1], found[2])


def test_a_limiter_hears_its_channels_side_by_side_with_the_same_bits():
    around = np.pad(programme(3, 2.0) * np.float32(4.0), ((BEFORE_SAMPLES, AFTER_SAMPLES), (0, 0)))
    one, _ = limit(around, -3.0)
    use_threads(2)
    two, _ = limit(around, -3.0)
    use_threads(1)
    assert np.array_equal(one, two)


def test_arrays_are_kept_by_key_within_their_room_and_nobody_writes_to_them():
    kept = Remembered(3 * 800)
    made = []

    def make(key):
        made.append(key)
        return np.full(100, float(key))

    for key in (1, 2, 3, 1, 4, 1, 2):
        assert kept.get_or_make(key, lambda key=key: make(key))[0] == key
    assert made == [1, 2, 3, 4, 2]  # 2 was the one used least
    with pytest.raises(ValueError, match="read-only"):
        kept.get_or_make(1, lambda: make(1))[0] = 5.0
    kept.clear()
    kept.get_or_make(1, lambda: make(1))
    assert made[-1] == 1


def test_a_hash_is_worked_out_once_and_belongs_to_the_value():
    asked = []

    class Field:
        def __hash__(self):
            asked.append(1)
            return 7

        def __eq__(self, other):
            return isinstance(other, Field)

    @keeps_hash
    @dataclass(frozen=True)
    class Thing:
        field: Field
        name: str = ""

    thing = Thing(Field())
    assert hash(thing) == hash(thing) == hash(Thing(Field()))
    assert len(asked) == 2
    assert hash(replace(thing, name="x")) != hash(thing)
    clip = Clip("1", "s", 0, 0, 10)
    assert hash(clip) == hash(replace(clip))
    assert {Track("1", "t", "music", clips=(clip,)): 1}[Track("1", "t", "music", clips=(replace(clip),))] == 1


def test_a_fingerprint_tells_arrays_apart_that_hold_the_same_numbers_elsewhere():
    # A clip that moves by a few hops leaves every sum of its track as it was.
    values = np.zeros(7_000)
    values[700:1_400] = np.arange(700.0)
    moved = np.roll(values, 7)
    assert fingerprint(values) == fingerprint(values.copy())
    assert fingerprint(values) != fingerprint(moved)
    values.flags.writeable = False
    assert fingerprint(values) == fingerprint(values)
    assert fingerprint(values[::2]) == fingerprint(values[::2].copy())


@pytest.mark.parametrize("threads", [1, 2, 3])
def test_results_come_in_order_and_progress_in_the_callers_thread(threads):
    told, callers = [], set()

    def progress(share):
        told.append(share)
        callers.add(threading.get_ident())

    def work(number, tell):
        for share in (0.25, 0.5, 1.0):
            time.sleep(0.15)
            tell(share)
        return number, n_threads()

    use_threads(threads)
    try:
        found = results_at_once([partial(work, number) for number in range(4)], progress)
    finally:
        use_threads(1)
    assert found == [(number, 1) for number in range(4)]  # inside, nothing is split once more
    assert callers == {threading.get_ident()} and told == sorted(told) and 0.0 < told[-1] <= 1.0


@pytest.mark.parametrize("threads", [1, 2])
def test_what_progress_raises_ends_all_work(threads):
    done = []

    def work(tell):
        for step in range(1_000):
            time.sleep(0.01)
            tell(step / 1_000)
        done.append(True)

    def cancel(share):
        if share > 0.01:
            raise KeyError("cancelled")

    use_threads(threads)
    try:
        with pytest.raises(KeyError):
            results_at_once([work, work], cancel)
    finally:
        use_threads(1)
    assert not done


def test_what_one_raises_is_raised():
    def fail(_tell):
        raise ValueError("no")

    def slow(tell):
        for _ in range(10_000):
            time.sleep(0.01)
            tell(0.0)

    use_threads(2)
    try:
        with pytest.raises(ValueError, match="no"):
            results_at_once([fail, slow], lambda _share: None)
    finally:
        use_threads(1)
