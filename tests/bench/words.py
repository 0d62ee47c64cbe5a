"""Words, people and lost words on recordings whose text is known: ./recitant bench words [--write].

Text is known of the reading in tests/data and of the demo's takes; voices of people come from Debian packages with free
licences, fetched into var/bench. Written to docs/benchmarks-words.md.
"""

import json
import subprocess
import sys
import time
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import soundfile
import soxr
from pystoi import stoi
from scipy.optimize import linear_sum_assignment
from scipy.stats import spearmanr

PROJECT = Path(__file__).parents[2]
sys.path.insert(0, str(PROJECT / "tests"))

from bench.speech import recording  # noqa: E402  the path above comes first
from recitant_core.speakers.grouping import groups_of, voice_windows, with_speakers  # noqa: E402
from recitant_core.timeline.model import Clip, Plan, Track  # noqa: E402
from recitant_core.timeline.word_cuts import parted_by_speaker  # noqa: E402
from recitant_core.transcript.alignment import aligned, word_errors  # noqa: E402
from recitant_core.transcript.lost import counted, heard_as_listener  # noqa: E402
from recitant_core.transcript.model import Word, running_text  # noqa: E402
from recitant_core.transcript.spelling import plain_words  # noqa: E402
from recitant_core.units.clock import SampleSpan  # noqa: E402
from recitant_core.units.roles import Role  # noqa: E402
from recitant_core.units.threads import use_threads  # noqa: E402
from recitant_io.hearing.listener import listening_chunks  # noqa: E402
from recitant_io.hearing.speech import speech_spans  # noqa: E402
from recitant_io.hearing.transcriber import transcriber  # noqa: E402
from recitant_io.hearing.transcripts import recording_words  # noqa: E402
from recitant_io.hearing.voices import voice_vectors  # noqa: E402
from recitant_io.media.machine import n_cores  # noqa: E402
from signals import MemorySource  # noqa: E402

DATA, DEMO = PROJECT / "tests" / "data", PROJECT / "demo"
FOLDER = PROJECT / "var" / "bench" / "voices"
PAGE = PROJECT / "docs" / "benchmarks-words.md"
PACKAGES = tuple(f"asterisk-core-sounds-{language}-g722" for language in ("en", "fr", "it", "ru"))
S = 48_000
DISTANCES_DB = (20, 10, 5, 0, -5)
EVERY_PROMPT = 12


def memory(audio: np.ndarray, key: str = "memory") -> MemorySource:
    """A mono recording in memory."""
    return MemorySource(key, audio.astype(np.float32).reshape(-1, 1))


