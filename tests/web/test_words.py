"""The Words page: hearing, corrections, people, cuts by words, captions, files in and out, lost words."""

import json
import re
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from django.core.files.uploadedfile import SimpleUploadedFile

from conftest import SPOKEN as TEXT
from conftest import make_spoken, start_of_word, wav_bytes
from recitant_core.transcript.lost import Understood, WordState
from recitant_core.transcript.model import Word
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Clip, EditState, Track
from recitant_web.listening.lost import _row
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programmes.actions import duplicate
from recitant_web.transcript.models import Listening, Transcript, WordMark
from recitant_web.transcript.queries import words_of

SECOND = 48_000


@pytest.fixture
def spoken(film):
    """The film with words in its dialogue."""
    return make_spoken(film)


@pytest.fixture
def page(signed_in, spoken, after_commit):
    """Talks to the page of the film."""

    class Page:
        film = spoken
        base = f"/programmes/{spoken.pk}/words"

        def state(self):
            return signed_in.get(f"{self.base}/state").json()

        def edit(self, kind, status=200, **more):
            self.film.refresh_from_db()
            body = json.dumps({"kind": kind, "revision": self.film.revision, **more})
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"{self.base}/edits", body, "application/json", headers={"accept": "application/json"}
                )
            assert answer.status_code == status, answer.content
            self.film.refresh_from_db()
            return answer.json()

        def work(self, status=200, **asked):
            headers = {"accept": "application/json"}
            with after_commit(), after_commit():
                answer = signed_in.post(f"{self.base}/work", json.dumps(asked), "application/json", headers=headers)
            assert answer.status_code == status, answer.content
            return answer.json()

        def text(self):
            return " ".join(word[0] for turn in self.state()["turns"] for word in turn["words"])

        def stretch(self, first, last):
            """Of the words from one place in the text to another."""
            state = self.state()
            words = [(turn["track_id"], word) for turn in state["turns"] for word in turn["words"]]
            return {
                "track_id": words[first][0],
                "from_sample": words[first][1][1],
                "to_sample": words[last][1][2],
            }

    return Page()


def test_the_page_opens_and_shows_turns_of_people(page, signed_in):
    answer = signed_in.get(page.base)
    assert answer.status_code == 200
    assert b"Hear the words" in answer.content
    state = page.state()
    assert [turn["words"][0][0] for turn in state["turns"]] == ["Um", "you"]
    names = {speaker["id"]: speaker["name"] for speaker in state["speakers"]}
    assert [names[turn["who"]] for turn in state["turns"]] == ["Founder", "Apprentice"]
    assert [fill["text"] for fill in state["fillers"]] == ["Um"]
    assert state["hearing"] | {"n_recordings": 1, "n_heard": 1, "missing": ""} == state["hearing"]


def test_nobody_of_another_workspace_sees_or_changes_words(page, client, stranger):
    client.force_login(stranger)
    for path in ("", "/state", "/export/txt", "/search?q=bell"):
        assert client.get(f"{page.base}{path}").status_code == 404
    for path in ("/edits", "/work", "/import"):
        assert client.post(f"{page.base}{path}", "{}", "application/json").status_code == 404


def test_a_correction_keeps_the_time_and_is_undone(page):
    before = page.state()["turns"][0]["words"][4]
    page.edit("words-type", stretch=page.stretch(4, 4), text="cast")
    after = page.state()["turns"][0]["words"][4]
    assert after[:3] == ["cast", before[1], before[2]]
    page.edit("words-type", stretch=page.stretch(4, 4), text="cast iron")
    assert "not cast iron a" in page.text()
    assert WordMark.objects.count() == 1  # the same place typed over again is one correction
    page.edit("undo")
    page.edit("undo")
    assert page.text() == TEXT
    page.edit("redo")
    assert "not cast a" in page.text()


def test_words_follow_copies_trims_and_moves_of_their_clip(page):
    clip = Clip.objects.get(source__role="dialogue")
    page.edit("words-type", stretch=page.stretch(4, 4), text="cast")
    page.edit("split", ids=[str(clip.pk)], at_sample=2 * SECOND)
    second = Clip.objects.filter(source__role="dialogue").order_by("-start_sample")[0]
    page.edit("move", ids=[str(second.pk)], by_samples=3 * SECOND)
    turns = page.state()["turns"]
    assert turns[0]["words"][4][0] == "cast"
    assert turns[1]["at"] - turns[0]["at"] > 3 * SECOND


