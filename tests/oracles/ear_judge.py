"""A judge of what a first balance did to speech, from stems as they came, as they were written, and the known truth.

It shares no code with the program; K-weighting as in balance_judge. A stem is pure gain, so that the gain at a moment
is the quotient of both energies.
"""

import json
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import soundfile

from oracles.balance_judge import HOP, LOWS_HZ, band_energy, hop_energy, lufs, windowed

STILL_DB = 25.0  # a gain may move where the sound lies so far under its phrase
OVER_NOISE_DB = 4.0
GAP_HOPS = 4
RATE_HOPS = 20  # a speed is that over 0.2 s
LONG_PAUSE_S = 0.5
CONSONANTS_HZ = (1_600.0, 2_500.0)  # the middle of the band in which room is made
RUN_S = 4.0  # pauses under it are part of a run of talk
HEARD_LUFS = -60.0  # noise under it is not heard in a programme at -23
COVERED_LU = 3.0  # and noise so far under what else sounds neither


@dataclass
class Heard:
    """Figures of one programme; levels in LU about the middle of all phrases, gains in dB."""

    integrated: float
    speech_lufs: float | None
    phrases: list = field(default_factory=list)
    """(kind, LU as it came, LU as written) of each known phrase."""
    moved_inside: list = field(default_factory=list)
    """By how much the gain moves inside a sound of each phrase, and how fast, in dB a second."""
    floor_steps: list = field(default_factory=list)
    """Change that the gain makes to the noise from one pause to the next where it is heard, in dB."""
    others: list = field(default_factory=list)
    """(kind, LUFS as written, its gain, gains of the phrases beside it)."""
    returns: list = field(default_factory=list)
    """(seconds of pause, dip in dB, highest gain in the pause over the dip)."""

    @property
    def order_kept(self):
        """Share of pairs of phrases, 1 LU and more apart as they came, that kept their order."""
        pairs = [(a, b) for i, a in enumerate(self.phrases) for b in self.phrases[i + 1 :] if abs(a[1] - b[1]) >= 1.0]
        kept = [(a[1] - b[1]) * (a[2] - b[2]) > 0.0 for a, b in pairs]
        return float(np.mean(kept)) if kept else 1.0

    @property
    def furthest(self):
        """Furthest phrase from the middle."""
        return max((abs(p[2]) for p in self.phrases), default=0.0)


def read(folder, role, spec="ebu-r128"):
    return soundfile.read(folder / f"stem-{role}-{spec}.wav", dtype="float32", always_2d=True)[0]


def loud_power(energy):
    """Mean power of the hops within 10 dB of their mean."""
    return float(energy[energy > 0.1 * energy.mean()].mean() / HOP) if len(energy) and energy.any() else 0.0


def floor_under_words(case, audio):
    """Level of the pauses of over 0.6 s against that of the speech, in LU."""
    energy = hop_energy(audio)
    spoken = sorted((begin, end) for begin, end, *_ in case.speech)
    words = np.concatenate([energy[int(a * 100) : int(b * 100)] for a, b in spoken])
    gaps = [(a, b) for (_, a), (b, _) in pairwise(spoken) if b - a > 0.6]
    pauses = np.concatenate([energy[int((a + 0.25) * 100) : int((b - 0.15) * 100)] for a, b in gaps])
    return float(lufs(np.median(pauses) / HOP) - lufs(loud_power(words)))


def gated_lufs(energy):
    """Integrated loudness of 10 ms energies by both gates of BS.1770."""
    total = np.concatenate([[0.0], np.cumsum(energy)])
    blocks = (total[40:] - total[:-40])[::10] / (40 * HOP)
    blocks = blocks[lufs(blocks) > -70.0]
    return float(lufs(blocks[blocks > 0.1 * blocks.mean()].mean()))


def heard(case, folder):
    """Figures of a delivery of a case."""
    report = json.loads((folder / "report.json").read_text())
    role = next(r for r in case.stems if r in ("dialogue", "narration"))
    came, new = hop_energy(case.stems[role]), hop_energy(read(folder, role))
    n = min(len(came), len(new))
    came, new = came[:n], new[:n]
    smooth = windowed(came, 5)
    with np.errstate(divide="ignore", invalid="ignore"):
        gain = 10.0 * np.log10(np.maximum(windowed(new, 5), 1e-14) / np.maximum(smooth, 1e-14))
    found = Heard(report["deliveries"][0]["integrated_lufs"], None)
    speech = np.zeros(n, bool)
    levels, noise = [], float(np.quantile(smooth, 0.05))
    for begin, end, _, kind in case.speech:
        a, b = int(begin * 100), min(n, int(end * 100))
        speech[a:b] = True
        levels.append((kind, lufs(loud_power(came[a:b])), lufs(loud_power(new[a:b]))))
        found.moved_inside.append(_moved_inside(smooth[a:b], gain[a:b], noise))
    if levels:
        usual = [one for one in levels if one[0] == "usual"] or levels
        middle = [np.median([one[i] for one in usual]) for i in (1, 2)]
        found.phrases = [(kind, float(was - middle[0]), float(now - middle[1])) for kind, was, now in levels]
        found.speech_lufs = float(lufs(loud_power(new[speech])))
    rest = sum((hop_energy(read(folder, r))[:n] for r in case.stems if r != role), np.zeros(n))
    found.floor_steps = _floor_steps(case, came, rest, gain)
    for begin, end, kind in case.others:
        a, b = int(begin * 100), min(n, int(end * 100))
        inside = slice(a + 2, max(a + 3, b - 2))
        before = [int(e * 100) for s, e, *_ in case.speech if e <= begin]
        after = [int(s * 100) for s, *_ in case.speech if s >= end]
        beside = [float(gain[max(before) - 30]) if before else None, float(gain[min(after) + 30]) if after else None]
        level = float(lufs(windowed(new, 40)[a:b].max()))
        found.others.append((kind, level, float(np.max(gain[inside])), [one for one in beside if one is not None]))
    if "music" in case.stems:
        music = [band_energy(audio, LOWS_HZ) for audio in (case.stems["music"], read(folder, "music"))]
        found.returns = _returns(case, *music)
    return found