def spoken() -> tuple[np.ndarray, list[str], list[tuple[str, float, float]]]:
    """The reading and the demo's takes one after the other, their words, and the times of those that have some."""
    reading, rate_hz = soundfile.read(DATA / "reading.flac")
    timed = [tuple(row) for row in json.loads((DATA / "reading.json").read_text())]
    parts, words = [soxr.resample(reading, rate_hz, S)], [text for text, _, _ in timed]
    for take in json.loads((DEMO / "script.json").read_text())["takes"]:
        audio, rate_hz = soundfile.read(DEMO / "voices" / f"{take['name']}.flac")
        parts += [soxr.resample(audio, rate_hz, S), np.zeros(S * 3 // 4)]
        words += plain_words(take["text"])
    audio = np.concatenate([part * 0.05 / max(1e-9, np.sqrt(np.mean(part**2))) for part in parts])
    return audio, [{"mister": "mr"}.get(word, word) for word in words], timed  # type: ignore[return-value]


def noises(n: int) -> dict[str, np.ndarray]:
    """Recorded music, a recorded fire, and a fan (low-passed noise, made), each at the level of the speech."""
    rng = np.random.default_rng(9)
    found = {"music": recording(DATA / "music-calm.ogg"), "fire": recording(DATA / "fire-ambience.ogg")}
    found["fan"] = np.convolve(rng.standard_normal(n + 63), np.ones(64) / 64, "valid")
    return {name: np.resize(one, n) * 0.05 / np.sqrt(np.mean(one**2)) for name, one in found.items()}


def word_rows(audio: np.ndarray, words: list[str], timed: list[tuple[str, float, float]]) -> list[str]:
    """Word errors clean and under noise at 10 dB, and how far words begin from where they are said."""
    rows = []
    for name, noise in [("clean", np.zeros(len(audio))), *noises(len(audio)).items()]:
        heard = recording_words(memory(audio + noise * 10 ** (-10 / 20)), transcriber(None))
        share = word_errors(words, plain_words(running_text(heard.words))).share
        spelled = [(plain_words(word.text) or [""])[0] for word in heard.words]
        pairs = [pair for pair in aligned([text for text, _, _ in timed], spelled) if pair.is_same]
        late = [abs(heard.words[p.heard].start_sample / S - timed[p.reference][1]) for p in pairs]  # type: ignore[index]
        middle, most = (1000 * np.quantile(late, part) for part in (0.5, 0.9))
        condition = name if name == "clean" else f"{name} 10 dB under the speech"
        rows.append(f"| {condition} | {100 * share:.1f} % | {middle:.0f} ms | {most:.0f} ms |")
    return rows


def lost_rows(audio: np.ndarray) -> tuple[list[str], bool]:
    """Share of steady words that are lost at each distance, with extended STOI, and whether both agree in order."""
    source = memory(audio)
    energy = (audio[: len(audio) // 480 * 480].reshape(-1, 480) ** 2).mean(axis=1)
    spans = [span.span for span in speech_spans(source, energy)]

    def part(of: np.ndarray) -> Callable[[SampleSpan], np.ndarray]:
        return lambda span: of[span.start_sample : span.end_sample]

    chunks = listening_chunks(part(audio), spans)
    rows, agree = [], True
    for name, noise in noises(len(audio)).items():
        shares, scores = [], []
        for distance_db in DISTANCES_DB:
            mix = audio + noise * 10 ** (-distance_db / 20)
            count = counted(heard_as_listener(part(audio), part(mix), chunks, transcriber(None), "en"))
            shares.append(count.n_lost / max(1, count.n_steady))
            scores.append(float(stoi(*(soxr.resample(one, S, 10_000) for one in (audio, mix)), 10_000, extended=True)))
        rises = all(a <= b + 0.01 for a, b in pairwise(shares))
        agree = agree and rises and float(spearmanr(shares, scores).statistic) < -0.89
        lost = " | ".join(f"{100 * share:.0f} % ({score:.2f})" for share, score in zip(shares, scores, strict=True))
        rows.append(f"| {name} | {lost} |")
    return rows, agree


def people() -> dict[str, list[np.ndarray]]:
    """Prompts of four people, and the three voices of the demo, by name."""
    if not FOLDER.exists():
        FOLDER.mkdir(parents=True)
        subprocess.run(["apt-get", "download", *PACKAGES], cwd=FOLDER, check=True, capture_output=True)
        for package in FOLDER.glob("*.deb"):
            subprocess.run(["dpkg-deb", "-x", str(package), str(FOLDER)], check=True)
    found: dict[str, list[np.ndarray]] = {}
    for folder in sorted((FOLDER / "usr/share/asterisk/sounds").glob("*_*_*")):
        prompts = [path for path in sorted(folder.rglob("*.g722")) if 30_000 < path.stat().st_size < 80_000]
        found[folder.name.split("_")[-1]] = [recording(path) for path in prompts[:EVERY_PROMPT]]
    for take in json.loads((DEMO / "script.json").read_text())["takes"]:
        found.setdefault(take["voice"], []).append(recording(DEMO / "voices" / f"{take['name']}.flac"))
    return found


def speaker_rows() -> list[str]:
    """Share of words that are given to another person, with the number of people known and estimated."""
    voices = people()
    recorded = [name for name in voices if name[0].isupper()]
    made = [name for name in voices if name not in recorded]
    rows = []
    for names in (recorded[:2], recorded, made, [*recorded, *made]):
        rng = np.random.default_rng(3)
        order = [(name, audio) for name in names for audio in voices[name]]
        rng.shuffle(order)  # type: ignore[arg-type]
        parts, words, truth, at = [], [], [], 0
        for name, audio in order:
            level = 10 * np.log10((audio[: len(audio) // 480 * 480].reshape(-1, 480) ** 2).mean(axis=1) + 1e-12)
            sounding = np.flatnonzero(level > -45)
            if not len(sounding):
                continue
            for start in range(at + int(sounding[0]) * 480, at + int(sounding[-1]) * 480, 16_800):
                words.append(Word("w", start, start + 16_800))
                truth.append(name)
            parts += [audio, np.zeros(14_400, np.float32)]
            at += len(audio) + 14_400
        source, windows = memory(np.concatenate(parts)), voice_windows(words)
        vectors = voice_vectors(source, windows)
        shown = []
        for number in (len(names), None):
            groups = groups_of(vectors, number)
            told = with_speakers(words, windows, vectors, groups, [str(k) for k in range(len(groups))])
            pairs = [(word.speaker, name) for word, name in zip(told, truth, strict=True)]
            table = np.array([[pairs.count((str(k), name)) for name in names] for k in range(len(groups))])
            right = table[linear_sum_assignment(-table)].sum()
            shown.append(f"{100 * (1 - right / len(words)):.1f} % ({len(groups)})")
        rows.append(f"| {', '.join(names)} | {len(words)} | {shown[0]} | {shown[1]} |")
    return rows


def speed_rows(audio: np.ndarray) -> tuple[list[str], list[bool]]:
    """An hour heard on all cores, voices and all, and an hour parted by person."""
    hour = memory(np.resize(audio, 3_600 * S))
    began = time.perf_counter()
    heard = recording_words(hour, transcriber(None))
    words_s = time.perf_counter() - began
    windows = voice_windows(heard.words)
    vectors = voice_vectors(hour, windows)
    groups = groups_of(vectors)
    told = with_speakers(heard.words, windows, vectors, groups, [str(k) for k in range(len(groups))])
    voices_s = time.perf_counter() - began - words_s
    plan = Plan("p", "25", (Track("t", "Voice", Role.DIALOGUE, clips=(Clip("1", "k", 0, 0, hour.length_samples),)),))
    energy = np.ones(hour.length_samples // 480)
    began = time.perf_counter()
    parted, found = parted_by_speaker(plan, {"1": told}, {"k": energy})
    parted_s = time.perf_counter() - began
    n_clips = sum(len(track.clips) for track in parted.tracks)
    met = [words_s + voices_s <= 25 * 60, parted_s <= 5]
    return [
        f"| an hour of dialogue heard, {len(told)} words, {n_cores()} cores | 25 min "
        f"| {(words_s + voices_s) / 60:.1f} min ({voices_s:.0f} s of it for the voices) |",
        f"| that hour parted by {len(found)} people into {n_clips} clips, without rows | 5 s | {parted_s:.2f} s |",
    ], met


def main() -> int:
    """Print the page, or write it; exit 1 where a figure is missed."""
    use_threads(n_cores())
    audio, words, timed = spoken()
    lost, agree = lost_rows(audio)
    speed, met = speed_rows(audio)
    head = " | ".join(f"{d} dB" for d in DISTANCES_DB)
    page = "\n".join(
        [
            "# Words, people, lost words",
            "",
            "Made by `./recitant bench words --write`, with the small English model. Text is known of a reading of",
            "LibriVox (71 words) and of the demo's synthesised takes (226). The material is small, read or made:",
            "figures of spontaneous speech will be worse.",
            "",
            "| condition | word errors | words begin, in the middle | nine of ten within |",
            "| --- | --- | --- | --- |",
            *word_rows(audio, words, timed),
            "",
            "Words given to another person, the number of people known and estimated (in brackets: how many found).",
            "Whole prompts of each person follow one another at random; nobody speaks over anybody.",
            "",
            "| people | words | number known | estimated |",
            "| --- | --- | --- | --- |",
            *speaker_rows(),
            "",
            "Share of steady words lost in the mix by how far the noise lies under the speech, with extended STOI.",
            f"Both agree in order: {'yes' if agree else 'NO'}. An aid, not a measurement of people.",
            "",
            f"| noise | {head} |",
            f"| --- |{' --- |' * len(DISTANCES_DB)}",
            *lost,
            "",
            "| time | asked | reached |",
            "| --- | --- | --- |",
            *speed,
            "",
        ]
    )
    print(page)
    if "--write" in sys.argv:
        PAGE.write_text(page)
    return 0 if agree and all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
