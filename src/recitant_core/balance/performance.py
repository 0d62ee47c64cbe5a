"""Performance: how much of a difference between phrases stays, and which differences are those of the recording.

Speech that lies low for long is a matter of its recording level and is brought to the rest. A phrase that stands out
of that was spoken so, and a part of it stays; so it is where the spectrum says that a whole stretch was shouted or
whispered: both have less of the low harmonics than the ordinary voice (a shout by its tilt, ANSI S3.5-1997; a whisper
since the vocal folds do not vibrate; from memory), and a recording at another level has not. Common practice: a shout
ends 6 to 8 LU over the middle of its speaker, a whisper 4 to 6 LU under it, and the order of phrases is kept.
Held to: tests/core/test_performance.py
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.measure.phrases import Phrase
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOPS_PER_SECOND

RECORDED_LU: Final = 4.0  # neighbours this near have one recording level
RECORDED_S: Final = 6.0  # speech at one level for so long has it from its recording
WHOLE_CLIP_S: Final = 3.0  # a clip of its own at one level is one sooner
APART_SHARE: Final = 0.15  # of a speaker's speech: another level that comes again and again is of the recording too
_BEYOND_SHARE: Final = 0.1  # of what goes on beyond the knee
_KNEE: Final = 0.85
NOTABLE_LU: Final = 6.0  # a phrase this far from its recording level is told
EFFORT_DB: Final = 6.0  # so much less of the low harmonics is another way of speaking
_HEARD_PHRASES: Final = 9  # so many are listened to for it


@dataclass(frozen=True)
class Spread:
    """Share of the differences between phrases of one speaker that stays, and its limits in LU."""

    kept_share: float
    """Of a phrase's distance to its recording level."""
    most_over_lu: float
    most_under_lu: float
    kept_of_recorded: float
    """Of the distance of a recording level to the speaker's middle."""

    def kept_lu(self, away_lu: float) -> float:
        """Distance in LU that a phrase keeps to its recording level: the larger it was the larger, so order is kept."""
        most = self.most_over_lu if away_lu > 0.0 else self.most_under_lu
        knee = _KNEE * most
        straight = abs(away_lu) * self.kept_share
        kept = straight if straight <= knee else knee + (straight - knee) / self.kept_share * _BEYOND_SHARE
        return float(np.copysign(min(kept, most), away_lu))


SPREADS: Final = {
    "even": Spread(0.12, 3.0, 3.0, 0.12),
    "natural": Spread(0.36, 8.0, 6.0, 0.12),
    "dramatic": Spread(0.5, 8.0, 8.0, 0.25),
}
"""By choice. Common practice: even for narration and talks, natural for most, dramatic for scenes that are played."""


@dataclass(frozen=True)
class Spoken:
    """A phrase among all of its speaker, in order."""

    phrase: Phrase
    clip_id: str


@dataclass
class _Part:
    indices: list[int]
    level_lufs: float
    seconds: float
    is_whole_clip: bool

    @property
    def is_long(self) -> bool:
        return self.seconds >= (WHOLE_CLIP_S if self.is_whole_clip else RECORDED_S)


def recorded_levels(spoken: Sequence[Spoken], low_share_db: Callable[[int], float]) -> list[float]:
    """Recording level in LUFS of each phrase; a phrase that stands out has that of the speech around it.

    Args:
        spoken: all phrases of one speaker, in the order of the programme.
        low_share_db: of the phrase with an index, its low harmonics against the rest of it, in dB; asked of few.
    """
    if not spoken:
        return []
    levels = np.array([one.phrase.level_lufs for one in spoken])
    seconds = np.array([one.phrase.n_hops / HOPS_PER_SECOND for one in spoken])
    whole = dict.fromkeys((one.clip_id for one in spoken), 0.0)
    for one, length in zip(spoken, seconds, strict=True):
        whole[one.clip_id] += float(length)

    def part_of(indices: list[int]) -> _Part:
        total = float(seconds[indices].sum())
        is_whole = total >= sum(whole[clip_id] for clip_id in {spoken[i].clip_id for i in indices}) - 1e-6
        return _Part(indices, _middle(levels[indices], seconds[indices]), total, is_whole)

    parts = _joined([part_of([index]) for index in range(len(spoken))], part_of)
    apart: list[_Part] = []
    while len(parts) > 1 and not all(part.is_long for part in parts):
        # The shortest stands out of what lies around it; without it its neighbours may have one level.
        least = min((part for part in parts if not part.is_long), key=lambda part: part.seconds)
        parts.remove(least)
        apart.append(least)
        parts = _joined(parts, part_of)
    effort = _Effort(levels, seconds, low_share_db)
    ordinary = [part for part in parts if not effort.is_another(part.indices)] or parts
    apart += [part for part in parts if part not in ordinary]
    bases = np.empty(len(spoken))
    for part in ordinary:
        bases[part.indices] = part.level_lufs
    again = [members for members in _populations(levels, seconds) if not effort.is_another(members)]
    for part in apart:
        same = next((one for one in again if part.indices[0] in one), None)
        nearest = min(ordinary, key=lambda one: min(abs(i - part.indices[0]) for i in one.indices))
        bases[part.indices] = nearest.level_lufs if same is None else _middle(levels[same], seconds[same])
    return [float(base) for base in bases]


class _Effort:
    """Whether a stretch was spoken with another effort than the middle of the speaker: shouted or whispered."""

    def __init__(self, levels: FloatArray, seconds: FloatArray, low_share_db: Callable[[int], float]) -> None:
        self._levels, self._low_share_db = levels, low_share_db
        self._middle = _middle(levels, seconds)
        near = np.argsort(np.abs(levels - self._middle), kind="stable")[:_HEARD_PHRASES]
        self._usual = [int(index) for index in near]

    def is_another(self, indices: Sequence[int]) -> bool:
        if abs(float(np.median(self._levels[list(indices)])) - self._middle) < NOTABLE_LU:
            return False
        usual = float(np.median([self._low_share_db(index) for index in self._usual]))
        return float(np.median([self._low_share_db(i) for i in indices[:_HEARD_PHRASES]])) <= usual - EFFORT_DB


def _joined(parts: list[_Part], part_of: Callable[[list[int]], _Part]) -> list[_Part]:
    # The nearest in level first, so that where a slow drift begins decides nothing.
    found = list(parts)
    levels = np.array([part.level_lufs for part in parts])
    while len(found) > 1:
        steps = np.abs(np.diff(levels))
        least = int(np.argmin(steps))
        if steps[least] >= RECORDED_LU:
            break
        found[least : least + 2] = [part_of([*found[least].indices, *found[least + 1].indices])]
        levels = np.delete(levels, least)
        levels[least] = found[least].level_lufs
    return found


def _middle(levels: FloatArray, seconds: FloatArray) -> float:
    order = np.argsort(levels, kind="stable")
    reached = np.cumsum(seconds[order])
    return float(levels[order][np.searchsorted(reached, reached[-1] / 2.0)])


def _populations(levels: FloatArray, seconds: FloatArray) -> list[list[int]]:
    # Phrases at a level that lies apart from all others and comes again and again.
    order = np.argsort(levels, kind="stable")
    cuts = np.flatnonzero(np.diff(levels[order]) >= RECORDED_LU) + 1
    found = []
    for members in np.split(order, cuts) if len(cuts) else []:
        total = float(seconds[members].sum())
        if total >= RECORDED_S and total >= APART_SHARE * seconds.sum() and len(members) > 1:
            found.append(sorted(int(index) for index in members))
    return found
