"""The delivery sheet: what leaves, what is made, what is out of date; deliveries named, zipped, removed."""

import hashlib
import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile

from recitant_core.errors import UnreadableMedia
from recitant_io.delivery.planned import OWN_NAMES
from recitant_web.delivery.queries import deliveries_of, sheet_view
from recitant_web.delivery.sheet import lines_of
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.models import Picture, Source
from recitant_web.shared.caches import clear_caches


def states(film, line=0):
    return {dot.word: dot.state for dot in sheet_view(film)["lines"][line]["dots"] if dot.state != "left-out"}


@pytest.fixture
def press(signed_in, film):
    """What the page sends when a dot, a menu or a choice is used; the piece of page that comes back."""

    def pressed(**data):
        answer = signed_in.post(f"/programmes/{film.pk}/sheet", data, headers={"HX-Request": "true"})
        assert answer.status_code == 200
        return answer.content.decode()

    return pressed


def test_a_sheet_that_nobody_wrote_holds_what_the_programme_is_balanced_for(film):
    assert [line["spec"].spec_id for line in sheet_view(film)["lines"]] == [film.spec_id]
    assert states(film) == {"mix": "wanted", "stems": "wanted"} and not film.sheet.exists()


def test_a_dot_adds_a_file_and_leaves_it_out(film, press):
    assert "MP3 for EBU R 128: to be made" in press(spec="ebu-r128", switch="mp3")
    assert states(film) == {"mix": "wanted", "stems": "wanted", "mp3": "wanted"}
    press(spec="ebu-r128", switch="stems")
    assert states(film) == {"mix": "wanted", "mp3": "wanted"}
    press(spec="ebu-r128", files="mix,mp3:128")
    assert states(film) == {"mix": "wanted", "mp3:128": "wanted"}
    press(spec="ebu-r128", switch="mp3:128")
    assert states(film) == {"mix": "wanted"}


def test_specifications_come_and_go(film, press):
    press(add="online-14")
    assert [line["spec"].spec_id for line in sheet_view(film)["lines"]] == ["ebu-r128", "online-14"]
    press(remove="ebu-r128")
    assert [line["spec"].spec_id for line in sheet_view(film)["lines"]] == ["online-14"]
    assert "balanced for a specification that is not on this sheet" in press(spec="online-14", files="mix")
    assert 'role="alert"' in press(add="no-such") and 'role="alert"' in press(spec="online-14", switch="wma")


def test_what_is_made_is_marked_and_only_what_is_not_is_made(film, press, hand_over):
    press(spec="ebu-r128", files="mix")
    hand_over(film)
    assert states(film) == {"mix": "made"}
    answer = hand_over(film)
    assert answer.status_code == 422 and "All again" in answer.content.decode()
    press(spec="ebu-r128", switch="flac")
    assert states(film) == {"mix": "made", "flac": "wanted"}
    hand_over(film)
    assert [delivery.orders[0]["files"] for delivery in film.deliveries.all()] == ["flac", "mix"]


def test_an_edit_puts_it_out_of_date_and_undo_back(film, hand_over, edit):
    hand_over(film)
    edit("gain", target="stem", id="music", gain_db=-3.0)
    film.refresh_from_db()
    assert states(film) == {"mix": "out", "stems": "out"}
    edit("undo")
    film.refresh_from_db()
    assert states(film) == {"mix": "made", "stems": "made"}


def test_all_again_makes_it_once_more(film, signed_in, hand_over, after_commit):
    hand_over(film)
    with after_commit():
        signed_in.post(f"/programmes/{film.pk}/hand-over", {"everything": "1"})
    assert film.deliveries.count() == 2


def test_everything_comes_as_one_zip(film, signed_in, hand_over):
    hand_over(film, {"ebu-r128": "mix,stems", "online-14": "mp3"})
    delivery = film.deliveries.get()
    answer = signed_in.get(f"/programmes/{film.pk}/deliveries/{delivery.pk}/everything.zip")
    assert answer["Content-Disposition"] == f'attachment; filename="Test_film-{film.revision}.zip"'
    pieces = list(answer.streaming_content)
    assert len(pieces) > 3
    with zipfile.ZipFile(io.BytesIO(b"".join(pieces))) as archive:
        assert archive.testzip() is None
        lines = archive.read("checksums.sha256").decode().splitlines()
        listed = dict(line.split("  ")[::-1] for line in lines)
        assert set(archive.namelist()) == {*listed, *OWN_NAMES}
        for name, sha256 in listed.items():
            assert hashlib.sha256(archive.read(name)).hexdigest() == sha256


