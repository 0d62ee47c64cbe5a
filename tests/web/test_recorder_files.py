"""Files of many channels: each that sounds becomes a recording of its own, named as the recorder named it."""

import io
import json
import struct

import numpy as np
import pytest
import soundfile

from conftest import wav_bytes
from recitant_core.errors import UnreadableMedia
from recitant_io.media.channels import channel_names, recorder_file
from recitant_io.store.conform import conform
from recitant_web.desk.models import Clip
from recitant_web.programme.actions import (
    begin_pile,
    begin_upload,
    bring_in,
    close_pile,
    create_programme,
    receive_piece,
)
from recitant_web.programme.models import SourceState
from signals import sine
from signals.voices import from_afar, voice

pytestmark = pytest.mark.django_db


def channels(*levels_dbfs, seconds=1.0):
    """Sines of other pitch on each channel; None for a silent one."""
    n = round(seconds * 48_000)
    silence = np.zeros((n, 1), np.float32)
    return np.concatenate(
        [silence if db is None else sine(db, seconds, 200.0 + 50 * k, 1) for k, db in enumerate(levels_dbfs)], axis=1
    )


def polyphonic(audio, names=None):
    """A WAV file as recorders write it, its channels named in an iXML chunk."""
    data = wav_bytes(audio)
    if names is None:
        return data
    tracks = "".join(
        f"<TRACK><CHANNEL_INDEX>{k}</CHANNEL_INDEX><INTERLEAVE_INDEX>{k}</INTERLEAVE_INDEX><NAME>{name}</NAME></TRACK>"
        for k, name in enumerate(names, 1)
    )
    text = f'<?xml version="1.0"?><BWFXML><TRACK_LIST>{tracks}</TRACK_LIST></BWFXML>'.encode()
    text += b" " * (len(text) % 2)
    chunk = b"iXML" + struct.pack("<I", len(text)) + text
    return data[:4] + struct.pack("<I", len(data) - 8 + len(chunk)) + data[8:] + chunk


@pytest.fixture
def empty(account, media, jobs_run_at_once):
    """A programme with nothing in it."""
    return create_programme(account[1], "New", "25", "ebu-r128")


def brought(programme, name, data, after_commit, role=""):
    with after_commit(), after_commit(), after_commit():
        source = bring_in(programme, role, name, len(data), [data])
    source.refresh_from_db()
    return source


def test_a_recorder_file_is_taken_apart_and_silent_channels_are_left_out(empty, after_commit):
    names = ["Mix L", "Mix R", "Boom", "Lav  anna", "a", "b", "c", "Lav ben"]
    data = polyphonic(channels(-20, None, -30, -26, None, None, None, -40), names)
    source = brought(empty, "T001.wav", data, after_commit, "dialogue")
    assert source.state == SourceState.SPLIT
    assert source.sentence == (
        "8 channels of one recorder file, held as one clip: Mix L, Boom, Lav anna, Lav ben. "
        "Silent and left out: Mix R, a, b, c."
    )
    made = empty.sources.filter(channel__isnull=False).order_by("pk")
    assert [(one.name, one.channel, one.n_channels, one.state) for one in made] == [
        ("Mix L, T001.wav", 0, 1, "ready"),
        ("Boom, T001.wav", 2, 1, "ready"),
        ("Lav anna, T001.wav", 3, 1, "ready"),
        ("Lav ben, T001.wav", 7, 1, "ready"),
    ]
    assert made[1].readings["sample_peak_dbfs"] == pytest.approx(-30.0, abs=0.1)
    assert len({one.sha256 for one in made}) == 4 and {one.original_file for one in made} == {source.original_file}
    clip = Clip.objects.get(track__programme=empty)
    assert clip.name == "Mix L, T001" and clip.take_index == 0  # the recorder's mix sounds, the others are spares
    assert [take["name"] for take in clip.takes] == ["Boom, T001", "Lav anna, T001", "Lav ben, T001"]
    # The same file again: none of its channels is brought in twice.
    again = brought(empty, "T001 copy.wav", data, after_commit)
    assert again.state == SourceState.SPLIT and empty.sources.filter(state="ready").count() == 4


def test_surround_mixes_stay_whole_and_four_microphones_do_not(empty, after_commit):
    assert brought(empty, "mix.wav", polyphonic(channels(-20, -20, -26, -30, -33, -33)), after_commit).n_channels == 6
    assert brought(empty, "four.wav", polyphonic(channels(-20, -21, -22, -23)), after_commit).state == SourceState.SPLIT
    assert set(empty.sources.filter(channel__isnull=False).values_list("name", flat=True)) == {
        f"ch {k}, four.wav" for k in range(1, 5)
    }
    silent = brought(empty, "off.wav", polyphonic(channels(*[None] * 8)), after_commit)
    assert (silent.state, silent.sentence) == (SourceState.REFUSED, "All of its 8 channels are silent.")


