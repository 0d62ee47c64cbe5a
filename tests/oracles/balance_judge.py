"""A judge of balances that reads only stems as they came, stems as they were written, and where speech is known to be.

It shares no code with the program. K-weighting by the coefficients of ITU-R BS.1770-5 Annex 1, tables 1 and 2 (48 kHz).
Definitions: docs/standards/balance.md.
"""

import json
from dataclasses import dataclass, field

import numpy as np
import soundfile
from scipy.signal import butter, lfilter, sosfilt

RATE = 48_000
HOP = 480
SHELF = ([1.53512485958697, -2.69169618940638, 1.19839281085285], [1.0, -1.69065929318241, 0.73248077421585])
HIGH_PASS = ([1.0, -2.0, 1.0], [1.0, -1.99004745483398, 0.99007225036621])
AUDIBLE_LU = 25.0
JOINED_S = 0.6
LOWS_HZ = (60.0, 350.0)  # room in the spectrum leaves these alone: their gain is that of the stem
STILL_DB = 0.3  # a gain that wanders by less has not moved


@dataclass
class StemFigures:
    """Of one stem that is no dialogue."""

    depth_db: float
    travel_db: float
    lift_db: float


@dataclass
class Figures:
    """Of a balance."""

    phrase_sd: float
    phrase_worst: float
    clear_7: float
    clear_4: float
    integrated: float
    stems: dict = field(default_factory=dict)


def hop_energy(audio):
    weighted = audio.T
    for b, a in (SHELF, HIGH_PASS):
        weighted = lfilter(b, a, weighted)
    power = (weighted**2).sum(axis=0)
    n = len(power) // HOP
    return power[: n * HOP].reshape(n, HOP).sum(axis=1)


def band_energy(audio, band_hz):
    """10 ms energies of a band, without weighting."""
    power = (sosfilt(butter(4, band_hz, "bandpass", fs=RATE, output="sos"), audio, axis=0) ** 2).sum(axis=1)
    n = len(power) // HOP
    return power[: n * HOP].reshape(n, HOP).sum(axis=1)


def windowed(energy, hops):
    total = np.concatenate([[0.0], np.cumsum(energy)])
    at = np.arange(len(energy))
    first, last = np.maximum(0, at - hops // 2), np.minimum(len(energy), at + hops // 2)
    return (total[last] - total[first]) / ((last - first) * HOP)


def lufs(power):
    return -0.691 + 10.0 * np.log10(np.maximum(power, 1e-12))


def phrases(known):
    found = []
    for begin, end in sorted(known):
        if found and begin - found[-1][1] < JOINED_S:
            found[-1][1] = max(end, found[-1][1])
        else:
            found.append([begin, end])
    return found


def clearances(dialogue, rest, speech):
    """Of each 400 ms, ten a second, that is half speech and no more than 10 LU under the middle of such, in LU."""
    spoken, others = lufs(windowed(dialogue, 40)[::10]), lufs(windowed(rest, 40)[::10])
    inside = windowed(speech.astype(float), 40)[::10] * HOP >= 0.5
    counts = inside & (spoken >= np.median(spoken[inside]) - 10.0)
    return spoken[counts] - others[counts]


def judged(came, folder, known, spec="ebu-r128"):
    """Figures of a delivery.

    came: stems as they came, float32 (frames, channels) by role; folder: of the delivery; known: (begin, end) of
    each stretch of speech in seconds.
    """
    written = {r: soundfile.read(folder / f"stem-{r}-{spec}.wav", dtype="float32", always_2d=True)[0] for r in came}
    new = {role: hop_energy(audio) for role, audio in written.items()}
    n = min(map(len, new.values()))
    speech = np.zeros(n, bool)
    for begin, end in known:
        speech[int(begin * 100) : int(end * 100)] = True
    levels = []
    for begin, end in phrases(known):
        energy = new["dialogue"][int(begin * 100) : int(end * 100)]
        levels.append(lufs(energy[energy > 0.1 * energy.mean()].mean() / HOP))
    levels = np.array(levels)
    clear = clearances(new["dialogue"][:n], sum((new[r][:n] for r in came if r != "dialogue"), np.zeros(n)), speech)
    report = json.loads((folder / "report.json").read_text())
    # What turned the whole programme is no lift of one stem.
    turned = report["programme_gain_db"] + report["deliveries"][0]["gain_db"]
    stems = {
        r: _stem(band_energy(came[r], LOWS_HZ)[:n], band_energy(written[r], LOWS_HZ)[:n], speech, turned)
        for r in came
        if r != "dialogue"
    }
    return Figures(
        float(levels.std()),
        float(np.abs(levels - levels.mean()).max()),
        float((clear >= 7.0).mean()),
        float((clear >= 4.0).mean()),
        report["deliveries"][0]["integrated_lufs"],
        stems,
    )


def _stem(old, new, speech, turned):
    before, after = windowed(old, 20), windowed(new, 20)
    audible = lufs(before) > max(lufs(np.quantile(before, 0.95)) - AUDIBLE_LU, -75.0)
    gain = 10.0 * np.log10(np.maximum(after[audible], 1e-12) / before[audible]) - turned
    spoken = gain[speech[audible]]
    depth = float(np.quantile(gain, 0.95) - np.quantile(spoken, 0.05)) if len(spoken) else 0.0
    counted = ~_part_returns(new, old, speech, turned)[audible]
    travel, last = 0.0, gain[0]
    for value, counts in zip(gain[::10], counted[::10], strict=True):
        if abs(value - last) > STILL_DB:
            travel, last = travel + abs(value - last) * counts, value
    return StemFigures(depth, float(travel / (len(old) / 6_000)), float(gain.max()))


def _part_returns(new, old, speech, turned):
    """Pauses of five seconds and more in which a stem comes up and not all of the way: no travel is counted there."""
    gain = 10.0 * np.log10(np.maximum(windowed(new, 20), 1e-12) / np.maximum(windowed(old, 20), 1e-12)) - turned
    top = np.quantile(gain, 0.98)
    found = np.zeros(len(speech), bool)
    edges = np.flatnonzero(np.diff(np.concatenate([[1], speech.astype(int), [1]])))
    for first, last in edges.reshape(-1, 2).tolist():
        if last - first >= 500 and gain[first:last].max() < top - 1.0:
            found[first:last] = True
    return found