def stem_gain(came, new):
    """Gain of a stem by its lows in dB, which room in the spectrum leaves alone: by 10 ms, smoothed over 0.4 s."""
    return _gain(came, new, LOWS_HZ)


def room(case, folder, role):
    """Room in the spectrum of a stem: of each run of talk its depth in dB and by how much it wanders there, and of each
    pause what is left of it in its middle."""
    came, new = case.stems[role], read(folder, role)
    n = min(len(came), len(new))
    depth = _gain(came[:n], new[:n], CONSONANTS_HZ) - stem_gain(came[:n], new[:n])
    runs = []
    for begin, end in sorted((begin, end) for begin, end, *_ in case.speech):
        if runs and begin - runs[-1][1] < RUN_S:
            runs[-1][1] = end
        else:
            runs.append([begin, end])
    inside = [depth[int((a + 0.3) * 100) : int((b - 0.3) * 100)] for a, b in runs]
    between = [depth[int((a + b) * 50) - 20 : int((a + b) * 50) + 20] for (_, a), (b, _) in pairwise(runs)]
    return (
        [(float(np.median(part)), float(np.quantile(np.abs(part - np.median(part)), 0.95))) for part in inside],
        [float(np.median(part)) for part in between if len(part)],
    )


def _gain(came, new, band_hz):
    both = [np.maximum(windowed(band_energy(audio.mean(axis=1)[:, None], band_hz), 40), 1e-13) for audio in (new, came)]
    return 10.0 * np.log10(both[0] / both[1])


def _moved_inside(power, gain, noise):
    # Sounds of a phrase: what lies above 25 dB under its loud part and over the noise, without a gap.
    loud = np.sort(power)[-max(1, len(power) // 20)]
    sounding = power > max(loud * 10 ** (-STILL_DB / 10), noise * 10 ** (OVER_NOISE_DB / 10))
    edges = np.flatnonzero(np.diff(np.concatenate([[0], sounding.astype(int), [0]])))
    runs = []
    for a, b in edges.reshape(-1, 2).tolist():
        if runs and a - runs[-1][1] < GAP_HOPS:
            runs[-1][1] = b
        else:
            runs.append([a, b])
    moved, fastest = 0.0, 0.0
    for a, b in runs:
        part = gain[a + 2 : b - 2]  # energies of five hops lie over the edges
        if len(part) > 1:
            moved = max(moved, float(part.max() - part.min()))
            step = min(RATE_HOPS, len(part) - 1)
            fastest = max(fastest, float(np.abs(part[step:] - part[:-step]).max() * 100 / step))
    return moved, fastest


def _floor_steps(case, came, rest, gain):
    taken = sorted([(s, e) for s, e, *_ in case.speech] + [(s, e) for s, e, *_ in case.others])
    steps, last = [], None
    for (_, e), (s, _) in pairwise(taken):
        if s - e < LONG_PAUSE_S:
            continue
        a, b = int((e + 0.2) * 100), int((s - 0.1) * 100)
        floor, now = lufs(np.quantile(came[a:b], 0.3) / HOP), float(np.median(gain[a:b]))
        covered = lufs(np.quantile(rest[a:b], 0.3) / HOP) - COVERED_LU
        if floor + now > max(HEARD_LUFS, covered):
            if last is not None:
                # What the recording itself does is none of the gain's doing.
                steps.append(float(min(abs(floor + now - sum(last)), abs(now - last[1]))))
            last = (floor, now)
        else:
            last = None
    return steps


def _returns(case, came, new):
    n = min(len(came), len(new))
    gain = 10.0 * np.log10(np.maximum(windowed(new, 20)[:n], 1e-12) / np.maximum(windowed(came, 20)[:n], 1e-12))
    heard_here = lufs(windowed(came, 20)[:n]) > -70.0
    found = []
    spoken = sorted((s, e) for s, e, *_ in case.speech)
    everything = np.quantile(gain[heard_here], 0.98) if heard_here.any() else 0.0
    for (_, e), (s, _) in pairwise(spoken):
        a, b = int(e * 100), int(s * 100)
        under = float(np.median(np.concatenate([gain[max(0, a - 150) : a - 20], gain[b + 20 : b + 150]])))
        found.append((s - e, float(everything - under), float(gain[a : max(a + 1, b)].max() - under)))
    return found
