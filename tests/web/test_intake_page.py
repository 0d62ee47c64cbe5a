"""Intake: what is found, mended, guessed and taken back; pictures, sound tracks, times of day, the same file twice."""

import struct
from fractions import Fraction

import numpy as np
import pytest

from conftest import wav_bytes
from recitant_text.findings import role_reasons
from recitant_text.steps import label_text
from recitant_web.desk.log import undo
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme import actions as programmes
from recitant_web.programme.models import Picture, Source
from signals import programme, sine
from signals.films import film

pytestmark = pytest.mark.django_db


@pytest.fixture
def empty(account, media, jobs_run_at_once):
    return programmes.create_programme(account[1], "New", "25", "ebu-r128")


@pytest.fixture
def bring(empty, after_commit):
    """Bring a file in under a name; its source comes back."""

    def bring_in(name, data, role=""):
        with after_commit(), after_commit(), after_commit():
            source = programmes.bring_in(empty, role, name, len(data), [data])
        source.refresh_from_db()
        empty.refresh_from_db()
        return source

    return bring_in


def _one_sided():
    take = programme(3, 6.0, 1)
    return np.concatenate([take, np.zeros_like(take)], axis=1)


def _mend(client, film_, source, code, **more):
    return client.post(f"/programmes/{film_.pk}/sources/{source.pk}/mend", {"code": code, **more})


def test_a_fault_is_shown_and_mended_with_one_press_and_taken_back(signed_in, empty, bring):
    source = bring("Take 3.wav", wav_bytes(_one_sided()), "dialogue")
    page = signed_in.get(f"/programmes/{empty.pk}/sources/{source.pk}").content.decode()
    assert "Only on one side" in page and "Use the louder side" in page
    assert "▲ Only on one side" in signed_in.get(f"/programmes/{empty.pk}/intake").content.decode()
    answer = _mend(signed_in, empty, source, "use-one-channel")
    assert "✓ Use the louder side" in answer.content.decode()
    empty.refresh_from_db()
    clip = plan_of(empty).tracks[0].clips[0]
    assert clip.routing == "first" and clip.mended == ("use-one-channel",)
    _mend(signed_in, empty, source, "use-one-channel", undone="1")
    empty.refresh_from_db()
    assert plan_of(empty).tracks[0].clips[0].routing == "as-recorded"
    undo(empty, empty.revision)
    empty.refresh_from_db()
    assert plan_of(empty).tracks[0].clips[0].routing == "first"
    assert label_text(empty.edits.order_by("-pk")[1].label) == "Take 3.wav: Use the louder side"


def test_every_remedy_changes_what_is_heard_and_never_the_file(signed_in, empty, bring, media):
    voice = programme(5, 6.0, 1) * 0.5
    audio = np.concatenate([np.zeros((72_000, 1)), voice], axis=0) + 0.03
    data = wav_bytes(audio.astype(np.float32))
    source = bring("Take 8.wav", data)
    assert {"dc-offset"} <= {finding["code"] for finding in source.findings}
    _mend(signed_in, empty, source, "remove-dc")
    trim = [r["code"] for f in source.findings for r in f["remedies"] if "keep" in r]
    for code in trim:
        _mend(signed_in, empty, source, code)
    empty.refresh_from_db()
    clip = plan_of(empty).tracks[0].clips[0]
    assert clip.dc_offset[0] == pytest.approx(0.03, abs=0.002)
    if trim:
        assert clip.in_sample > 48_000 and clip.start_sample == clip.in_sample  # what sounds stays in its place
        _mend(signed_in, empty, source, trim[0], undone="1")
        empty.refresh_from_db()
        assert plan_of(empty).tracks[0].clips[0].in_sample == 0
    assert (media / source.original_file).read_bytes() == data


def test_a_remedy_that_is_not_offered_is_refused(signed_in, empty, bring):
    source = bring("fine.wav", wav_bytes(programme(1, 3.0)), "music")
    assert _mend(signed_in, empty, source, "remove-dc").status_code == 404


