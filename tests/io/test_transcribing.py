"""Words and voices by the packaged models, on voices whose text is known: the demo's, and recorded prompts."""

import json
import subprocess
import sys
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile
import soxr

from recitant_core.errors import WordsUnavailable
from recitant_core.transcript.alignment import word_errors
from recitant_core.transcript.model import Transcript, running_text
from recitant_core.transcript.spelling import plain_words
from recitant_io.hearing.transcriber import model_folder, transcriber, words_of
from recitant_io.hearing.transcripts import recording_words, speakers_told_apart
from signals import MemorySource

DEMO = Path(__file__).parents[2] / "demo"
DATA = Path(__file__).parents[1] / "data"
S = 48_000


def memory(audio: np.ndarray, key: str = "memory") -> MemorySource:
    """A mono recording in memory."""
    return MemorySource(key, audio.astype(np.float32).reshape(-1, 1))


@dataclass
class Takes:
    """The demo's takes one after the other, what is said, and who says it where."""

    source: MemorySource
    text: str
    people: list[tuple[int, int, str]]
    onsets: list[int]


@pytest.fixture(scope="module")
def takes() -> Takes:
    """Every take of the demo, half a second apart."""
    parts, people, onsets, at = [], [], [], 0
    script = json.loads((DEMO / "script.json").read_text())["takes"]
    for take in script:
        audio, rate_hz = soundfile.read(DEMO / "voices" / f"{take['name']}.flac")
        audio = soxr.resample(audio, rate_hz, S)
        people.append((at, at + len(audio), take["voice"]))
        level = np.sqrt((audio[: len(audio) // 480 * 480].reshape(-1, 480) ** 2).mean(axis=1))
        onsets.append(at + int(np.argmax(level > 10 ** (-45 / 20))) * 480)
        parts += [audio, np.zeros(S // 2)]
        at += len(audio) + S // 2
    return Takes(memory(np.concatenate(parts)), " ".join(take["text"] for take in script), people, onsets)


@pytest.fixture(scope="module")
def heard(takes: Takes) -> Transcript:
    """What the packaged model hears of them."""
    return recording_words(takes.source, transcriber(None))


def test_nineteen_words_of_twenty_are_heard(takes: Takes, heard: Transcript) -> None:
    errors = word_errors(plain_words(takes.text), plain_words(running_text(heard.words)))
    assert errors.n_reference > 200
    assert errors.share < 0.06
    assert heard.language == "en"


def test_every_take_begins_within_a_tenth_of_a_second(takes: Takes, heard: Transcript) -> None:
    for (start, end, _), onset in zip(takes.people, takes.onsets, strict=True):
        first = next(word for word in heard.words if start < (word.start_sample + word.end_sample) // 2 < end)
        assert abs(first.start_sample - onset) < 0.1 * S


def test_people_are_told_apart_and_their_number_found(takes: Takes, heard: Transcript) -> None:
    words = speakers_told_apart({"k": heard.words}, {"k": takes.source})["k"]
    assert {word.speaker for word in words} == {"1", "2", "3"}
    by_person: dict[str, Counter[str]] = {}
    for word in words:
        middle = (word.start_sample + word.end_sample) // 2
        person = next(name for start, end, name in takes.people if start <= middle < end + S // 2)
        by_person.setdefault(person, Counter())[word.speaker] += 1
    right = sum(counter.most_common(1)[0][1] for counter in by_person.values())
    assert right / len(words) > 0.95
    assert len({counter.most_common(1)[0][0] for counter in by_person.values()}) == 3


def test_one_person_stays_one_and_a_number_that_is_given_is_kept(takes: Takes, heard: Transcript) -> None:
    narrator = [word for word in heard.words if word.end_sample < takes.people[5][1]]
    assert {w.speaker for w in speakers_told_apart({"k": tuple(narrator)}, {"k": takes.source})["k"]} == {"1"}
    two = speakers_told_apart({"k": heard.words}, {"k": takes.source}, 2)["k"]
    assert {word.speaker for word in two} == {"1", "2"}


def test_a_person_is_the_same_in_two_recordings(takes: Takes, heard: Transcript) -> None:
    half = len(heard.words) // 3
    words = {"a": heard.words[:half], "b": tuple(w for w in heard.words if w.start_sample > takes.people[13][0])}
    found = speakers_told_apart(words, {"a": takes.source, "b": takes.source})
    assert {word.speaker for word in found["a"]} == {word.speaker for word in found["b"]} == {"1"}


@pytest.mark.parametrize("file", ["music-calm.ogg", "fire-ambience.ogg"])
def test_music_and_fire_hold_no_words(file: str) -> None:
    audio, rate_hz = soundfile.read(DATA / file, always_2d=True)
    assert recording_words(memory(soxr.resample(audio.mean(axis=1), rate_hz, S)), transcriber(None)).words == ()


def test_silence_holds_no_words() -> None:
    assert recording_words(memory(np.zeros(5 * S)), transcriber(None)) == Transcript((), "")


def test_a_folder_that_is_no_model_and_a_language_it_cannot_hear_are_refused(tmp_path: Path, takes: Takes) -> None:
    with pytest.raises(WordsUnavailable, match="not_a_words_model"):
        model_folder(tmp_path)
    for name in ("config.json", "model.bin", "tokenizer.json"):
        (tmp_path / name).write_text("{}")
    with pytest.raises(WordsUnavailable, match="words_model_not_loaded"):
        transcriber(tmp_path)
    with pytest.raises(WordsUnavailable, match="model_is_english"):
        recording_words(takes.source, transcriber(None), "fr")


def command(*arguments: object) -> subprocess.CompletedProcess[str]:
    """Run ./recitant words."""
    call = [sys.executable, "-m", "recitant_cli", "words", *map(str, arguments)]
    return subprocess.run(call, capture_output=True, text=True, check=False)


def a_plan(folder: Path, music_db: float) -> Path:
    """A short take under music."""
    voice, rate_hz = soundfile.read(DEMO / "voices" / "narration-04.flac")
    soundfile.write(folder / "voice.wav", soxr.resample(voice, rate_hz, S), S)
    music, rate_hz = soundfile.read(DATA / "music-calm.ogg")
    soundfile.write(folder / "music.wav", soxr.resample(music, rate_hz, S), S)
    clip = {"at_s": 0.5}
    tracks = [
        {"name": "Voice", "role": "narration", "clips": [clip | {"file": "voice.wav"}]},
        {"name": "The pour", "role": "music", "gain_db": music_db, "clips": [{"at_s": 0, "file": "music.wav"}]},
    ]
    path = folder / "plan.json"
    path.write_text(json.dumps({"plan": 1, "title": "T", "frame_rate": "25", "tracks": tracks}))
    return path


def test_the_command_line_gives_words_captions_and_text(tmp_path: Path) -> None:
    plan = a_plan(tmp_path, -30.0)
    out = command(plan, "--json", "--captions", tmp_path / "c.vtt", "--text", tmp_path / "t.txt")
    data = json.loads(out.stdout)
    first = data["words"][0]
    assert (first["text"], first["clip"], first["speaker"]) == ("The", "voice", "Speaker 1")
    assert 0.5 < first["start_s"] < 1.5 and first["end_s"] > first["start_s"]
    assert "stop" in data["turns"][0]["text"]
    assert (tmp_path / "c.vtt").read_text().startswith("WEBVTT")
    assert "Speaker 1: The p" in (tmp_path / "t.txt").read_text()


def test_words_that_loud_music_covers_are_lost_and_the_cause_is_named(tmp_path: Path) -> None:
    clear = command(a_plan(tmp_path, -30.0), "--lost", "--json")
    assert clear.returncode == 0, clear.stdout + clear.stderr
    assert json.loads(clear.stdout)["can_judge"]
    loud = command(a_plan(tmp_path, 14.0), "--lost", "--json")
    data = json.loads(loud.stdout)
    assert loud.returncode == 1
    assert data["n_lost"] >= 5
    assert "The pour" in data["lost"][0]["cause"]


def test_what_cannot_be_done_is_said(tmp_path: Path) -> None:
    out = command(tmp_path / "no.wav")
    assert (out.returncode, "no.wav is not there" in out.stderr) == (2, True)
    out = command(DATA / "prompts-en.ogg", "--captions", tmp_path / "c.doc")
    assert (out.returncode, "no caption file" in out.stderr) == (2, True)
    out = command(DATA / "prompts-en.ogg", "--model", tmp_path)
    assert (out.returncode, "model.bin" in out.stderr) == (2, True)


def test_parts_of_a_compound_are_one_word():
    told = [(" The", 0.0, 0.2, 0.9), (" ill", 0.2, 0.4, 0.9), ("-disposed", 0.4, 0.9, 0.8), (" - he", 1.0, 1.2, 0.7)]
    found = words_of([SimpleNamespace(word=w, start=a, end=b, probability=p) for w, a, b, p in told])
    assert [word.text for word in found] == ["The", "ill-disposed", "- he"]
    assert found[1].confidence == 0.8 and found[1].start_sample < found[1].end_sample <= found[2].start_sample
