"""Films with new sound: the picture is the same bits, the sound in step to the sample at the first and last flash."""

from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile

from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.delivery.chapters import Chapter
from recitant_core.delivery.delivered import Order, Wanted
from recitant_core.errors import Cancelled, PlanError, UnreadableMedia
from recitant_core.timeline.model import Clip, Plan, Role, Track
from recitant_io.delivery import deliver
from recitant_io.film import FILM_FORMS, FilmSound, FilmWanted, film_sound, picture_times, write_film
from recitant_io.planned import Origin
from signals import RATE_HZ, MemorySource
from signals.films import film

N_FRAMES = 100
FLASHES = (2, 97)  # frames
FORMS = list(FILM_FORMS)


@pytest.fixture
def picture(tmp_path):
    return film(tmp_path / "picture.mp4", n_frames=N_FRAMES, flash_at=FLASHES[0])


@pytest.fixture
def mix(tmp_path):
    """A click of a millisecond at each flash, over faint noise."""
    audio = np.random.default_rng(1).standard_normal((N_FRAMES * 1_920, 2)) * 1e-4
    for flash in FLASHES:
        audio[flash * 1_920 : flash * 1_920 + 48] += 0.5
    soundfile.write(tmp_path / "mix.wav", audio, RATE_HZ, "PCM_24")
    return tmp_path / "mix.wav"


def packets(path):
    with av.open(str(path)) as file:
        return [bytes(packet) for packet in file.demux(file.streams.video[0]) if packet.size]


def pts_s(path):
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        found = [float(frame.pts * stream.time_base) for frame in file.decode(stream)]
    return np.array(found) - found[0]


def heard(path, n_samples, track=0):
    """What plays beside the picture's frames, by sample after its first."""
    out = np.zeros((n_samples, 2))
    end = 0
    for at, block in film_sound(path, track):
        first, last = max(0, at), min(n_samples, at + len(block))
        if last > first:
            out[first:last] = block[first - at : last - at]
        end = max(end, at + len(block))
    return out, end


def clicks(audio):
    """Where the loudest lag of a click's shape lies, near each flash."""
    shape = np.ones(48)
    found = []
    for flash in FLASHES:
        around = audio[flash * 1_920 - 1_000 : flash * 1_920 + 1_000, 0]
        found.append(int(np.argmax(np.correlate(around, shape, "valid"))) - 1_000)
    return found


@pytest.mark.parametrize("suffix", FORMS)
def test_sound_is_in_step_at_the_first_and_the_last_flash(tmp_path, picture, mix, suffix):
    if suffix == ".webm":
        picture = film(tmp_path / "picture.webm", codec="libvpx-vp9", n_frames=N_FRAMES, sound_hz=())
    out = tmp_path / f"out{suffix}"
    write_film(picture, [FilmSound(mix, "New mix", "eng")], out)
    audio, end = heard(out, N_FRAMES * 1_920)
    # The clock of WebM counts milliseconds: half of one is as near as it can say.
    assert np.abs(clicks(audio)).max() <= (24 if suffix == ".webm" else 0)
    assert packets(out) == packets(picture)
    assert np.abs(pts_s(out) - pts_s(picture)).max() < 0.001
    # A codec may fill its last block.
    assert 0 <= end - N_FRAMES * 1_920 < 1_024
    if suffix in (".mov", ".mkv"):
        wav, _ = soundfile.read(mix)
        assert np.abs(audio - wav).max() < 1e-7


@pytest.mark.parametrize("offset_samples", [-4_800, 1_001])
def test_a_picture_that_begins_elsewhere_takes_its_part_of_the_programme(tmp_path, picture, mix, offset_samples):
    out = tmp_path / "out.mov"
    write_film(picture, [FilmSound(mix)], out, offset_samples)
    audio, end = heard(out, N_FRAMES * 1_920)
    wav, _ = soundfile.read(mix)
    wanted = np.zeros_like(audio)
    if offset_samples < 0:
        wanted[-offset_samples:] = wav[:offset_samples]
    else:
        wanted[: len(wav) - offset_samples] = wav[offset_samples:]
    assert np.abs(audio - wanted).max() < 1e-7 and end == N_FRAMES * 1_920


def test_a_variable_rate_keeps_the_time_of_every_frame(tmp_path, mix):
    picture = film(tmp_path / "picture.mp4", n_frames=60, skips_every=7, sound_hz=())
    write_film(picture, [FilmSound(mix)], tmp_path / "out.mp4")
    assert np.abs(pts_s(tmp_path / "out.mp4") - pts_s(picture)).max() < 1e-6
    assert clicks(heard(tmp_path / "out.mp4", N_FRAMES * 1_920)[0])[0] == 0