def test_what_a_file_is_is_guessed_with_reasons_and_corrected(signed_in, empty, bring):
    source = bring("Door slam.wav", wav_bytes(sine(-20, 1.5, 300.0)))
    assert source.role == "effects"
    assert "its name says “door”" in role_reasons(source.role_reasons)
    other = bring("Second.wav", wav_bytes(programme(8, 2.0)))
    ids = f"{source.pk},{other.pk}"
    page = signed_in.post(f"/programmes/{empty.pk}/roles", {"ids": ids, "role": "atmosphere"}).content.decode()
    assert page.count('data-role="atmosphere"') == 2
    assert [track.role for track in empty.tracks.all()] == ["atmosphere", "atmosphere"]
    signed_in.post(f"/programmes/{empty.pk}/intake/step", {"way": "undo"})
    assert sorted(Source.objects.values_list("role", flat=True)) == sorted([source.role, other.role])
    assert signed_in.post(f"/programmes/{empty.pk}/roles", {"ids": ids, "role": "noise"}).status_code == 400
    assert signed_in.post(f"/programmes/{empty.pk}/roles", {"ids": "", "role": "music"}).status_code == 400


def test_the_same_file_twice_is_noticed(empty, bring):
    data = wav_bytes(sine(-20, 1.0))
    bring("one.wav", data)
    twin = bring("another name.wav", data)
    assert twin.state == "refused" and "same file as one.wav" in twin.sentence
    assert empty.tracks.count() == 1


def _bext(data, samples):
    """A WAV file with a Broadcast Wave chunk that tells its time of day. Source: EBU Tech 3285."""
    body = bytearray(602)
    body[338:346] = struct.pack("<Q", samples)
    chunk = b"bext" + struct.pack("<I", len(body)) + bytes(body)
    return data[:4] + struct.pack("<I", len(data) - 8 + len(chunk)) + data[8:12] + chunk + data[12:]


def test_a_time_of_day_is_offered_as_position(signed_in, empty, bring, tmp_path):
    bring("film.mov", film(tmp_path / "film.mov", timecode="10:00:00:00").read_bytes())
    at = 36_002 * 48_000
    source = bring("Boom.wav", _bext(wav_bytes(programme(1, 1.0, 1)), at), "dialogue")
    assert source.reference_samples == at
    assert "00:00:02:00" in signed_in.get(f"/programmes/{empty.pk}/sources/{source.pk}").content.decode()
    signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/use", {"at": "offered"})
    assert source.clip_set.get().start_sample == 96_000


def test_a_film_becomes_the_picture_and_its_sound_a_clip_in_sync(signed_in, empty, bring, tmp_path):
    source = bring("film.mp4", film(tmp_path / "film.mp4", flash_at=20).read_bytes())
    picture = Picture.objects.get()
    assert (picture.frame_rate, picture.plays_in_browser, picture.width) == ("25", True, 160)
    assert picture.length_samples == 96_000
    clip = source.clip_set.get()
    from recitant_web.programme.queries import stored_source

    audio = stored_source(source.sha256, 2).read(0, source.length_samples)
    click = int(np.argmax(np.abs(audio[:, 0]) > 0.4))
    flash = Fraction(20, 25) * 48_000
    assert abs(clip.start_sample + click - clip.in_sample - flash) < 48_000 / 25  # within one frame
    whole = signed_in.get(f"/programmes/{empty.pk}/picture")
    data = b"".join(whole.streaming_content)
    part = signed_in.get(f"/programmes/{empty.pk}/picture", headers={"range": "bytes=10-19"})
    assert part.status_code == 206 and b"".join(part.streaming_content) == data[10:20]
    assert part["Content-Range"] == f"bytes 10-19/{len(data)}"
    tail = signed_in.get(f"/programmes/{empty.pk}/picture", headers={"range": "bytes=-5"})
    assert b"".join(tail.streaming_content) == data[-5:]
    beyond = signed_in.get(f"/programmes/{empty.pk}/picture", headers={"range": f"bytes={len(data)}-"})
    assert beyond.status_code == 416


def test_what_a_browser_cannot_play_gets_a_light_copy(empty, bring, tmp_path, media):
    bring("film.mov", film(tmp_path / "film.mov", codec="prores_ks", pix_fmt="yuv422p10le").read_bytes())
    picture = Picture.objects.get()
    assert not picture.plays_in_browser and picture.proxy_file
    from recitant_io.media.probe import probe

    light = probe(media / picture.proxy_file).picture
    assert light.plays_in_browser and light.length_samples == pytest.approx(96_000, abs=1_920)


