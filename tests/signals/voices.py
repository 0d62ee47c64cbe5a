"""Recorded voices of the tests' data, near and from afar."""

from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, fftconvolve, sosfilt

from recitant_core.units.clock import RATE_HZ as S

DATA = Path(__file__).resolve().parents[1] / "data"


def voice(name):
    """A recording of the tests' data at 48 kHz, float32 (frames,)."""
    audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
    return soxr.resample(audio.mean(axis=1), rate_hz, S)


def from_afar(audio, lead_s, noise_db, seed=1):
    """As a camera across the room has it: dull, with reverberation and noise, begun some seconds earlier or later."""
    rng = np.random.default_rng(seed)
    n = int(0.4 * S)
    room = rng.standard_normal(n) * np.exp(-6.9 * np.arange(n) / n)
    room /= np.sqrt((room**2).sum())
    room[0] += 1.0
    dull = sosfilt(butter(2, [200, 3_000], "bandpass", fs=S, output="sos"), fftconvolve(audio, room)[: len(audio)])
    noise = 10.0 ** (noise_db / 20.0) * np.sqrt((dull**2).mean())
    lead = round(lead_s * S)
    dull = np.concatenate([np.zeros(lead), dull]) if lead >= 0 else dull[-lead:]
    return dull + noise * rng.standard_normal(len(dull))
