"""Speed and pitch: length, pitch and the place of an event, against what arithmetic says they must be."""

import numpy as np
import pytest

from recitant_core.errors import EditRefused
from recitant_core.ports import no_progress
from recitant_io.plan.vary import Variation, vary
from recitant_io.store.conform import StoredSource
from signals import MemorySource, sine

CASES = [(1.25, True, 0.0), (0.5, True, 0.0), (1.0, True, 5.0), (1.5, False, 0.0), (2.0, True, -3.0)]


@pytest.mark.parametrize(("speed", "keeps_pitch", "semitones"), CASES)
def test_length_pitch_and_place(tmp_path, speed, keeps_pitch, semitones):
    audio = sine(-20, 4.0, 440.0)
    audio[96_000:96_200] *= 8.0
    source = MemorySource("k", audio)
    n, _ = vary(source, Variation(speed, keeps_pitch, semitones), tmp_path / "v", no_progress)
    assert n == round(len(audio) / speed)
    out = StoredSource(tmp_path / "v" / "audio.f32", "v", 2).read(0, n)
    piece = out[n // 5 : n // 5 + 24_000, 0]
    freq_hz = np.argmax(np.abs(np.fft.rfft(piece * np.hanning(24_000)))) * 2
    assert freq_hz == pytest.approx(440.0 * 2 ** (semitones / 12) * (1.0 if keeps_pitch else speed), abs=4)
    event = np.argmax(np.convolve(np.abs(out[:, 0]), np.ones(480), "same")) / 48_000
    assert event == pytest.approx(2.0 / speed, abs=0.01)
    assert np.sqrt(np.mean(piece**2)) == pytest.approx(0.0707, rel=0.1)


def test_keys_name_the_change():
    assert Variation(1.1, True, 0.0).key("a") == Variation(1.1, True, 0.0).key("a")
    keys = {Variation(1.1, True, 0.0).key("a"), Variation(1.1, False, 0.0).key("a"), Variation(1.1, True, 0.0).key("b")}
    assert len(keys) == 3
    assert Variation(1.0, False, 0.0).is_none


@pytest.mark.parametrize("wrong", [(0.1, True, 0.0), (5.0, True, 0.0), (1.0, True, 25.0), (float("nan"), True, 0.0)])
def test_out_of_range_is_refused(wrong):
    with pytest.raises(EditRefused, match="no_variation"):
        Variation(*wrong)