def test_a_delivery_gets_a_name_and_is_removed(film, signed_in, hand_over, media):
    hand_over(film)
    delivery = film.deliveries.get()
    url = f"/programmes/{film.pk}/deliveries/{delivery.pk}"
    signed_in.post(url, {"name": "  To the   station "})
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert "To the station" in page and f"state {film.revision}" in page
    folder = Path(media) / delivery.folder
    assert folder.exists()
    signed_in.post(url, {"remove": "1"})
    assert not folder.exists() and not film.deliveries.exists()
    assert states(film) == {"mix": "wanted", "stems": "wanted"}


def test_only_a_range_is_handed_over_and_the_sheet_stays_out_of_date(film, signed_in, hand_over, press, after_commit):
    press(spec="ebu-r128", files="mix,film")
    film.markers.create(kind="chapter", at_sample=0, text="Casting")
    url = f"/programmes/{film.pk}/hand-over"
    with after_commit(), after_commit():
        signed_in.post(url, {"range": "1", "from": "0:01", "to": "0:03"})
    delivery = film.deliveries.get()
    assert (delivery.orders[0]["files"], delivery.span) == ("mix", [48_000, 96_000])
    assert delivery.report["duration_s"] == 2.0 and delivery.chapters == [[0, "Casting"]]
    assert states(film)["mix"] == "wanted"
    assert "only 0:01 to 0:03" in signed_in.get(url).content.decode()
    for start, end, words in (
        ("0:03", "0:01", "must end after"),
        ("x", "0:01", "is no time"),
        ("9:00", "9:01", "Nothing"),
    ):
        answer = signed_in.post(url, {"range": "1", "from": start, "to": end})
        assert answer.status_code == 422 and words in answer.content.decode()
    assert film.deliveries.count() == 1


def give_picture(film):
    facts = {"rate_hz": 25.0, "length_samples": 384_000, "width": 640, "height": 360}
    Picture.objects.create(programme=film, name="cut.mp4", original_file="cut.mp4", **facts)


def test_a_film_holds_stems_and_original_sound_where_that_is_ticked(film, press, hand_over):
    give_picture(film)
    assert "film_track" not in press(spec="ebu-r128", files="mix")
    page = press(spec="ebu-r128", files="mix,film")
    assert page.count('name="film_track"') == 3 and "checked" not in page
    page = press(spec="ebu-r128", tracks="1", film_track=["stems", "original"])
    assert states(film) == {"mix": "wanted", "film:stems+original": "wanted", "stems": "wanted"}
    assert page.count("checked") == 2 and "the sound that came with the picture: to be made" in page
    press(spec="ebu-r128", tracks="1")
    assert states(film) == {"mix": "wanted", "film": "wanted", "stems": "wanted"}


def test_stems_of_a_film_are_made_with_it_although_they_are_made_already(film, press, hand_over):
    give_picture(film)
    press(spec="ebu-r128", files="mix,stems")
    hand_over(film)
    press(spec="ebu-r128", files="mix,stems,film:stems")
    (line,) = lines_of(film)
    assert line.to_make.text == "film:stems,stems"


def test_chosen_clips_are_handed_over_alone(film, signed_in, hand_over, press, after_commit, media):
    press(spec="ebu-r128", files="mix,film")
    url = f"/programmes/{film.pk}/hand-over"
    bang = Clip.objects.get(name="bang")
    with after_commit(), after_commit():
        assert signed_in.post(url, {"clips": str(bang.pk)}).status_code == 302
    delivery = film.deliveries.get()
    assert (delivery.orders[0]["files"], delivery.clips) == ("mix", ["bang"])
    assert delivery.span == [bang.start_sample, bang.length_samples]
    clips = [clip for track in delivery.plan["tracks"] for clip in track["clips"]]
    assert [clip["file"] for clip in clips if not clip.get("out_of_mix")] == [bang.source.sha256]
    audio, _ = soundfile.read(media / delivery.folder / "mix-ebu-r128.wav")
    spectrum = np.abs(np.fft.rfft(audio[:, 0]))
    assert abs(np.argmax(spectrum) * 48_000 / len(audio) - 300.0) < 2.0  # the tone of that clip
    assert "bang" in signed_in.get(url).content.decode() and states(film)["mix"] == "wanted"
    answer = signed_in.post(url, {"clips": "999999"})
    assert answer.status_code == 422 and "None of these clips" in answer.content.decode()


