"""Runs in lanes: the bits of a signal are the same in any company, width and pieces; against plain loops of NumPy."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from recitant_core.dsp.lanes import WIDTHS
from recitant_core.processors import lane_math
from recitant_core.processors.chain import chain_reach, through_chain
from recitant_core.processors.dynamics import dynamic
from recitant_core.processors.lane_kernels import BLOCK_FRAMES, CONTROL_SAMPLES
from recitant_core.processors.lanes import LanePass, goes_in_lanes, rows_of, run_of
from recitant_core.processors.model import Chain, Processor, ValuePoint
from recitant_core.processors.tone import sections_at
from recitant_core.render import segments
from recitant_core.render.mix import mixed_segments, render_stems
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import ROLES
from signals import MemorySource, programme

EQUALISER = Processor("equaliser").with_values(
    band1_shape="bell", band1_gain_db=6.0, band3_shape="notch", band5_shape="high-shelf", band5_gain_db=-4.0
)
FORMS: dict[str, Chain] = {
    "one section": (Processor("high-pass"),),
    "eleven sections": (Processor("high-pass").with_values(slope_db_per_octave="48"), EQUALISER, Processor("hum")),
    "gate": (Processor("gate").with_values(threshold_dbfs=-30.0),),
    "expander that holds": (Processor("expander").with_values(threshold_dbfs=-25.0, hold_ms=37.0),),
    "expander": (Processor("expander").with_values(threshold_dbfs=-25.0, hold_ms=0.0),),
    "compressor of peaks": (Processor("compressor").with_values(threshold_dbfs=-30.0, hears="peak", mix_percent=60.0),),
    "all": (
        Processor("high-pass"),
        EQUALISER,
        Processor("gate").with_values(threshold_dbfs=-38.0),
        Processor("compressor").with_values(threshold_dbfs=-30.0, knee_db=0.0, make_up_db=4.0),
        Processor("de-esser").with_values(threshold_dbfs=-45.0),
        Processor("low-pass"),
    ),
}
AUDIO = programme(7, 3.0)[: 140_000 // BLOCK_FRAMES * BLOCK_FRAMES]


def taken(chain: Chain, n_lanes: int, row: int, pieces: list[int], others: float = 0.3) -> np.ndarray:
    """The signal through a chain in one row of a pass, other signals in the other rows, in these pieces over again."""
    run = LanePass([run_of(chain)] * (n_lanes // 2), n_lanes)
    rows = rows_of(n_lanes // 2, len(AUDIO))
    rows[:, : len(AUDIO)] = np.float32(others) * AUDIO[::-1]
    rows[row, : len(AUDIO)] = AUDIO
    at = turn = 0
    while at < len(AUDIO):
        n = min(pieces[turn % len(pieces)] * CONTROL_SAMPLES, len(AUDIO) - at)
        run.take(rows, at, n)
        at, turn = at + n, turn + 1
    return rows[row, : len(AUDIO)].copy()


@pytest.mark.parametrize("form", FORMS)
def test_bits_are_the_same_in_any_width_place_and_company(form):
    alone = taken(FORMS[form], 2, 0, [512])
    for n_lanes in WIDTHS:
        for row in range(n_lanes // 2):
            assert np.array_equal(taken(FORMS[form], n_lanes, row, [512], others=0.1 * row), alone)


@settings(max_examples=12)
@given(pieces=st.lists(st.integers(1, 900), min_size=1, max_size=5), form=st.sampled_from(sorted(FORMS)))
def test_bits_are_the_same_in_any_pieces(pieces, form):
    assert np.array_equal(taken(FORMS[form], 4, 1, pieces), taken(FORMS[form], 2, 0, [len(AUDIO)]))


def test_tails_end_at_the_same_places_in_any_pieces():
    chain = FORMS["eleven sections"]
    tail = np.zeros((4 * RATE_HZ, 2), np.float32)
    tail[100] = 1e-4
    found = []
    for pieces in ([512], [3, 1, 7]):
        run = LanePass([run_of(chain)], 2)
        rows = rows_of(1, len(tail))
        rows[0, : len(tail)] = tail
        at = turn = 0
        while at < len(tail):
            n = min(pieces[turn % len(pieces)] * CONTROL_SAMPLES, len(tail) - at)
            run.take(rows, at, n)
            at, turn = at + n, turn + 1
        found.append(rows[0, : len(tail)].copy())
    assert np.array_equal(*found)
    assert 0.0 < np.abs(found[0][found[0] != 0.0]).min() < 1e-24
    assert not found[0][-BLOCK_FRAMES:].any()


@pytest.mark.parametrize("form", ["one section", "eleven sections"])
def test_filters_are_those_of_scipy(form):
    sections = np.concatenate([sections_at(processor, 0.0) for processor in FORMS[form]])
    sos = np.insert(sections, 3, 1.0, axis=1)
    expected = signal.sosfilt(sos, AUDIO.astype(np.float64), axis=0)
    assert np.abs(taken(FORMS[form], 2, 0, [512]) - expected).max() < 1e-7


@pytest.mark.parametrize("form", ["gate", "expander that holds", "expander", "compressor of peaks"])
def test_gains_are_those_of_the_plain_loops(form):
    # dynamics.dynamic is written apart from the lanes, in single precision between steps: -140 dBFS is asked.
    quiet = np.zeros((BLOCK_FRAMES, 2), np.float32)
    audio = np.concatenate([quiet, AUDIO])
    expected = dynamic(FORMS[form][0], audio.copy(), 0)
    told: list[np.ndarray] = []
    watched = through_chain(FORMS[form], audio, 0, lambda _index, gain_db: told.append(gain_db))
    # A gate opens from its rest in silence; the plain loops begin where their first level stands.
    after = int(0.5 * RATE_HZ)
    assert np.abs(watched - expected)[after:].max() < 1e-7
    assert len(np.concatenate(told)) == -(-len(audio) // CONTROL_SAMPLES)


def test_a_single_channel_comes_out_as_two_equal_ones():
    mono = AUDIO[:, :1].copy()
    both = np.repeat(mono, 2, axis=1)
    assert np.array_equal(through_chain(FORMS["all"], mono, 0), through_chain(FORMS["all"], both, 0)[:, :1])


def test_a_silence_is_skipped_without_a_trace():
    # Sound, a silence long enough for everything to come to rest, and sound again.
    gap = np.zeros((30 * RATE_HZ, 2), np.float32)
    audio = np.concatenate([AUDIO, gap, AUDIO])
    chain = FORMS["all"]
    worked = through_chain(chain, audio, 0)
    told: list[np.ndarray] = []
    watched = through_chain(chain, audio, 0, lambda _index, gain_db: told.append(gain_db))  # nothing is skipped then
    assert np.array_equal(worked, watched)
    assert not worked[-len(AUDIO) - BLOCK_FRAMES : -len(AUDIO)].any()


def test_which_processors_go_in_lanes():
    curve = (("threshold_dbfs", (ValuePoint(0, -20.0), ValuePoint(9_000, -40.0))),)
    assert all(goes_in_lanes(processor) for chain in FORMS.values() for processor in chain)
    assert not goes_in_lanes(replace(Processor("gate"), curves=curve))
    assert not goes_in_lanes(replace(Processor("gate"), outputs_difference=True))
    assert not goes_in_lanes(Processor("compressor").with_values(lookahead_ms=5.0))
    assert not goes_in_lanes(Processor("three-band"))


@pytest.mark.parametrize("exponent", [-300, -20, -1, 0, 1, 8])
def test_logarithms_and_powers_of_two(exponent):
    import numba

    from recitant_core.dsp.lanes import like, load, store

    @numba.njit
    def both(x, out, width):
        store(out, 0, lane_math.log2_of(load(x, 0, width), width))
        store(out, 2, lane_math.exp2_of(load(out, 0, width), width))

    for mantissa in np.linspace(1.0, 2.0, 41, endpoint=False):
        x, out = np.full(2, mantissa * 2.0**exponent), np.zeros(4)
        both(x, out, like(2))
        assert out[0] == pytest.approx(np.log2(x[0]), abs=2e-10)
        assert out[2] == pytest.approx(2.0 ** out[0], rel=5e-12)


SOURCES = {str(i): MemorySource(f"lanes {i}", programme(60 + i, 40.0, 1 + i % 2)) for i in range(6)}


def tracks_of(count: int, threshold_step: float) -> Plan:
    """Tracks of one shape with values, lengths and warm-ups of their own."""
    tracks = tuple(
        Track(
            str(i), f"t{i}", ROLES[i % 4], -6.0,
            clips=(Clip(str(i), str(i), 4_000 * i, 300 * i, 1_500_000 - 4_000 * i, 0.0, 900, 4_000),),
            chain=(
                Processor("high-pass"),
                Processor("compressor").with_values(
                    threshold_dbfs=-30.0 - threshold_step * i, release_ms=80.0 + 40 * i
                ),
            ),
        )
        for i in range(count)
    )  # fmt: skip
    return Plan("lanes", "25", tracks)


@pytest.mark.parametrize("count", [1, 2, 3, 4, 6])
@pytest.mark.parametrize("width", [4, 8])
def test_a_delivery_has_the_bits_of_each_track_alone(monkeypatch, count, width):
    monkeypatch.setattr("recitant_core.render.segments.widest", lambda: width)
    monkeypatch.setattr("recitant_core.render.tracks.widest", lambda: width)
    plan = tracks_of(count, 3.0)
    forget_segments()
    whole = list(mixed_segments(plan, SOURCES))
    assert {len(one.mix) for one in whole[:-1]} <= {segments.SEGMENT_SAMPLES}
    for role in plan.roles:
        delivered = np.concatenate([one.stems[role] for one in whole])
        forget_segments()
        alone = [replace(plan, tracks=(t,)) for t in plan.tracks if t.role is role]
        total = np.zeros(delivered.shape)
        for one in alone:
            total[: one.span.end_sample] += render_stems(one, SOURCES, one.span)[role]
        if len(alone) == 1:
            assert np.array_equal(delivered[: len(total)], total.astype(np.float32))
        else:
            assert np.abs(delivered - total).max() < 1e-6


def test_no_warm_up_is_so_short_that_a_row_could_begin_off_the_grid():
    for chain in FORMS.values():
        assert chain_reach(chain)[0] % BLOCK_FRAMES == 0


def test_any_spans_of_a_stem_are_those_of_the_delivery():
    plan = tracks_of(4, 2.0)
    forget_segments()
    delivered = np.concatenate([one.mix for one in mixed_segments(plan, SOURCES)])
    forget_segments()
    for start in (0, 767_990, 1_111_111):
        stems = render_stems(plan, SOURCES, SampleSpan(start, 20_000))
        total = sum((stem.astype(np.float64) for stem in stems.values()), np.zeros((20_000, 2)))
        assert np.array_equal(delivered[start : start + 20_000], total.astype(np.float32))


def job_of(index, name, heard, chain=FORMS["all"], fails_at=None):
    """A segment of noise that keeps where it was read."""
    noise = np.random.default_rng(3).standard_normal((2_000_000, 2)).astype(np.float32)

    def fill_in(_window):
        def fill(start_sample, out):
            if fails_at is not None and start_sample >= fails_at():
                raise OSError("gone")
            heard.append((name, start_sample, len(out)))
            out[:] = noise[np.arange(start_sample, start_sample + len(out)) % len(noise)] * np.float32(0.1)

        return fill

    return segments.Job((name, index), chain, index, 2, fill_in)


@pytest.mark.parametrize("wanted", [[100], [100_000, 7, 300_001], [segments.SEGMENT_SAMPLES]])
def test_a_segment_is_made_as_far_as_it_is_wanted_and_goes_on_from_there(wanted):
    forget_segments()
    whole = segments.made(job_of(1, "whole", []), list).copy()
    forget_segments()
    heard: list = []
    job, other = job_of(1, "a", heard), job_of(2, "b", heard)
    for n_frames in wanted:
        found = segments.made(job, lambda: [other], n_frames)
        assert np.array_equal(found[:n_frames], whole[:n_frames])
    furthest = max(start + n for name, start, n in heard if name == "a")
    most = segments.segment_span(1).start_sample + max(wanted) + segments.PIECE_SAMPLES
    assert furthest <= most and segments.is_kept(other)
    assert np.array_equal(segments.made(job, list), whole)
    pieces = [start for name, start, _ in heard if name == "a"]
    assert pieces == sorted(set(pieces))  # nothing was worked out twice


def test_segments_whose_recording_cannot_be_read_are_made_anew():
    forget_segments()
    broken_at = [800_000]
    job = job_of(1, "c", [], fails_at=lambda: broken_at[0])
    segments.made(job, list, 1_000)
    with pytest.raises(OSError, match="gone"):
        segments.made(job, list)
    assert not segments.is_kept(job)
    broken_at[0] = 10_000_000
    again = segments.made(job, list)
    assert np.array_equal(again, segments.made(job_of(1, "d", []), list))