def test_people_are_named_merged_and_given_words(page):
    first, second = (speaker["id"] for speaker in page.state()["speakers"])
    page.edit("speaker-name", speaker_id=first, name="Ines")
    page.edit("words-speaker", stretches=[page.stretch(0, 1)], name="Nobody yet")
    state = page.state()
    assert [speaker["name"] for speaker in state["speakers"]] == ["Ines", "Apprentice", "Nobody yet"]
    assert len(state["turns"][0]["words"]) == 2
    page.edit("speaker-merge", speaker_id=second, into_id=first)
    assert {turn["who"] for turn in page.state()["turns"][1:]} == {first}
    page.edit("undo")
    assert second in {turn["who"] for turn in page.state()["turns"]}
    assert page.edit("speaker-merge", status=409, speaker_id=first, into_id=first)["sentence"].startswith("That is the")


def test_a_song_is_left_out_of_the_text_and_comes_back(page, signed_in):
    stretch = page.stretch(7, 13)
    page.edit("words-leave-out", stretches=[stretch], is_left_out=True)
    assert [word[3] & 4 for word in page.state()["turns"][1]["words"]] == [4] * 7
    out = signed_in.get(f"{page.base}/export/txt").content.decode()
    assert "pour a bell" in out and "let it go" not in out
    page.edit("words-leave-out", stretches=[stretch], is_left_out=False)
    assert "let it go" in signed_in.get(f"{page.base}/export/txt").content.decode()


def test_a_whole_track_is_left_out_of_the_text(page, signed_in):
    (track,) = page.state()["tracks"]
    assert track == {"id": track["id"], "name": "voice", "is_out": False}
    everything = {"track_id": track["id"], "from_sample": 0, "to_sample": 8 * SECOND}
    page.edit("words-leave-out", stretches=[everything], is_left_out=True)
    assert page.state()["tracks"][0]["is_out"]
    assert signed_in.get(f"{page.base}/export/txt").content == b""
    page.edit("undo")
    assert not page.state()["tracks"][0]["is_out"]


def levels(film, from_s, to_s):
    """RMS of the dialogue stem in a stretch of the mix."""
    from recitant_core.render.mix import render_stems
    from recitant_core.units.clock import SampleSpan
    from recitant_core.units.roles import Role
    from recitant_web.desk.mapping.plans import sources_of_plan

    span = SampleSpan(round(from_s * SECOND), round((to_s - from_s) * SECOND))
    stem = render_stems(plan_of(film), sources_of_plan(film), span)[Role.DIALOGUE]
    return float(np.sqrt(np.mean(stem**2)))


def test_words_are_silenced_and_the_rest_stays_where_it_is(page):
    page.edit("words-cut", stretches=[page.stretch(3, 4)], how="silence")
    assert page.text() == "Um you do a bell you let it go and you wait"
    assert page.state()["turns"][1]["at"] == start_of_word(7)
    assert levels(page.film, 1.5, 1.9) < 1e-6 < levels(page.film, 0.8, 1.2)
    page.edit("undo")
    assert page.text() == TEXT


