"""Files that name other files or addresses, through upload, library and picture: refused, nothing of theirs read."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from conftest import wav_bytes
from recitant_web.library.actions import take_in
from recitant_web.library.models import Sound
from recitant_web.programme.actions import bring_in, bring_in_sound_track, refuse_source
from recitant_web.programme.ingesting import use_picture
from recitant_web.programme.models import Picture, Source
from signals import sine
from signals.films import film as make_film
from signals.films import mp3_bytes

pytestmark = pytest.mark.django_db


@pytest.fixture
def playlist(tmp_path):
    """An HLS list that names a sound outside the media folder."""
    outside = tmp_path / "outside.mp3"
    outside.write_bytes(mp3_bytes(tmp_path))
    return f"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1.0,\n{outside}\n#EXT-X-ENDLIST\n".encode()


def test_an_uploaded_playlist_is_refused(signed_in, film, playlist, after_commit):
    with after_commit(), after_commit():
        source = bring_in(film, "music", "song.m3u8", len(playlist), [playlist])
    source.refresh_from_db()
    assert source.state == "refused" and "song.m3u8" in source.sentence and source.length_samples is None


def test_the_library_refuses_a_playlist(signed_in, film, playlist):
    answer = signed_in.post(
        f"/programmes/{film.pk}/library",
        {"file": SimpleUploadedFile("hit.m3u8", playlist)},
        headers={"accept": "application/json"},
    )
    assert answer.status_code == 422 and "hit.m3u8" in answer.json()["sentence"]
    assert not Sound.objects.exists()


def test_a_playlist_is_no_picture(film, playlist, after_commit):
    with after_commit(), after_commit():
        source = bring_in(film, "", "cut.m3u8", len(playlist), [playlist])
    with pytest.raises(Exception, match="no_picture"):
        use_picture(source)
    assert not Picture.objects.filter(programme=film).exists()


@pytest.fixture
def film_source(film, tmp_path, after_commit):
    """A film that was brought in, with a second sound track that was refused."""
    data = make_film(tmp_path / "cut.mov", sound_hz=(440.0, 880.0)).read_bytes()
    with after_commit(), after_commit(), after_commit():
        return bring_in(film, "", "cut.mov", len(data), [data])


def _remove(client, after_commit, source):
    with after_commit():
        assert client.post(f"/programmes/{source.programme_id}/sources/{source.pk}/remove").status_code in (200, 302)


def test_a_refused_sound_leaves_the_films_picture(signed_in, film, film_source, media, after_commit):
    path = media / film_source.original_file
    film_source.refresh_from_db()
    second = bring_in_sound_track(film_source, 1)
    refuse_source(second.pk, "No sound.")
    _remove(signed_in, after_commit, second)
    assert path.exists()
    # The film's own sound is refused: the picture alone needs the file now.
    Source.objects.filter(pk=film_source.pk).update(state="refused")
    film.tracks.all().delete()
    _remove(signed_in, after_commit, film_source)
    assert not Source.objects.filter(pk=film_source.pk).exists()
    assert path.exists() and signed_in.get(f"/programmes/{film.pk}/picture").status_code == 200


def test_a_refused_sound_of_the_library_leaves_the_library(signed_in, film, account, media, after_commit):
    data = wav_bytes(sine(-20, 1.0))
    sound = take_in(account[1], "Gate.wav", len(data), [data], "door")
    borrowed = Source.objects.create(
        programme=film, name="Gate", original_file=sound.original_file, state="refused", size_bytes=len(data)
    )
    _remove(signed_in, after_commit, borrowed)
    assert (media / sound.original_file).exists()


def test_the_file_goes_with_the_last_that_needs_it_and_not_before_the_commit(
    signed_in, film, media, after_commit, django_capture_on_commit_callbacks
):
    junk = b"no sound at all"
    with after_commit(), after_commit():
        source = bring_in(film, "music", "junk.wav", len(junk), [junk])
    path = media / source.original_file
    with django_capture_on_commit_callbacks() as waiting:
        signed_in.post(f"/programmes/{film.pk}/sources/{source.pk}/remove")
        assert path.exists()
    for callback in waiting:
        callback()
    assert not path.exists()