def test_a_variable_rate_is_told_and_made_constant(signed_in, empty, bring, tmp_path, media):
    bring("phone.mp4", film(tmp_path / "phone.mp4", skips_every=7, flash_at=28).read_bytes())
    picture = Picture.objects.get()
    assert picture.is_variable_rate and picture.proxy_file
    assert "variable rate" in signed_in.get(f"/programmes/{empty.pk}/sources").content.decode()
    import av

    with av.open(str(media / picture.proxy_file)) as container:
        levels = [float(frame.to_ndarray(format="gray").mean()) for frame in container.decode(video=0)]
    assert int(np.argmax(levels)) == 28 + 28 // 7  # the flash stands at its own time


def test_a_film_without_sound_is_a_picture_and_no_fault(empty, bring, tmp_path):
    source = bring("silent.mp4", film(tmp_path / "silent.mp4", sound_hz=()).read_bytes())
    assert source.state == "picture" and "no sound" in source.sentence
    assert Picture.objects.exists() and not empty.tracks.exists()


def test_another_films_picture_can_take_its_place(signed_in, empty, bring, tmp_path):
    bring("one.mp4", film(tmp_path / "one.mp4").read_bytes())
    other = bring("two.mp4", film(tmp_path / "two.mp4", n_frames=30, sound_hz=(500.0,)).read_bytes())
    assert Picture.objects.get().name == "one.mp4"
    assert "Show this one instead" in signed_in.get(f"/programmes/{empty.pk}/sources/{other.pk}").content.decode()
    signed_in.post(f"/programmes/{empty.pk}/sources/{other.pk}/picture")
    assert Picture.objects.get().name == "two.mp4"
    sound = bring("only.wav", wav_bytes(sine(-20, 1.0)))
    assert signed_in.post(f"/programmes/{empty.pk}/sources/{sound.pk}/picture").status_code == 422


def test_of_several_sound_tracks_the_others_can_be_brought_in(signed_in, empty, bring, tmp_path, after_commit):
    source = bring("multi.mkv", film(tmp_path / "multi.mkv", sound_hz=(300.0, 2_000.0)).read_bytes())
    assert len(source.sound_tracks) == 2
    assert "2 sound tracks" in signed_in.get(f"/programmes/{empty.pk}/sources/{source.pk}").content.decode()
    with after_commit(), after_commit(), after_commit():
        signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/track", {"index": "1"})
    other = Source.objects.get(sound_track=1)
    assert other.state == "ready" and other.sha256 != source.sha256
    from recitant_web.programme.queries import stored_source

    audio = stored_source(other.sha256, 2).read(0, 48_000)[:, 0]
    assert np.argmax(np.abs(np.fft.rfft(audio))) == pytest.approx(2_000, abs=2)
    assert signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/track", {"index": "7"}).status_code == 404


def test_a_marked_part_is_laid(signed_in, empty, bring):
    source = bring("score.wav", wav_bytes(programme(2, 8.0)), "music")
    signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/use", {"from": "96000", "to": "144000"})
    whole, part = source.clip_set.order_by("pk")
    assert (part.start_sample, part.in_sample, part.length_samples) == (0, 96_000, 48_000)
    assert part.track_id != whole.track_id and part.track.role == "music"  # its own track has no room at the start
    signed_in.post(f"/programmes/{empty.pk}/intake/step", {"way": "undo"})
    assert source.clip_set.count() == 1 and empty.tracks.count() == 1
    assert signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/use", {"from": "x"}).status_code == 400


def test_a_recording_can_be_heard_before_it_is_placed(signed_in, empty, bring):
    audio = programme(2, 3.0)
    source = bring("score.wav", wav_bytes(audio, "FLOAT"), "music")
    answer = signed_in.get(f"/programmes/{empty.pk}/sources/{source.pk}/sound?start=48000&length=24000")
    import io

    import soundfile

    heard, _ = soundfile.read(io.BytesIO(answer.content), dtype="float32")
    assert (heard == audio[48_000:72_000]).all()


@pytest.mark.parametrize("level", [16, 256, 4_096, 65_536])
def test_outlines_hold_the_extremes(signed_in, empty, bring, level):
    audio = programme(2, 3.0)
    source = bring("score.wav", wav_bytes(audio, "FLOAT"), "music")
    answer = signed_in.get(f"/programmes/{empty.pk}/outline/{source.sha256}/{level}/0")
    found = np.frombuffer(answer.content, "<i2").reshape(-1, 2, 2)
    piece = audio[level : 2 * level]
    assert found[1, 0, 0] == pytest.approx(piece[:, 0].min() * 32_767, abs=1)
    assert found[1, 1, 1] == pytest.approx(piece[:, 1].max() * 32_767, abs=1)
    assert signed_in.get(f"/programmes/{empty.pk}/outline/{source.sha256}/100/0").status_code == 404