def test_words_are_taken_out_and_what_touches_moves_up(page):
    before = page.state()["turns"][1]["at"]
    page.edit("words-cut", stretches=[page.stretch(3, 4), page.stretch(0, 0)], how="close")
    assert page.text() == "you do a bell you let it go and you wait"
    moved = before - page.state()["turns"][1]["at"]
    assert moved == pytest.approx(0.83 * SECOND, abs=0.3 * SECOND)
    clips = list(Clip.objects.filter(source__role="dialogue").order_by("start_sample"))
    page.edit("words-type", stretch=page.stretch(3, 3), text="beside")  # a word beside the cross-fade
    overlaps = [a.start_sample + a.length_samples - b.start_sample for a, b in pairwise(clips)]
    assert all(0 < overlap <= SECOND // 25 for overlap in overlaps)  # cross-faded


def test_words_are_covered_with_a_tone_and_with_the_room(page):
    page.edit("words-cut", stretches=[page.stretch(3, 4)], how="tone")
    assert Clip.objects.filter(name="tone over words").count() == 1
    assert levels(page.film, 1.5, 1.9) > 0.01
    page.edit("undo")
    page.edit("words-cut", stretches=[page.stretch(3, 4)], how="room")
    assert Clip.objects.filter(is_room_tone=True).count() == 1
    page.edit("undo")
    assert Clip.objects.filter(source__role="dialogue").count() == 1


def test_people_go_to_tracks_of_their_own_and_nothing_changes_in_the_sound(page):
    whole = levels(page.film, 0.0, 6.0)
    page.edit("track-a-person")
    tracks = {track.name: track.clips.count() for track in Track.objects.filter(role="dialogue")}
    assert tracks == {"Founder": 1, "Apprentice": 1}
    assert set(Clip.objects.filter(track__role="dialogue").values_list("speaker", flat=True)) == {
        "Founder",
        "Apprentice",
    }
    assert levels(page.film, 0.0, 6.0) == pytest.approx(whole, rel=0.02)
    assert page.text() == TEXT
    page.edit("undo")
    assert Track.objects.filter(role="dialogue").count() == 1


def test_captions_are_made_changed_and_put_right(page):
    page.edit("captions-make", speakers="names")
    rows = page.state()["captions"]
    assert rows[0]["text"].startswith("FOUNDER: Um you do")
    assert not any(row["broken"] for row in rows)
    page.edit("caption-set", id=rows[0]["id"], end_sample=rows[0]["from"] + SECOND // 4)
    assert "characters a second" in " ".join(page.state()["captions"][0]["broken"])
    page.edit("captions-mend", ids=[rows[0]["id"]])
    assert page.state()["captions"][0]["broken"] == []
    text = rows[0]["text"]
    page.edit("caption-split", id=rows[0]["id"], at_letter=text.index("do"))
    assert len(page.state()["captions"]) == len(rows) + 1
    page.edit("caption-join", id=rows[0]["id"])
    assert page.state()["captions"][0]["text"].replace("\n", " ") == text.replace("\n", " ")
    page.edit("captions-remove", ids=[row["id"] for row in rows])
    assert page.state()["captions"] == []
    page.edit("undo")
    assert len(page.state()["captions"]) == len(rows)
    page.edit("caption-add", start_sample=7 * SECOND, end_sample=8 * SECOND, text="[hammer strikes]")
    assert page.state()["captions"][-1]["text"] == "[hammer strikes]"


def test_rules_of_captions_are_settings_with_limits(page):
    rules = page.state()["rules"]
    page.edit("caption-rules", **(rules | {"most_characters": "20", "most_characters_s": "17"}))
    page.edit("captions-make")
    assert all(len(line) <= 20 for row in page.state()["captions"] for line in row["text"].split("\n"))
    refused = page.edit("caption-rules", status=409, **(rules | {"most_lines": 9}))
    assert "between 1 and 4" in refused["sentence"]


@pytest.mark.parametrize("form", ["srt", "vtt", "ttml"])
def test_captions_go_out_and_come_in_again(page, signed_in, form):
    refused = signed_in.get(f"{page.base}/export/{form}", headers={"accept": "application/json"})
    assert "no captions yet" in refused.json()["sentence"]
    page.edit("captions-make")
    rows = [(row["from"], row["text"]) for row in page.state()["captions"]]
    file = signed_in.get(f"{page.base}/export/{form}")
    assert file["Content-Disposition"] == f'attachment; filename="Test film.{form}"'
    page.edit("captions-remove", ids=[row["id"] for row in page.state()["captions"]])
    page.film.refresh_from_db()
    upload = {"file": SimpleUploadedFile(f"back.{form}", file.content)}
    answer = signed_in.post(f"{page.base}/import?revision={page.film.revision}", upload)
    assert answer.status_code == 200, answer.content
    back = [(row["from"], row["text"]) for row in page.state()["captions"]]
    assert [text for _, text in back] == [text for _, text in rows]
    assert max(abs(a - b) for (a, _), (b, _) in zip(back, rows, strict=True)) <= 48
    page.edit("undo")
    assert page.state()["captions"] == []


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("x.srt", b"not captions", "line 1"),
        ("x.doc", b"", "no caption file"),
        ("x.vtt", b"WEBVTT\n\n00:02.000 --> 00:01.000\nhi\n", "does not end after it begins"),
        ("x.ttml", b"<!DOCTYPE x><tt/>", "entities"),
    ],
)
def test_caption_files_that_are_not_right_change_nothing(page, signed_in, name, data, said):
    page.edit("captions-make")
    before = page.state()["captions"]
    upload = {"file": SimpleUploadedFile(name, data)}
    url = f"{page.base}/import?revision={page.film.revision}"
    answer = signed_in.post(url, upload, headers={"accept": "application/json"})
    assert 400 <= answer.status_code < 500
    assert said in answer.json()["sentence"]
    assert page.state()["captions"] == before


