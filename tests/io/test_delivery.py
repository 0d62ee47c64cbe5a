"""Deliveries: how often a programme is rendered, what is kept meanwhile, and files that other libraries read."""

import wave
from dataclasses import replace

import numpy as np
import pytest
import soundfile

from recitant_core.delivery import trial as trials
from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.delivery.fit import fit
from recitant_core.delivery.trial import MixInMemory, render_once
from recitant_core.dsp.quantise import quantise
from recitant_core.errors import Cancelled
from recitant_core.processors.model import Processor
from recitant_core.render import mix
from recitant_core.render.segments import SEGMENT_SAMPLES
from recitant_core.timeline.model import Clip, Plan, Role, Track
from recitant_core.units.channels import STEREO
from recitant_core.units.threads import use_threads
from recitant_io.delivery import deliver
from recitant_io.kept_mix import kept_mix
from recitant_io.wav import wav_writer
from signals import MemorySource, programme

SECONDS = 40
SOURCES = {name: MemorySource(name, programme(seed, SECONDS)) for seed, name in enumerate(("voice", "score"))}
PLAN = Plan(
    "delivered",
    "25",
    tuple(
        Track(
            name, name, role, -6.0, clips=(Clip(name, name, 0, 0, SECONDS * 48_000),), chain=(Processor("high-pass"),)
        )
        for name, role in (("voice", Role.DIALOGUE), ("score", Role.MUSIC))
    ),
)
SPECS = [spec_by_id("ebu-r128"), spec_by_id("online-14")]


@pytest.fixture
def rendered_segments(monkeypatch):
    """Every segment that is rendered, by its start."""
    found = []
    plain = mix._through_master

    def counted(plan, sources, span, *more):
        found.append(span.start_sample)
        return plain(plan, sources, span, *more)

    monkeypatch.setattr(mix, "_through_master", counted)
    return found


def test_any_number_of_specifications_takes_two_renders(tmp_path, rendered_segments):
    done = deliver(PLAN, SOURCES, SPECS, tmp_path)
    starts = list(range(0, SECONDS * 48_000, SEGMENT_SAMPLES))
    assert rendered_segments == starts * 2
    assert all(one.verdict.is_passed for one in done)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(
        f"{what}-{spec.spec_id}.wav" for spec in SPECS for what in ("mix", "stem-dialogue", "stem-music")
    )


def test_one_core_and_two_write_the_same_files(tmp_path):
    for n in (1, 2):
        use_threads(n)
        deliver(PLAN, SOURCES, SPECS, tmp_path / str(n))
    use_threads(1)
    for path in sorted((tmp_path / "1").iterdir()):
        # A file of floats holds the time it was made at: samples are compared.
        one, two = (soundfile.read(tmp_path / n / path.name, dtype="float64")[0] for n in ("1", "2"))
        assert np.array_equal(one, two)


def test_an_earlier_fit_is_tried_first_and_is_enough(monkeypatch):
    known = render_once(PLAN, SOURCES, MixInMemory())
    first = fit(PLAN, known, SPECS[1])
    tried = []
    plain = trials.tried
    monkeypatch.setattr(
        "recitant_core.delivery.fit.tried", lambda plan, *more: tried.append(plan.master) or plain(plan, *more)
    )
    again = fit(PLAN, known, SPECS[1], start=first.trial.master)
    assert tried == [first.trial.master]
    assert again.trial == first.trial


def test_a_mix_is_kept_as_it_was_and_leaves_nothing(tmp_path):
    segments = list(mix.mixed_segments(PLAN, SOURCES))
    with kept_mix(tmp_path, STEREO) as store:
        for segment in segments:
            store.keep(segment)
        for _ in range(2):
            read = list(store)
            assert [one.span for one in read] == [one.span for one in segments]
            assert all(np.array_equal(a.mix, b.mix) and not a.stems for a, b in zip(read, segments, strict=True))
    assert list(tmp_path.iterdir()) == []


def test_a_delivery_that_is_stopped_leaves_no_file(tmp_path):
    def stop(share):
        if share > 0.7:
            raise Cancelled("cancelled")

    with pytest.raises(Cancelled):
        deliver(PLAN, SOURCES, SPECS, tmp_path, stop)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("n_channels", [1, 2, 3])
@pytest.mark.parametrize("bit_depth", [16, 24])
def test_whole_numbers_come_back_from_the_file(tmp_path, bit_depth, n_channels):
    audio = np.repeat(programme(4, 1.0)[:, :1], n_channels, axis=1) * np.float32(1.5)
    values = quantise(audio, bit_depth, 0)
    path = tmp_path / "x.wav"
    with wav_writer(path, n_channels, bit_depth, len(values)) as file:
        file.write_integers(values[:10_001])
        file.write_integers(values[10_001:])
    read, rate_hz = soundfile.read(path, dtype="int32", always_2d=True)
    assert rate_hz == 48_000
    assert np.array_equal(read >> (32 - bit_depth), values)
    assert soundfile.info(path).subtype == f"PCM_{bit_depth}"
    if n_channels <= 2:
        with wave.open(str(path)) as plain:
            assert (plain.getnframes(), plain.getsampwidth()) == (len(values), bit_depth // 8)


def test_stems_over_full_scale_are_written_in_float(tmp_path):
    loud = replace(PLAN, tracks=tuple(replace(t, gain_db=24.0) for t in PLAN.tracks))
    done = deliver(loud, SOURCES, [replace(SPECS[1], target_lufs=-5.0)], tmp_path)
    stems = [path for path in tmp_path.iterdir() if path.name.startswith("stem")]
    over = done[0].fit.trial.stem_peak_dbfs >= -0.01
    assert {soundfile.info(path).subtype for path in stems} == {"FLOAT" if over else "PCM_24"}