def test_microphones_of_several_takes_are_one_clip_each(empty, after_commit, signed_in):
    names = ["Boom", "Lav"]
    with after_commit(), after_commit():
        pile = begin_pile(empty, "names", "name")
    for place, seconds in enumerate((1.0, 1.5)):
        data = polyphonic(channels(-20 - place, -30, None, None, seconds=seconds), [*names, "", ""])
        with after_commit(), after_commit(), after_commit():
            upload = begin_upload(
                empty, "dialogue", f"scene 4 take {place + 1}.wav", len(data), f"{place}", pile, place
            )
            receive_piece(upload, 0, [data])
    with after_commit(), after_commit():
        close_pile(pile)
    laid = {
        track.name: [(clip.name, clip.start_sample) for clip in track.clips.order_by("start_sample")]
        for track in empty.tracks.all()
    }
    assert laid == {"scene 4": [("Boom, scene 4 take 1", 0), ("Boom, scene 4 take 2", 48_000)]}
    first, second = (Clip.objects.get(name=f"Boom, scene 4 take {k}") for k in (1, 2))
    assert [take["name"] for take in second.takes] == ["Lav, scene 4 take 2"]
    # One press for a clip, one for its scene.
    edits = f"/programmes/{empty.pk}/arrange/edits"
    for kind, more in (("take", {"index": 1}), ("microphone", {"scope": "scene"})):
        empty.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": empty.revision, "id": str(first.pk), **more})
        answer = signed_in.post(edits, body, content_type="application/json", headers={"accept": "application/json"})
        assert answer.status_code == 200, answer.content
    assert set(Clip.objects.values_list("name", flat=True)) == {"Lav, scene 4 take 1", "Lav, scene 4 take 2"}
    empty.refresh_from_db()
    body = json.dumps({"kind": "microphone", "revision": empty.revision, "id": str(first.pk), "scope": "all"})
    again = signed_in.post(edits, body, content_type="application/json", headers={"accept": "application/json"})
    assert again.status_code == 409 and "already sounds" in again.json()["sentence"]


def test_one_channel_that_is_refused_keeps_the_others_from_nothing(empty, after_commit, monkeypatch):
    from recitant_web.programme import ingesting

    real = ingesting.conform

    def refuse(path, folder, progress, sound_track, channel):
        if channel == 2:
            raise UnreadableMedia("damaged", file="x", at_s=None)
        return real(path, folder, progress, sound_track, channel)

    monkeypatch.setattr(ingesting, "conform", refuse)
    brought(empty, "four.wav", polyphonic(channels(-20, -21, -22, -23)), after_commit)
    clip = Clip.objects.get(track__programme=empty)
    assert len(clip.takes) == 2 and empty.sources.filter(state="refused").count() == 1


def test_names_that_are_missing_or_broken_leave_numbers(tmp_path):
    path = tmp_path / "a.wav"
    path.write_bytes(polyphonic(channels(-20, -20, -20), ["Boom"]))
    assert channel_names(path, 3) == ("Boom", "", "") and recorder_file(path).sounding == (0, 1, 2)
    data = polyphonic(channels(-20, -20, -20), ["Boom"])
    path.write_bytes(data.replace(b"<BWFXML>", b"<<<<<<<>"))
    assert channel_names(path, 3) == ("", "", "") and recorder_file(path) is None  # three speakers, then
    path.write_bytes(wav_bytes(sine(-20, 0.2)))
    assert recorder_file(path) is None
    flac = io.BytesIO()
    soundfile.write(flac, channels(-20, -20, None, -20, -20, -20, -20, -20), 48_000, format="FLAC")
    (tmp_path / "b.flac").write_bytes(flac.getvalue())
    assert len(recorder_file(tmp_path / "b.flac").sounding) == 7
    (tmp_path / "c.wav").write_bytes(wav_bytes(np.zeros((480, 70), np.float32)))
    with pytest.raises(UnreadableMedia):
        recorder_file(tmp_path / "c.wav")


def test_one_channel_is_conformed_to_the_sample(tmp_path):
    audio = channels(-20, -30, -40, seconds=0.3)
    (tmp_path / "a.wav").write_bytes(wav_bytes(audio))
    made = conform(tmp_path / "a.wav", tmp_path / "out", channel=1)
    kept = np.fromfile(tmp_path / "out" / "audio.f32", np.float32)
    assert made.n_channels == 1 and np.abs(kept - audio[:, 1]).max() < 2**-23
    with pytest.raises(UnreadableMedia):
        conform(tmp_path / "a.wav", tmp_path / "out", channel=3)


def test_recordings_of_one_moment_are_offered_as_takes_and_put_in_step(empty, after_commit, signed_in):
    near = voice("prompts-en.ogg")
    files = {"boom.wav": near, "camera.wav": from_afar(near, -3.25, -10.0), "other.wav": voice("prompts-fr.ogg")}
    for name, audio in files.items():
        data = wav_bytes(np.asarray(audio, np.float32)[:, None])
        with after_commit(), after_commit(), after_commit():
            bring_in(empty, "dialogue", name, len(data), [data])
    url = f"/programmes/{empty.pk}/state"
    found = [one for one in signed_in.get(url).json()["doubts"] if one["code"] == "same-moment"]
    assert [one["words"] for one in found] == ["camera and boom are recordings of the same moment."]
    spare, kept = found[0]["clip_ids"]
    other = Clip.objects.get(name="other")

    def edit(kind, status, **more):
        empty.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": empty.revision, **more})
        answer = signed_in.post(f"/programmes/{empty.pk}/edits", body, "application/json")
        assert answer.status_code == status, answer.content
        return answer.content.decode()

    said = edit("takes-in-step", 409, ids=[kept, str(other.pk)])
    assert "do not sound like recordings of the same moment" in said
    edit("takes-in-step", 200, ids=[kept, spare])
    clip = Clip.objects.get(pk=kept)
    assert clip.name == "boom" and not Clip.objects.filter(pk=spare).exists()
    # The camera began 3.25 s into the boom's recording.
    assert clip.takes[0]["name"] == "camera" and abs(clip.takes[0]["shift_samples"] + 3.25 * 48_000) < 24
    assert not any(one["code"] == "same-moment" for one in signed_in.get(url).json()["doubts"])
    edit("undo", 200)
    assert Clip.objects.filter(name="camera").exists()