def test_a_delivery_is_compared_with_the_one_before(film, signed_in, hand_over, edit):
    hand_over(film, {"online-14": "mix"})
    edit("gain", target="stem", id="music", gain_db=-9.0)
    film.refresh_from_db()
    hand_over(film)
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert page.count("Compared with state") == 1
    (words,) = [line for line in page.splitlines() if "Compared with state" in line]
    assert "Edits in between: Music stem to −9.0 dB." in words and "range" in words


def test_a_file_that_could_not_be_made_is_said_and_stays_to_be_made(film, signed_in, hand_over, monkeypatch):
    def refuse(*_args, **_more):
        raise UnreadableMedia("damaged", file="mix.mp3", at_s=None)

    monkeypatch.setattr("recitant_io.delivery.encodes.encode", refuse)
    hand_over(film, {"ebu-r128": "mix,mp3:128"})
    assert states(film) == {"mix": "made", "mp3:128": "wanted"}
    assert film.deliveries.get().job.sentence == "1 of 1 pass. 1 file could not be made."
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert "▲ mix-ebu-r128-128k.mp3 could not be made: " in page and "1 of 2 to be made" in page


def test_close_speech_is_listed_where_it_can_be_heard(film, signed_in, hand_over, press, edit):
    dialogue = Source.objects.filter(programme=film, role="dialogue")
    dialogue.update(speech=[[48_000, 96_000, 0.9]], is_listened=True)
    clear_caches()
    press(spec="ebu-r128", files="mix")
    hand_over(film)
    delivery = deliveries_of(film)[0]
    (one,) = delivery.report["deliveries"]
    (close,) = [look for look in one["remarks"] if "asked for" in look["words"]]
    start, end, least = delivery.report["clearance"]["close_passages"][0]
    assert close["file"] == "mix-ebu-r128.wav" and close["file_s"] == start and least < 7.0
    assert f"for {end - start:.1f} s, 7 asked for" in close["words"]
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert f'data-at-s="{start}"' in page and "speech above the rest" not in page
    edit("gain", target="stem", id="music", gain_db=-40)
    edit("gain", target="stem", id="effects", gain_db=-40)
    hand_over(film)
    assert "speech above the rest" in deliveries_of(film)[0].report["deliveries"][0]["fine"]


def test_a_version_is_handed_over_in_its_language_with_all_that_the_sheet_asks_for(
    film, signed_in, press, edit, after_commit, media
):
    """Two languages of one programme: the version sounds as it was kept, the sheet stays about what is now."""
    press(spec="ebu-r128", files="mix,stems,m4a")
    voice = Track.objects.get(role="dialogue")
    edit("version-save", name="Without voices")
    version = film.versions.get()
    edit("in-mix", track_ids=[str(voice.pk)], is_out=True)
    edit("version-save", name="Deutsch")
    edit("undo")
    german = film.versions.get(name="Deutsch")
    url = f"/programmes/{film.pk}/hand-over"
    assert "Hand over this version" in signed_in.get(url).content.decode()
    with after_commit(), after_commit():
        signed_in.post(url, {"version": str(german.pk), "language": "deu"})
    delivery = film.deliveries.get()
    assert delivery.name == "Deutsch" and delivery.orders[0]["language"] == "deu"
    names = [file["file"] for file in delivery.report["deliveries"][0]["files"]]
    assert sorted(names) == [
        "mix-ebu-r128.m4a",
        "mix-ebu-r128.wav",
        "stem-effects-ebu-r128.wav",
        "stem-music-ebu-r128.wav",
    ]
    assert set(states(film).values()) == {"wanted"}
    with after_commit(), after_commit():
        signed_in.post(url, {"version": str(version.pk)})
    # The first version is what the programme is now: it is made by it.
    assert set(states(film).values()) == {"made"}
    for given, words in (
        ({"version": "999"}, "no longer"),
        ({"version": str(german.pk), "language": "d1a"}, "no language"),
    ):
        answer = signed_in.post(url, given)
        assert answer.status_code == 422 and words in answer.content.decode()