def test_further_tracks_have_names_and_languages_and_chapters_their_titles(tmp_path, picture, mix):
    out = tmp_path / "out.mkv"
    sounds = [FilmSound(mix, "Mix", "eng"), FilmSound(mix, "Music and effects", "zxx")]
    write_film(picture, sounds, out, 960, [Chapter(0, "Casting"), Chapter(48_960, "The tenor")])
    with av.open(str(out)) as file:
        found = [(one.metadata["title"], one.metadata["language"]) for one in file.streams.audio]
        chapters = [(c["metadata"]["title"], Fraction(c["start"]) * c["time_base"]) for c in file.chapters()]
    assert found == [("Mix", "eng"), ("Music and effects", "zxx")]
    assert chapters == [("Casting", 0), ("The tenor", 1)]


def test_what_cannot_be_copied_is_refused_and_leaves_nothing(tmp_path, picture, mix):
    before = sorted(tmp_path.iterdir())
    with pytest.raises(PlanError, match="picture_not_for_form"):
        write_film(picture, [FilmSound(mix)], tmp_path / "out.webm")
    with pytest.raises(PlanError, match="no_film_form"):
        write_film(picture, [FilmSound(mix)], tmp_path / "out.avi")
    with pytest.raises(UnreadableMedia, match=r"no_picture|not_media"):
        write_film(mix, [FilmSound(mix)], tmp_path / "out.mp4")

    def stop(_share):
        raise Cancelled("cancelled")

    with pytest.raises(Cancelled):
        write_film(picture, [FilmSound(mix)], tmp_path / "out.mp4", progress=stop)
    assert sorted(tmp_path.iterdir()) == before


def test_a_picture_knows_its_length(picture):
    assert picture_times(picture).length_samples == N_FRAMES * 1_920


@pytest.mark.parametrize("offset_samples", [0, 9_600, -9_600])
def test_a_film_of_a_delivery_is_proved_in_step(tmp_path, picture, offset_samples):
    rng = np.random.default_rng(2)
    audio = (rng.standard_normal((N_FRAMES * 1_920, 2)) * 0.05).astype(np.float32)
    clip = Clip("a", "s", 0, 0, len(audio))
    plan = Plan("Harbour", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    wanted = FilmWanted(picture, ".mp4", offset_samples)
    out = tmp_path / "out"
    (done,) = deliver(
        plan,
        {"s": MemorySource("s", audio)},
        [Order(spec_by_id("ebu-r128"), Wanted(("mix", "film")))],
        out,
        origin=Origin(film=wanted),
    )
    film_file = done.files[-1]
    assert (film_file.kind, film_file.file, film_file.codec) == ("film", "film-ebu-r128.mp4", "aac")
    assert film_file.decoded["shift_samples"] == 0 and film_file.decoded["true_peak_dbtp"] <= -1.0
    assert film_file.decoded["length_samples"] == N_FRAMES * 1_920
    assert packets(out / "film-ebu-r128.mp4") == packets(picture)
    assert sorted(path.name for path in out.iterdir()) == [
        "checksums.sha256",
        "film-ebu-r128.mp4",
        "mix-ebu-r128.wav",
    ]


def test_a_film_without_a_picture_is_refused(tmp_path):
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(Clip("a", "s", 0, 0, 48_000),)),))
    sources = {"s": MemorySource("s", np.zeros((48_000, 2), np.float32))}
    with pytest.raises(PlanError, match="no_picture_for_film"):
        deliver(plan, sources, [Order(spec_by_id("ebu-r128"), Wanted(("film",)))], tmp_path / "out")


def test_a_film_that_turns_out_impossible_stops_no_other_file(tmp_path, picture, monkeypatch):
    def refuse(*_args):
        raise UnreadableMedia("picture_cut_inside", file="cut.mp4")

    monkeypatch.setattr("recitant_io.film.picture_times", refuse)
    clip = Clip("a", "s", 0, 0, 96_000)
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    sources = {"s": MemorySource("s", np.full((96_000, 2), 0.1, np.float32))}
    orders = [Order(spec_by_id("ebu-r128"), Wanted(("mix", "film"), (("mp3", None),)))]
    out = tmp_path / "out"
    (done,) = deliver(plan, sources, orders, out, origin=Origin(film=FilmWanted(picture, ".mp4")))
    assert [file.file for file in done.files] == ["mix-ebu-r128.wav", "mix-ebu-r128.mp3"]
    assert [(one.file, one.error.code) for one in done.missed] == [("film-ebu-r128.mp4", "picture_cut_inside")]
    assert not list(out.glob("*film*")) and not list(out.glob(".*"))
