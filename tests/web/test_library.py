"""The effects library: found by words, liked, heard, laid, and the studio's own."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from conftest import wav_bytes
from recitant_web.desk.models import Clip
from recitant_web.library.actions import take_in
from recitant_web.library.models import Sound
from recitant_web.programme.models import Source
from signals import sine

pytestmark = pytest.mark.django_db
SOUNDS = [("Hammer, hard", "metal hit", 900), ("Hammer, soft", "metal tap", 700), ("Wind", "air", 90)]


@pytest.fixture
def sounds(film, account):
    """Three sounds of the workspace."""
    made = {}
    for name, tags, freq_hz in SOUNDS:
        data = wav_bytes(sine(-20, 1.0, freq_hz))
        made[name] = take_in(account[1], f"{name}.wav", len(data), [data], tags)
    return made


def _found(client, film, **query):
    answer = client.get(f"/programmes/{film.pk}/library", query)
    return [sound["name"] for sound in answer.json()["sounds"]]


def test_sounds_are_found_by_words_and_tags(signed_in, film, sounds):
    assert len(_found(signed_in, film)) == 3
    assert _found(signed_in, film, words="hammer") == ["Hammer, hard", "Hammer, soft"]
    assert _found(signed_in, film, words="TAP ham") == ["Hammer, soft"]
    assert _found(signed_in, film, words="piano") == []


def test_favourites_are_a_persons_own_and_come_first(signed_in, film, sounds):
    path = f"/programmes/{film.pk}/library/{sounds['Wind'].pk}/favourite"
    assert signed_in.post(path).json() == {"is_favourite": True}
    assert _found(signed_in, film)[0] == "Wind"
    assert _found(signed_in, film, favourites="1") == ["Wind"]
    assert signed_in.post(path).json() == {"is_favourite": False}


def test_a_sound_is_heard_and_laid_at_the_playhead(signed_in, film, sounds):
    sound = sounds["Hammer, hard"]
    heard = signed_in.get(f"/programmes/{film.pk}/library/{sound.pk}/sound?start=0&length=4800")
    assert heard.content[:4] == b"RIFF"
    path = f"/programmes/{film.pk}/library/{sound.pk}/place"
    for at in (96_000, 100_000):  # the second lies over the first: a track of its own
        film.refresh_from_db()
        data = json.dumps({"at_sample": at, "revision": film.revision})
        assert signed_in.post(path, data, content_type="application/json").status_code == 200
    clips = Clip.objects.filter(name="Hammer, hard").order_by("start_sample")
    assert [clip.start_sample for clip in clips] == [96_000, 100_000]
    assert clips[0].track_id != clips[1].track_id
    assert Source.objects.filter(kind="library").count() == 1
    stale = signed_in.post(path, json.dumps({"at_sample": 0, "revision": 1}), content_type="application/json")
    assert stale.status_code == 409
    assert signed_in.post(path, "nonsense", content_type="application/json").status_code == 422


def test_the_studios_own_sounds_are_taken_in_once(signed_in, film, sounds):
    data = wav_bytes(sine(-20, 0.5, 300.0))
    path = f"/programmes/{film.pk}/library"
    for _ in range(2):
        answer = signed_in.post(path, {"file": SimpleUploadedFile("Gate.wav", data), "tags": "door, iron"})
        assert answer.json()["name"] == "Gate"
    assert Sound.objects.get(name="Gate").tags == "door iron"
    accept = {"accept": "application/json"}
    bad = signed_in.post(path, {"file": SimpleUploadedFile("list.wav", b"milk")}, headers=accept)
    assert bad.status_code == 422 and "list.wav" in bad.json()["sentence"]
    assert signed_in.post(path, {}).status_code == 422


def test_another_workspace_sees_nothing(client, stranger, film, sounds):
    client.force_login(stranger)
    sound = sounds["Wind"]
    for path in ("library", f"library/{sound.pk}/sound"):
        assert client.get(f"/programmes/{film.pk}/{path}").status_code == 404
    assert client.post(f"/programmes/{film.pk}/library/{sound.pk}/favourite").status_code == 404
