"""Sample peak and true peak of a clip before its gains, from its samples.

Held to: tests/core/test_clip_peaks.py
"""

from typing import Final

import numpy as np

from recitant_core.measure.true_peak import true_peak_factor
from recitant_core.ports import SampleSource
from recitant_core.render.chains import sounding
from recitant_core.timeline.model import Clip, Track, clip_matrix
from recitant_core.units.level import db_from_factor

_CHUNK_SAMPLES: Final = 20 * 48_000


def clip_peaks(clip: Clip, track: Track, recording: SampleSource) -> tuple[float, float]:
    """Sample peak (dBFS) and true peak (dBTP) of a clip through chain and routing, without any gain; SILENCE for none.

    Args:
        track: that it lies on, for its pan and width.
        recording: of the clip, without its chain.
    """
    source = sounding(recording, clip.chain)
    matrix = clip_matrix(clip, track, source.layout).astype(np.float32)
    sample = true = 0.0
    for start in range(clip.in_sample, clip.in_sample + clip.length_samples, _CHUNK_SAMPLES):
        count = min(_CHUNK_SAMPLES, clip.in_sample + clip.length_samples - start)
        audio = source.read(start, count)
        if any(clip.dc_offset):
            audio = audio - np.array(clip.dc_offset, dtype=np.float32)
        heard = np.ascontiguousarray(audio @ matrix)
        sample = max(sample, float(np.abs(heard).max(initial=0.0)))
        true = max(true, true_peak_factor(heard))
    return db_from_factor(sample), db_from_factor(true)
