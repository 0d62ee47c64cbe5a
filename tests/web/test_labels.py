"""Tags and cover on Hand over: kept, shown, in the files, out of date when they change."""

import av
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from recitant_web.delivery.queries import sheet_view
from recitant_web.programmes.actions import duplicate
from signals.films import still


@pytest.fixture
def keep(signed_in, film):
    """What the page sends; the piece of page that comes back."""

    def kept(file=None, **data):
        if file is not None:
            data["cover"] = SimpleUploadedFile("cover.jpg", file, "image/jpeg")
        answer = signed_in.post(f"/programmes/{film.pk}/labels", data, headers={"HX-Request": "true"})
        assert answer.status_code == 200
        return answer.content.decode()

    return kept


def state(film, word):
    (line,) = sheet_view(film)["lines"]
    return next(dot.state for dot in line["dots"] if dot.word == word)


def test_files_carry_what_was_typed_and_the_cover(film, keep, hand_over, media):
    picture = still()
    page = keep(picture, artist="Foundry Films", album=" Bells  and\ttowers ", year="2026")
    assert 'value="Bells and towers"' in page and "The cover" in page
    hand_over(film, {"ebu-r128": "mix,mp3,flac"})
    folder = media / film.deliveries.get().folder
    for name in ("mix-ebu-r128.mp3", "mix-ebu-r128.flac"):
        with av.open(str(folder / name)) as file:
            tags = {key.lower(): text for key, text in file.metadata.items()}
            assert (tags["artist"], tags["album"], tags["date"]) == ("Foundry Films", "Bells and towers", "2026")
            assert [bytes(packet) for packet in file.demux(video=0) if packet.size] == [picture]
    assert state(film, "mp3") == "made"


def test_another_cover_puts_what_carries_it_out_of_date(film, keep, hand_over, signed_in):
    hand_over(film, {"ebu-r128": "mix,mp3"})
    assert (state(film, "mix"), state(film, "mp3")) == ("made", "made")
    keep(still("png"))
    assert (state(film, "mix"), state(film, "mp3")) == ("made", "out")
    answer = signed_in.get(f"/programmes/{film.pk}/cover")
    assert answer["Content-Type"] == "image/png" and answer.content == still("png")
    keep(no_cover="1")
    assert state(film, "mp3") == "made" and signed_in.get(f"/programmes/{film.pk}/cover").status_code == 404


def test_what_is_no_cover_is_said_and_the_old_one_stays(film, keep, signed_in):
    keep(still(), artist="Ines")
    assert "cover.jpg is no picture that can be a cover" in keep(b"GIF89a", artist="Otto")
    assert signed_in.get(f"/programmes/{film.pk}/cover").content == still()
    assert "Ines" in signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()


def test_a_copy_of_a_programme_has_its_labels(film, keep):
    keep(still(), artist="Ines")
    made = duplicate(film, "Copy", with_media=False)
    assert (made.labels.artist, bytes(made.labels.cover)) == ("Ines", still())


def test_strangers_see_no_cover(film, keep, client, stranger):
    keep(still())
    client.force_login(stranger)
    assert client.get(f"/programmes/{film.pk}/cover").status_code == 404
    assert client.post(f"/programmes/{film.pk}/labels", {"artist": "x"}).status_code == 404