def test_markup_in_words_and_captions_is_never_run(page, signed_in):
    evil = "</script><img src=x onerror=alert(1)>"
    page.edit("words-type", stretch=page.stretch(4, 4), text=evil)
    page.edit("caption-add", start_sample=0, end_sample=SECOND, text=evil)
    html = signed_in.get(page.base).content.decode()
    assert "<img src=x" not in html
    text = signed_in.get(f"{page.base}/export/md").content.decode()
    assert "\\<img" in text


def test_the_text_goes_out_with_speakers_and_times(page, signed_in):
    text = signed_in.get(f"{page.base}/export/txt").content.decode()
    assert text.startswith("[0:00.4] Founder: Um you do not pour a bell\n")
    data = json.loads(signed_in.get(f"{page.base}/export/json").content)
    assert data["words"][1] | {"text": "you", "speaker": "Founder", "clip": "voice"} == data["words"][1]
    assert signed_in.get(f"{page.base}/export/exe", headers={"accept": "application/json"}).status_code == 400


def test_words_are_found_over_all_programmes(page, signed_in):
    found = signed_in.get(f"{page.base}/search", {"q": "a bell"}).json()["found"]
    assert [row["programme"] for row in found] == [page.film.pk]
    assert found[0]["text"].startswith("Um you do not pour a bell")
    assert signed_in.get(f"{page.base}/search", {"q": "  "}).json()["found"] == []


def understood(film, *states):
    """What a model heard of the film's mix, as it would be kept."""
    words = words_of(film)[film.sources.get(role="dialogue").sha256]
    rows = []
    for k, word in enumerate(words):
        state = WordState.LOST if k in states else WordState.KEPT
        rows.append(_row(Understood(Word(word.text, word.start_sample, word.end_sample, 0.9), state)))
    return rows


def test_lost_words_are_counted_with_cause_and_cures_and_accepted(page):
    key = Snapshot(page.film).key
    Listening.objects.create(programme=page.film, plan_key=key, model="by hand", words=understood(page.film, 7, 8))
    lost = page.state()["lost"]
    assert (lost["n_lost"], lost["n_judged"], lost["is_current"]) == (2, 14, True)
    passage = lost["passages"][0]
    assert passage["text"] == "you let"
    assert re.search(r"LU (above|under) the rest", passage["cause"])
    assert passage["cures"]
    cure = {"code": "accept", "target_id": "0", "by_db": 0, "start_sample": passage["from"]}
    page.edit("cure", **cure, length_samples=passage["to"] - passage["from"])
    assert page.state()["lost"]["n_lost"] == 0
    page.edit("gain", target="stem", id="music", gain_db="-3")
    assert page.state()["lost"]["is_current"] is False


def test_a_version_keeps_its_captions_and_an_older_one_leaves_them(page):
    page.edit("version-save", name="Before captions")
    page.edit("captions-make")
    version = page.film.versions.get()
    rows = dict(version.rows)
    version.rows = {table: rows[table] for table in rows if table != "caption"}
    version.save()
    page.edit("version-return", id=version.pk)
    assert page.state()["captions"]
    version.rows = rows
    version.save()
    page.edit("version-return", id=version.pk)
    assert page.state()["captions"] == []


def test_a_text_is_put_in_place_of_what_was_heard(page):
    page.edit("words-script", text="Um, you do not pour a bell. You let it go, and you wait.")
    assert page.text() == "Um, you do not pour a bell. You let it go, and you wait."
    page.edit("undo")
    assert page.text() == TEXT
    refused = page.edit("words-script", status=409, text="Four tonnes of copper and one of tin")
    assert "not the text of this sound" in refused["sentence"]


def test_sounds_are_named_and_chapters_proposed(page, signed_in):
    page.edit("captions-sounds")
    assert [row["text"] for row in page.state()["captions"]] == ["[bang]"]
    assert "no effect" in page.edit("captions-sounds", status=409)["sentence"]
    chapters = signed_in.get(f"{page.base}/chapters").json()["chapters"]
    assert chapters[0] == {"at_sample": 0, "text": "Um you do not pour a bell"}
    Transcript.objects.all().delete()
    assert signed_in.get(f"{page.base}/chapters", headers={"accept": "application/json"}).status_code >= 400


