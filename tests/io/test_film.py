"""Films with new sound: the picture is the same bits, the sound in step to the sample at the first and last flash."""

import html
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile

from recitant_core.captions.rules import Cue
from recitant_core.delivery.orders.chapters import Chapter
from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.errors import Cancelled, PlanError, UnreadableMedia
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from recitant_io.delivery.delivery import deliver
from recitant_io.delivery.planned import Origin
from recitant_io.formats.codecs import wanted_files
from recitant_io.formats.film import FILM_FORMS, FilmWanted, film_sound, picture_times, write_film
from recitant_io.formats.film_tracks import FilmSound
from signals import RATE_HZ, MemorySource, programme
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


def sound_packets(path, track=0):
    with av.open(str(path)) as file:
        return [bytes(packet) for packet in file.demux(file.streams.audio[track]) if packet.size]


def delivered_with(tmp_path, picture, audio, files, offset_samples=0):
    """A delivery of a recording in three roles with a film, its folder and what was handed over."""
    clips = [Clip(role, "s", 0, 0, len(audio)) for role in (Role.DIALOGUE, Role.MUSIC)]
    tracks = tuple(Track(clip.clip_id, clip.clip_id, clip.clip_id, -6.0, clips=(clip,)) for clip in clips)
    origin = Origin(film=FilmWanted(picture, ".mp4", offset_samples))
    order = Order(spec_by_id("ebu-r128"), wanted_files(files))
    sources = {"s": MemorySource("s", audio)}
    (done,) = deliver(Plan("Harbour", "25", tracks), sources, [order], tmp_path / "out", origin=origin)
    return tmp_path / "out", {file.file: file for file in done.files}


@pytest.mark.parametrize("n_frames", [70, 100, 130], ids=["shorter", "as long", "longer"])
@pytest.mark.parametrize("offset_samples", [0, 9_600, 5_001])
def test_a_film_beside_an_m4a_holds_its_very_packets_in_step(tmp_path, picture, n_frames, offset_samples):
    """AAC is encoded once for both; what the picture shows longer than the programme is silence."""
    audio = programme(4, n_frames / 25)
    out, files = delivered_with(tmp_path, picture, audio, "mix,m4a,film", offset_samples)
    film_file = files["film-ebu-r128.mp4"]
    assert film_file.decoded["shift_samples"] == 0 and film_file.decoded["true_peak_dbtp"] <= -1.0
    assert film_file.decoded["length_samples"] == N_FRAMES * 1_920
    both = set(sound_packets(out / "film-ebu-r128.mp4")) & set(sound_packets(out / "mix-ebu-r128.m4a"))
    shown = min(len(audio) - offset_samples, N_FRAMES * 1_920)
    assert len(both) >= shown // 1_024
    played, _ = heard(out / "film-ebu-r128.mp4", N_FRAMES * 1_920)
    mix, _ = soundfile.read(out / "mix-ebu-r128.wav")
    wanted = mix[offset_samples : offset_samples + shown]
    assert np.square(played[:shown] - wanted).mean() < 0.1 * np.square(wanted).mean()
    assert np.abs(played[shown + 2_048 :]).max(initial=0.0) < 1e-3


@pytest.mark.parametrize("suffix", [".mp4", ".mov", ".mkv"])
def test_a_film_holds_stems_and_the_sound_that_came_with_the_picture(tmp_path, suffix):
    picture = film(tmp_path / f"picture{suffix}", n_frames=N_FRAMES, sound_hz=(440.0, 660.0))
    audio = programme(4, N_FRAMES / 25)
    clip = Clip("a", "s", 0, 0, len(audio))
    tracks = (Track("1", "m", Role.MUSIC, clips=(clip,)), Track("2", "v", Role.DIALOGUE, -6.0, clips=(clip,)))
    spec = spec_by_id("ebu-r128")
    spec = replace(spec, form=replace(spec.form, language="deu", leader_s=1.0))
    (done,) = deliver(
        Plan("Harbour", "25", tracks),
        {"s": MemorySource("s", audio)},
        [Order(spec, wanted_files("mix,stems,film:original+stems"))],
        tmp_path / "out",
        origin=Origin(film=FilmWanted(picture, suffix)),
    )
    made = tmp_path / "out" / f"film-ebu-r128{suffix}"
    with av.open(str(made)) as file:
        names = [stream.metadata.get("title") or stream.metadata.get("handler_name") for stream in file.streams.audio]
        assert names[1:3] == ["Dialogue", "Music"] and len(names) == 5
        languages = [stream.metadata.get("language") for stream in file.streams.audio]
        assert languages[:3] == 3 * ["ger" if suffix == ".mov" else "deu"]
    for index in (0, 1):
        assert sound_packets(made, 3 + index) == sound_packets(picture, index)
    assert done.files[-1].decoded["shift_samples"] == 0
    stem, _ = soundfile.read(tmp_path / "out" / "stem-music-ebu-r128.wav")
    played, _ = heard(made, N_FRAMES * 1_920, 2)
    differs = played - stem[RATE_HZ:]
    assert np.square(differs).mean() < 0.1 * np.square(stem).mean()


