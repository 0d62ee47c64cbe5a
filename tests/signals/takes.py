"""Takes of one speaker that do not match: other tone, level, noise and distance, cut hard one after the other.

Made of the demo's narration (docs/licences.md) through filters of scipy, so that nothing of the program makes them.
"""

import contextlib
import io
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, fftconvolve, sosfilt

from recitant_cli.__main__ import main
from recitant_core.render.mix import render_stems
from recitant_core.timeline.room_tone import covered_samples, repeated_tone
from recitant_core.timeline.tone_under_cuts import covers_of_track, with_cover
from recitant_core.units.roles import Role
from recitant_io.plan.plan_energies import dialogue_speech, plan_energies
from recitant_io.plan.plan_file import load_plan
from signals import MemorySource
from signals.balance import RATE, at_level, recorded

VOICES = Path(__file__).parents[2] / "demo" / "voices"
PAUSE_S = 0.8
LEAD_S = 0.6
# Level in dB, noise in dBFS, lows and highs in dB, and decay of the room in s (0 for none) of each take.
TAKES = (
    (-24.0, -62.0, 0.0, 0.0, 0.0),
    (-21.0, -54.0, 5.0, -5.0, 0.0),
    (-27.0, -64.0, -5.0, 2.0, 0.0),
    (-24.0, -58.0, 2.0, -6.0, 0.6),
    (-25.0, -62.0, 0.0, 0.0, 0.0),
    (-22.0, -55.0, -4.0, 4.0, 0.0),
)


@dataclass
class Takes:
    """Recordings of takes, float32 (frames, 1), and where their speech lies in the programme, in seconds."""

    audio: list
    starts_s: list
    speech: list

    @property
    def plan(self):
        """A plan that lays them one after the other with gaps between them, as data."""
        clips = [{"file": f"take {i + 1}.wav", "at_s": at} for i, at in enumerate(self.starts_s)]
        track = {"name": "narrator", "role": "dialogue", "clips": clips}
        return {"plan": 1, "title": "Takes apart", "frame_rate": "25", "tracks": [track]}

    def write(self, folder, rates_hz=(RATE,)):
        """Recordings, at these rates by turns, and plan in a folder; the plan's path."""
        folder.mkdir(parents=True, exist_ok=True)
        for index, audio in enumerate(self.audio):
            rate_hz = rates_hz[index % len(rates_hz)]
            soundfile.write(folder / f"take {index + 1}.wav", soxr.resample(audio, RATE, rate_hz), rate_hz, "FLOAT")
        (folder / "plan.json").write_text(json.dumps(self.plan))
        return folder / "plan.json"


def takes_apart():
    """Six takes of the narrator."""
    rng = np.random.default_rng(7)
    found, at = Takes([], [], []), 0.0
    for index, (level, noise_dbfs, lows_db, highs_db, decay_s) in enumerate(TAKES, 1):
        spoken = recorded(VOICES / f"narration-{index:02d}.flac")[:, 0].astype(np.float64)
        spoken = _shelves(spoken, lows_db, highs_db)
        if decay_s:
            spoken = _in_room(spoken, decay_s, rng)
        spoken = at_level(spoken[:, None].astype(np.float32), level)
        lead = np.zeros((int(LEAD_S * RATE), 1), np.float32)
        audio = np.concatenate([lead, spoken, lead])
        noise = sosfilt(butter(1, 2_000, fs=RATE, output="sos"), rng.standard_normal(len(audio)))
        audio += (noise * 10 ** (noise_dbfs / 20) / np.sqrt((noise**2).mean()))[:, None].astype(np.float32)
        found.audio.append(audio)
        found.starts_s.append(round(at, 3))
        found.speech.append((at + LEAD_S, at + LEAD_S + len(spoken) / RATE))
        at = round(at + len(audio) / RATE + PAUSE_S, 3)
    return found


def balanced(takes, folder, *more, rates_hz=(RATE,)):
    """Takes balanced and handed over by the command line: the report, and the dialogue as written."""
    path = takes.write(folder, rates_hz)
    wanted = ["--first-balance", "--spec", "ebu-r128", "--files", "mix,stems", "--out", str(folder / "out"), *more]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        assert main(["mix", str(path), *wanted]) <= 1
    stem = soundfile.read(folder / "out" / "stem-dialogue-ebu-r128.wav", dtype="float32", always_2d=True)[0]
    return json.loads((folder / "out" / "report.json").read_text()), stem


def with_room_tone(takes, folder):
    """The takes as a track, and with room tone under all its cuts: float64 (frames, 2) each."""
    with load_plan(takes.write(folder)) as loaded:
        energies = {key: found[:, :2].sum(axis=1) for key, found in plan_energies(loaded).items()}
        found = covers_of_track(loaded.plan.tracks[0], energies, dialogue_speech(loaded, plan_energies(loaded)))
        plan, sources = loaded.plan, dict(loaded.sources)
        for index, cover in enumerate(found.covers):
            stretch = cover.stretch.span
            quiet = sources[cover.stretch.model.source_key].read(stretch.start_sample, stretch.length_samples)
            tone = MemorySource(f"tone {index}", repeated_tone(quiet, covered_samples(cover.gap)))
            sources[tone.key] = tone
            plan = with_cover(plan, cover, tone.key, 0, f"new-{index}")
        return [render_stems(one, sources, one.span)[Role.DIALOGUE] for one in (loaded.plan, plan)]


def _shelves(audio, lows_db, highs_db):
    # A first-order shelf either side: what lies beyond added or taken off.
    low = sosfilt(butter(1, 220, fs=RATE, output="sos"), audio)
    high = sosfilt(butter(1, 3_500, "highpass", fs=RATE, output="sos"), audio)
    return audio + (10 ** (lows_db / 20) - 1.0) * low + (10 ** (highs_db / 20) - 1.0) * high


def _in_room(audio, decay_s, rng):
    n = int(1.2 * decay_s * RATE)
    tail = rng.standard_normal(n) * 10 ** (-3.0 * np.arange(n) / RATE / decay_s)
    tail[: RATE // 200] = 0.0
    tail *= 0.7 / np.sqrt((tail**2).sum())
    tail[0] = 1.0
    return fftconvolve(audio, tail)[: len(audio)]
