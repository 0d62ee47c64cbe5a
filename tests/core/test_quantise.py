"""Samples of a file: dither that depends on the place alone, full scale, silence."""

import numpy as np
import pytest

from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.errors import RangeError
from signals import programme

AUDIO = programme(9, 6.0)


@pytest.mark.parametrize("bit_depth", [16, 24])
def test_dither_is_a_function_of_the_place(bit_depth):
    whole = quantise(AUDIO, bit_depth, 0)
    assert np.array_equal(
        np.concatenate([quantise(AUDIO[:777], bit_depth, 0), quantise(AUDIO[777:], bit_depth, 777)]), whole
    )
    error = audio_from_integers(whole, bit_depth).astype(np.float64) - AUDIO
    step = 2.0 ** (1 - bit_depth)
    assert abs(error.mean()) < 0.02 * step
    # Triangular dither and rounding: variance of a quarter of a step squared (common practice).
    assert error.std() == pytest.approx(0.5 * step, rel=0.05)


def test_quantising_holds_full_scale_and_silence():
    audio = np.array([[2.0], [-2.0], [0.0]], np.float32)
    assert quantise(audio, 16, 5).ravel().tolist() == [32_767, -32_768, 0]
    with pytest.raises(RangeError):
        quantise(audio, 20, 0)
