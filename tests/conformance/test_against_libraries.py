"""Agreement with two general-purpose libraries on recorded speech and music: within 0.1 LU and 0.2 dB.

libebur128 through pyebur128, and libavfilter's ebur128 through PyAV.
"""

import math
from pathlib import Path

import av
import numpy as np
import pyebur128
import pytest
import soundfile
import soxr

from recitant_core.measure.meter import measure
from recitant_core.units.channels import LAYOUTS
from signals import RATE_HZ, programme

DATA = Path(__file__).parents[1] / "data"


def _recorded(name):
    audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
    return np.ascontiguousarray(soxr.resample(audio, rate_hz, RATE_HZ), dtype=np.float32)


SIGNALS = {
    "speech": lambda: _recorded("speech-prompt.flac"),
    "music": lambda: _recorded("music-excerpt.ogg"),
    "wandering noise": lambda: programme(5, 30.0),
}


def _libebur128(audio):
    mode = pyebur128.MeasurementMode
    state = pyebur128.R128State(audio.shape[1], RATE_HZ, mode.MODE_I | mode.MODE_LRA | mode.MODE_TRUE_PEAK)
    if audio.shape[1] == 1:
        state.set_channel(0, pyebur128.ChannelType.CENTER)
    state.add_frames(np.ascontiguousarray(audio).ravel(), len(audio))
    peak = max(pyebur128.get_true_peak(state, channel) for channel in range(audio.shape[1]))
    return pyebur128.get_loudness_global(state), 20 * math.log10(peak)


def _libavfilter(audio):
    graph = av.filter.Graph()
    layout = {1: "mono", 2: "stereo"}[audio.shape[1]]
    source = graph.add_abuffer(sample_rate=RATE_HZ, format="flt", layout=layout, time_base="1/48000")
    meter = graph.add("ebur128", "peak=true:metadata=1:framelog=quiet")
    sink = graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    loudness = peak = None
    for start in range(0, len(audio), RATE_HZ):
        part = np.ascontiguousarray(audio[start : start + RATE_HZ]).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(part, format="flt", layout=layout)
        frame.sample_rate, frame.pts = RATE_HZ, start
        source.push(frame)
    source.push(None)
    while True:
        try:
            found = sink.pull()
        except (av.error.BlockingIOError, av.error.EOFError):
            break
        loudness = float(found.metadata.get("lavfi.r128.I", loudness or 0.0))
        values = [float(v) for k, v in found.metadata.items() if k.startswith("lavfi.r128.true_peaks_ch")]
        peak = max([peak or 0.0, *values])
    return loudness, 20 * math.log10(peak)


@pytest.mark.parametrize("name", SIGNALS)
def test_libebur128_agrees(name):
    audio = SIGNALS[name]()
    loudness, peak = _libebur128(audio)
    readings = measure(audio, LAYOUTS[audio.shape[1]])
    assert readings.integrated_lufs == pytest.approx(loudness, abs=0.001)
    assert readings.true_peak_dbtp == pytest.approx(peak, abs=0.2)


@pytest.mark.parametrize("name", SIGNALS)
def test_libavfilter_agrees(name):
    audio = SIGNALS[name]()
    loudness, peak = _libavfilter(audio)
    readings = measure(audio, LAYOUTS[audio.shape[1]])
    assert readings.integrated_lufs == pytest.approx(loudness, abs=0.1)
    assert readings.true_peak_dbtp == pytest.approx(peak, abs=0.2)
