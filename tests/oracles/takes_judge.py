"""A judge of takes that follow each other: their tone by scipy's Welch estimate, and the noise on both sides of a cut.

It shares no code with the program.
"""

from itertools import pairwise

import numpy as np
from scipy.signal import welch

from oracles.balance_judge import RATE

GROUPS_HZ = ((80, 200), (200, 500), (500, 2_000), (2_000, 5_000), (5_000, 7_500))


def tone_db(audio):
    """Level of each band group of a take against that from 500 Hz to 2 kHz, in dB: (groups,)."""
    freq_hz, power = welch(audio[:, 0], RATE, nperseg=4_096)
    levels = [10 * np.log10(power[(low <= freq_hz) & (freq_hz < high)].mean()) for low, high in GROUPS_HZ]
    return np.array(levels) - levels[2]


def tone_steps(speech, stem):
    """Largest difference of a band group between each take and the next, in dB."""
    tones = [tone_db(stem[int(a * RATE) : int(b * RATE)]) for a, b in speech]
    return [float(np.abs(b - a).max()) for a, b in pairwise(tones)]


def floor_steps(speech, stem):
    """Largest change of the noise within 0.2 s from the end of each take's words to the next take's, in dB."""
    steps = []
    for (_, end), (begin, _) in pairwise(speech):
        part = stem[int((end + 0.1) * RATE) : int((begin - 0.05) * RATE), 0]
        power = (part[: len(part) // 4_800 * 4_800].reshape(-1, 4_800) ** 2).mean(axis=1)
        level = 10 * np.log10(power + 1e-20)
        steps.append(float(np.abs(level[2:] - level[:-2]).max()))
    return steps
