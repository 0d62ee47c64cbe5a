"""Deliveries: how often a programme is rendered, what is kept meanwhile, and files that other libraries read."""

import hashlib
import wave
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.delivery.fitting import trial as trials
from recitant_core.delivery.fitting.fit import fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.orders.orders import KINDS, Order, Wanted, wanted_from_text
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.dsp.quantise import quantise
from recitant_core.errors import Cancelled, PlanError
from recitant_core.processors.model import Processor
from recitant_core.render import mix
from recitant_core.render.segments import SEGMENT_SAMPLES
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.channels import STEREO
from recitant_core.units.roles import Role
from recitant_core.units.threads import use_threads
from recitant_io.delivery.delivery import deliver
from recitant_io.formats.codecs import CODECS
from recitant_io.formats.sound_file import SoundFileForm, sound_writer
from recitant_io.store.premaster import premaster
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
ORDERS = [Order(spec) for spec in SPECS]


@pytest.fixture
def rendered_segments(monkeypatch):
    """Every segment that is rendered, by its start."""
    found = []
    plain = mix._through_master

    def counted(tracks, span):
        found.append(span.start_sample)
        return plain(tracks, span)

    monkeypatch.setattr(mix, "_through_master", counted)
    return found


def test_any_number_of_specifications_takes_two_renders(tmp_path, rendered_segments):
    done = deliver(PLAN, SOURCES, ORDERS, tmp_path)
    starts = list(range(0, SECONDS * 48_000, SEGMENT_SAMPLES))
    assert rendered_segments == starts * 2
    assert all(one.verdict.is_passed for one in done)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(
        ["checksums.sha256"]
        + [f"{what}-{spec.spec_id}.wav" for spec in SPECS for what in ("mix", "stem-dialogue", "stem-music")]
    )


def test_one_core_and_two_write_the_same_files(tmp_path):
    for n in (1, 2):
        use_threads(n)
        deliver(PLAN, SOURCES, ORDERS, tmp_path / str(n))
    use_threads(1)
    for path in sorted((tmp_path / "1").iterdir()):
        assert path.read_bytes() == (tmp_path / "2" / path.name).read_bytes()


def test_an_earlier_fit_is_tried_first_and_is_enough(monkeypatch):
    known = render_once(PLAN, SOURCES, MixInMemory())
    first = fit(PLAN, known, SPECS[1])
    tried = []
    plain = trials.tried
    monkeypatch.setattr(
        "recitant_core.delivery.fitting.fit.tried", lambda plan, *more: tried.append(plan.master) or plain(plan, *more)
    )
    again = fit(PLAN, known, SPECS[1], start=first.trial.master)
    assert tried == [first.trial.master]
    assert again.trial == first.trial


def test_a_mix_is_kept_as_it_was_and_leaves_nothing(tmp_path):
    segments = list(mix.mixed_segments(PLAN, SOURCES))
    with premaster(tmp_path, STEREO) as store:
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
        deliver(PLAN, SOURCES, ORDERS, tmp_path, stop)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("n_channels", [1, 2, 3])
@pytest.mark.parametrize("bit_depth", [16, 24])
def test_whole_numbers_come_back_from_the_file(tmp_path, bit_depth, n_channels):
    audio = np.repeat(programme(4, 1.0)[:, :1], n_channels, axis=1) * np.float32(1.5)
    values = quantise(audio, bit_depth, 0)
    path = tmp_path / "x.wav"
    with sound_writer(path, SoundFileForm(n_channels, bit_depth, len(values))) as file:
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
    done = deliver(loud, SOURCES, [Order(replace(SPECS[1], target_lufs=-5.0))], tmp_path)
    stems = [path for path in tmp_path.iterdir() if path.name.startswith("stem")]
    over = done[0].fit.trial.stem_peak_dbfs >= -0.01
    assert {soundfile.info(path).subtype for path in stems} == {"FLOAT" if over else "PCM_24"}


def test_everything_that_is_wanted_is_written_measured_and_sealed(tmp_path):
    wanted = wanted_from_text("mix,m-and-e,without-narration,mp3:128,flac", frozenset(CODECS))
    (done,) = deliver(PLAN, SOURCES, [Order(SPECS[1], wanted)], tmp_path)
    files = {file.file: file for file in done.files}
    assert (
        sorted(files)
        == [
            "m-and-e-online-14.wav",
            "mix-online-14-128k.mp3",
            "mix-online-14.flac",
            "mix-online-14.wav",
            "without-narration-online-14.wav",
        ]
        == sorted(path.name for path in tmp_path.iterdir() if path.name != "checksums.sha256")
    )
    lines = (tmp_path / "checksums.sha256").read_text().splitlines()
    assert lines == [f"{file.sha256}  {file.file}" for file in done.files]
    for name, file in files.items():
        content = (tmp_path / name).read_bytes()
        assert (file.sha256, file.size_bytes) == (hashlib.sha256(content).hexdigest(), len(content))
    played = files["mix-online-14-128k.mp3"].decoded
    assert played["passes"] and played["shift_samples"] == 0 and played["clipped_samples"] == 0
    assert played["true_peak_dbtp"] <= SPECS[1].max_true_peak_dbtp
    assert files["mix-online-14.flac"].decoded["level_lost_lu"] == pytest.approx(0.0, abs=1e-3)


def test_music_and_effects_is_the_mix_without_speech(tmp_path):
    wanted = Wanted(("mix", "stems", "m-and-e", "without-narration"))
    deliver(PLAN, SOURCES, [Order(SPECS[0], wanted)], tmp_path)
    read = {path.stem: soundfile.read(path, dtype="float64")[0] for path in tmp_path.glob("*.wav")}
    # No limiter at -23: what is left is the music stem, but for the two dithers.
    assert np.abs(read["m-and-e-ebu-r128"] - read["stem-music-ebu-r128"]).max() <= 4 / (1 << 23)
    assert np.abs(read["without-narration-ebu-r128"] - read["mix-ebu-r128"]).max() <= 4 / (1 << 23)


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("mix,wav2", "unknown_file_kind"),
        ("", "no_files_asked"),
        ("mp3:x", "unknown_file_kind"),
        ("cinema:stems", "unknown_file_kind"),
        ("mp3:" + "9" * 5_000, "unknown_file_kind"),
    ],
)
def test_words_that_name_no_file_are_refused(text, code):
    with pytest.raises(PlanError, match=code):
        wanted_from_text(text, frozenset(CODECS))


@pytest.mark.parametrize("codec", [("mp3", 999), ("flac", 320)])
def test_a_bit_rate_that_is_not_offered_is_refused_before_anything_is_rendered(tmp_path, rendered_segments, codec):
    with pytest.raises(PlanError, match="no_such_bit_rate"):
        deliver(PLAN, SOURCES, [Order(SPECS[0], Wanted(("mix",), (codec,)))], tmp_path / "out")
    assert rendered_segments == [] and not (tmp_path / "out").exists()


@given(st.lists(st.sampled_from([*KINDS, "mp3", "mp3:128", "flac", " opus:96 "]), min_size=1, max_size=30))
def test_a_list_of_files_is_kept_as_short_as_it_can_be_and_reads_the_same(words):
    wanted = wanted_from_text(",".join(words), frozenset(CODECS))
    assert wanted_from_text(wanted.text, frozenset(CODECS)) == wanted
    assert len(wanted.text.split(",")) == len({word.strip() for word in words})