def test_a_copy_of_a_programme_has_its_words_people_and_captions(page, signed_in):
    page.edit("words-type", stretch=page.stretch(4, 4), text="cast")
    page.edit("words-speaker", stretches=[page.stretch(0, 0)], name="Ines")
    page.edit("captions-make")
    copy = duplicate(page.film, "Copy", with_media=True)
    mine, other = page.state(), signed_in.get(f"/programmes/{copy.pk}/words/state").json()
    words = [[[word[0] for word in turn["words"]] for turn in state["turns"]] for state in (mine, other)]
    assert words[0] == words[1]
    assert [row["name"] for row in other["speakers"]] == [row["name"] for row in mine["speakers"]]
    assert {row["id"] for row in other["speakers"]}.isdisjoint({row["id"] for row in mine["speakers"]})
    assert {turn["who"] for turn in other["turns"]} <= {row["id"] for row in other["speakers"]}
    assert [row["text"] for row in other["captions"]] == [row["text"] for row in mine["captions"]]
    bare = duplicate(page.film, "Bare", with_media=False)
    assert signed_in.get(f"/programmes/{bare.pk}/words/state").json()["turns"] == []


def test_edits_of_text_leave_figures_and_sound_alone(page, signed_in):
    html = signed_in.get(page.base).content.decode()
    have = {"Recitant-Have": re.search(r'data-tag="(\w+)"', html)[1], "accept": "application/json"}
    stretch = page.stretch(4, 4)
    page.film.refresh_from_db()
    body = {"kind": "words-type", "revision": page.film.revision, "stretch": stretch, "text": "cast"}
    patch = signed_in.post(f"{page.base}/edits", json.dumps(body), "application/json", headers=have).json()["patch"]
    assert patch["set"]["figures_of"] == patch["set"]["revision"]
    assert "sound" not in patch["set"] and set(patch["in"]) == {"turns"}


def test_settings_that_cannot_be_are_refused_in_words(page):
    assert "no code of a language" in page.work(409, kind="hear", language="klingon")["sentence"]
    assert "1 to 20 people" in page.work(409, kind="hear", n_speakers=0)["sentence"]
    assert "letters of a term" in page.work(409, kind="glossary", text="x" * 80)["sentence"]
    page.work(kind="glossary", text=" Recitant \n\nCasting  the Tenor\nRecitant")
    assert page.state()["hearing"]["glossary"] == "Recitant\nCasting the Tenor"


def test_without_a_model_the_page_says_how_to_get_one_and_all_else_works(page, settings, tmp_path):
    settings.RECITANT_WORDS_MODEL = str(tmp_path)
    assert "model.bin" in page.state()["hearing"]["missing"] or "config.json" in page.state()["hearing"]["missing"]
    assert page.work(422, kind="hear")["sentence"]
    page.edit("words-type", stretch=page.stretch(4, 4), text="cast")
    page.edit("captions-make")


@pytest.fixture
def recorded(account, media, jobs_run_at_once, after_commit):
    """A programme with a take of the demo's narrator under loud music."""
    from recitant_web.programme.actions import bring_in, create_programme

    root = Path(__file__).parents[2]
    made = create_programme(account[1], "The pour", "25", "ebu-r128")
    files = {
        ("narration", "voice.wav"): root / "demo/voices/narration-04.flac",
        ("music", "m.wav"): root / "tests/data/music-calm.ogg",
    }
    with after_commit(), after_commit():
        for (role, name), path in files.items():
            audio, rate_hz = soundfile.read(path, always_2d=True)
            audio = soxr.resample(audio, rate_hz, SECOND)[: 9 * SECOND] * (4.0 if role == "music" else 1.0)
            data = wav_bytes(np.clip(audio, -1.0, 1.0))
            bring_in(made, role, name, len(data), [data])
    made.refresh_from_db()
    return made


def test_a_recording_is_heard_and_its_mix_listened_to_in_the_background(recorded, signed_in, after_commit):
    base = f"/programmes/{recorded.pk}/words"

    def work(**asked):
        with after_commit(), after_commit():
            answer = signed_in.post(f"{base}/work", json.dumps(asked), "application/json")
        assert answer.status_code == 200, answer.content
        return signed_in.get(f"{base}/state").json()

    state = work(kind="hear")
    text = " ".join(word[0] for turn in state["turns"] for word in turn["words"])
    assert "takes four minutes" in text
    assert [speaker["name"] for speaker in state["speakers"]] == ["voice"]
    assert Transcript.objects.get().stamp > 0
    state = work(kind="listen")
    assert state["lost"]["is_current"]
    assert state["lost"]["n_lost"] > 0, state["lost"]
    heard = Listening.objects.get()
    assert len(heard.chunks) >= 1
    again = work(kind="listen")
    assert again["lost"]["passages"] == state["lost"]["passages"]
    state = work(kind="hear", is_again=True)
    assert [speaker["name"] for speaker in state["speakers"]] == ["voice"]
    assert recorded.edits.filter(state=EditState.DONE).count() == recorded.edits.count()