def test_a_refused_file_can_be_tried_again(signed_in, empty, bring, media, after_commit):
    source = bring("broken.wav", b"no sound at all" * 50)
    assert source.state == "refused"
    (media / source.original_file).write_bytes(wav_bytes(sine(-20, 1.0)))
    with after_commit(), after_commit(), after_commit():
        signed_in.post(f"/programmes/{empty.pk}/sources/{source.pk}/again")
    source.refresh_from_db()
    assert source.state == "ready"


def test_what_was_taken_in_before_is_listened_to_at_the_next_start(empty, bring, after_commit):
    from recitant_web.programme.ingesting import listen_to_the_unheard

    source = bring("take.wav", wav_bytes(_one_sided()))
    Source.objects.filter(pk=source.pk).update(findings=[], is_listened=False)
    with after_commit(), after_commit():
        assert listen_to_the_unheard() == 1
    source.refresh_from_db()
    assert source.is_listened and source.findings[0]["code"] == "one-channel-silent"
    assert listen_to_the_unheard() == 0


def test_a_long_recording_is_ready_before_all_of_it_was_heard(empty, bring, monkeypatch, after_commit):
    from recitant_web.programme import ingesting

    monkeypatch.setattr(ingesting, "_EXCERPT_SAMPLES", 24_000)  # so that six seconds are long
    sent = []
    monkeypatch.setattr("recitant_web.jobs.actions._send", lambda job_id, kind: sent.append((job_id, kind)))
    data = wav_bytes(_one_sided())
    with after_commit():
        source = programmes.bring_in(empty, "", "long.wav", len(data), [data], is_placed=False)
        ingesting.ingest(source.pk, lambda _share: None)
    source.refresh_from_db()
    assert source.state == "ready" and not source.is_listened and source.role
    assert [finding["code"] for finding in source.findings][:1] == ["one-channel-silent"]
    assert [kind for _, kind in sent] == ["programme.listen"]
    ingesting.listen(source.pk, lambda _share: None)
    source.refresh_from_db()
    assert source.is_listened


def test_what_is_under_way_or_refused_stands_first(signed_in, film):
    first, second, third = film.sources.order_by("pk")
    Source.objects.filter(pk=second.pk).update(state="refused", message={"text": "It is none."})
    Source.objects.filter(pk=third.pk).update(state="waiting")
    page = signed_in.get(f"/programmes/{film.pk}/sources").content.decode()
    places = [page.index(f">{one.name}") for one in (second, third, first)]
    assert places == sorted(places)


def test_recordings_of_one_track_take_it_with_them_when_their_role_changes(signed_in, empty, after_commit):
    with after_commit(), after_commit():
        pile = programmes.begin_pile(empty, "roles", "name")
    for place, name in enumerate(("a.wav", "b.wav", "c.wav")):
        data = wav_bytes(programme(place, 2.0, 1))
        with after_commit(), after_commit(), after_commit():
            upload = programmes.begin_upload(empty, "dialogue", name, len(data), name, pile, place)
            programmes.receive_piece(upload, 0, [data])
    with after_commit(), after_commit():
        programmes.close_pile(pile)
    one, other, third = (Source.objects.get(name=name) for name in ("a.wav", "b.wav", "c.wav"))

    def tracks():
        empty.refresh_from_db()
        return [(t.name, t.role.value, [c.name for c in t.clips]) for t in plan_of(empty).tracks]

    assert tracks() == [("Dialogue", "dialogue", ["a", "b", "c"])]
    # Some of them: one new track for both, none left empty.
    signed_in.post(f"/programmes/{empty.pk}/roles", {"ids": f"{one.pk},{other.pk}", "role": "music"})
    assert tracks() == [("Dialogue", "dialogue", ["c"]), ("Music", "music", ["a", "b"])]
    # All that lies on a track: the track itself changes.
    signed_in.post(f"/programmes/{empty.pk}/roles", {"ids": f"{one.pk},{other.pk},{third.pk}", "role": "effects"})
    assert tracks() == [("Effects", "effects", ["c"]), ("Effects", "effects", ["a", "b"])]
    undo(empty, empty.revision)
    assert tracks() == [("Dialogue", "dialogue", ["c"]), ("Music", "music", ["a", "b"])]
