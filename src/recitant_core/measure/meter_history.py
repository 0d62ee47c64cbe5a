"""What was heard last: meters read it before the next block, so that nothing is rendered again for them.

Shared by all who listen in the same way: what one heard a moment ago is what another would have heard there.

After an edit a meter shows what was heard, as one on a desk does: the mix of before in its window, then that of now.
Held to: tests/core/test_meter_history.py
"""

from collections import deque
from collections.abc import Hashable
from dataclasses import dataclass
from threading import Lock
from typing import Final

import numpy as np

from recitant_core.measure.running import LEAD_SAMPLES
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import SampleSpan

MOST_AGE_S: Final = 15.0
"""What another mix gave is not counted for longer: blocks are asked for some seconds before they sound."""
_MOST_KEPT_SAMPLES: Final = 8 * LEAD_SAMPLES


@dataclass(frozen=True)
class _Part:
    span: SampleSpan
    audio: Audio
    key: Hashable
    at_s: float


class MeterHistory:
    """Blocks that were given out, the newest last."""

    def __init__(self) -> None:
        """No blocks."""
        self._parts: deque[_Part] = deque()
        self._lock = Lock()

    def put(self, start_sample: int, audio: Audio, key: Hashable, now_s: float) -> None:
        """Keep a block, float32 (frames, 2).

        Args:
            key: equal for equal mixes.
            now_s: of a clock that goes forward.
        """
        with self._lock:
            self._parts.append(_Part(SampleSpan(start_sample, len(audio)), audio, key, now_s))
            n_kept = sum(len(part.audio) for part in self._parts)
            while n_kept - len(self._parts[0].audio) >= _MOST_KEPT_SAMPLES:
                n_kept -= len(self._parts.popleft().audio)

    @property
    def kept_bytes(self) -> int:
        """Size of the blocks that are kept."""
        with self._lock:
            return sum(part.audio.nbytes for part in self._parts)

    def lead(self, start_sample: int, key: Hashable, now_s: float) -> Audio | None:
        """Audio before a sample as it was heard, float32 (LEAD_SAMPLES, 2), silence before the programme's start;
        None where not all of it was heard lately or in the same mix."""
        wanted = SampleSpan(start_sample - LEAD_SAMPLES, LEAD_SAMPLES)
        lead = np.zeros((LEAD_SAMPLES, 2), np.float32)
        is_known = np.zeros(LEAD_SAMPLES, bool)
        is_known[: max(0, -wanted.start_sample)] = True
        with self._lock:
            parts = [part for part in self._parts if part.key == key or now_s - part.at_s < MOST_AGE_S]
        for part in parts:
            both = part.span.intersect(wanted)
            if both is not None:
                at = both.start_sample - wanted.start_sample
                first = both.start_sample - part.span.start_sample
                lead[at : at + both.length_samples] = part.audio[first : first + both.length_samples]
                is_known[at : at + both.length_samples] = True
        return lead if is_known.all() else None