def test_sound_that_the_container_does_not_take_is_said_and_stops_no_other_file(tmp_path):
    picture = film(tmp_path / "picture.mkv", codec="libvpx-vp9", n_frames=20)
    clip = Clip("a", "s", 0, 0, 38_400)
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    order = Order(spec_by_id("ebu-r128"), wanted_files("mix,film:original"))
    sources = {"s": MemorySource("s", np.full((38_400, 2), 0.1, np.float32))}
    (done,) = deliver(plan, sources, [order], tmp_path / "out", origin=Origin(film=FilmWanted(picture, ".webm")))
    assert [file.file for file in done.files] == ["mix-ebu-r128.wav"]
    assert [(one.file, one.error.code) for one in done.missed] == [("film-ebu-r128.webm", "sound_not_for_form")]
    assert not list((tmp_path / "out").glob("*film*")) and not list((tmp_path / "out").glob(".*"))


def test_stems_that_are_not_among_the_files_are_no_tracks(tmp_path, picture):
    audio = np.full((48_000, 2), 0.1, np.float32)
    with pytest.raises(PlanError, match="no_stems_for_film"):
        delivered_with(tmp_path, picture, audio, "mix,film:stems")
    assert wanted_files("film:original+stems,stems").text == "film:stems+original,stems"
    with pytest.raises(PlanError, match="unknown_file_kind"):
        wanted_files("film:subtitles")


def test_a_film_without_a_picture_is_refused(tmp_path):
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(Clip("a", "s", 0, 0, 48_000),)),))
    sources = {"s": MemorySource("s", np.zeros((48_000, 2), np.float32))}
    with pytest.raises(PlanError, match="no_picture_for_film"):
        deliver(plan, sources, [Order(spec_by_id("ebu-r128"), Wanted(("film",)))], tmp_path / "out")


def test_a_film_that_turns_out_impossible_stops_no_other_file(tmp_path, picture, monkeypatch):
    def refuse(*_args):
        raise UnreadableMedia("picture_cut_inside", file="cut.mp4")

    monkeypatch.setattr("recitant_io.formats.film.picture_times", refuse)
    clip = Clip("a", "s", 0, 0, 96_000)
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    sources = {"s": MemorySource("s", np.full((96_000, 2), 0.1, np.float32))}
    orders = [Order(spec_by_id("ebu-r128"), Wanted(("mix", "film"), (("mp3", None),)))]
    out = tmp_path / "out"
    (done,) = deliver(plan, sources, orders, out, origin=Origin(film=FilmWanted(picture, ".mp4")))
    assert [file.file for file in done.files] == ["mix-ebu-r128.wav", "mix-ebu-r128.mp3"]
    assert [(one.file, one.error.code) for one in done.missed] == [("film-ebu-r128.mp4", "picture_cut_inside")]
    assert not list(out.glob("*film*")) and not list(out.glob(".*"))


CUES = (Cue(9_600, 57_600, "You let it go,\nand you wait."), Cue(96_000, 144_000, "5 < 6 & שלום"))


def captions_in(path):
    """Start and end in seconds and text of each caption of a film."""
    found = []
    with av.open(str(path)) as file:
        stream = file.streams.subtitles[0]
        for packet in file.demux(stream):
            data = bytes(packet)
            text = data[2:].decode() if stream.codec_context.name == "mov_text" else html.unescape(data.decode())
            if text:
                at_s = float(packet.pts * packet.time_base)
                found.append((at_s, at_s + float(packet.duration * packet.time_base), text))
        return found, stream.metadata["language"]


@pytest.mark.parametrize("suffix", FORMS)
@pytest.mark.parametrize("offset_samples", [0, 4_800])
def test_captions_are_a_track_in_step_with_the_picture(tmp_path, picture, mix, suffix, offset_samples):
    if suffix == ".webm":
        picture = film(tmp_path / "picture.webm", n_frames=N_FRAMES, codec="libvpx-vp9", sound_hz=())
    path = tmp_path / f"film{suffix}"
    write_film(picture, [FilmSound(mix, language="eng")], path, offset_samples, captions=CUES)
    found, language = captions_in(path)
    assert language == "eng"
    shown = [[(at - offset_samples) / RATE_HZ for at in (c.start_sample, c.end_sample)] + [c.text] for c in CUES]
    assert [text for _, _, text in found] == [text for _, _, text in shown]
    for (start, end, _), (wanted, until, _) in zip(found, shown, strict=True):
        assert (start, end) == (pytest.approx(wanted, abs=1e-3), pytest.approx(until, abs=2e-3))
    audio, _ = heard(path, N_FRAMES * 1_920)
    if not offset_samples:
        assert np.abs(clicks(audio)).max() <= (24 if suffix == ".webm" else 0)


def test_a_film_without_the_captions_that_are_wanted_is_refused(tmp_path, picture):
    audio = np.full((48_000, 2), 0.1, np.float32)
    with pytest.raises(PlanError, match="no_captions_for_film"):
        delivered_with(tmp_path, picture, audio, "mix,film:captions")
