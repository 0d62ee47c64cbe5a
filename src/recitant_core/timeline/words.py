"""Words of recordings as they fall in the programme, through the clips."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.speech import SILENT_DB
from recitant_core.transcript.model import Turn, Word, turns_of

WordsOfSources = Mapping[str, Sequence[Word]]
"""Corrected words of each recording, by its key, in order."""


@dataclass(frozen=True)
class SpokenTurn:
    """A turn in programme time, and the clips that its words come from."""

    turn: Turn
    track_id: str
    clip_ids: tuple[str, ...]
    """One a word."""


def words_of_clip(clip: Clip, words: WordsOfSources, *, with_left_out: bool = False) -> list[Word]:
    """Words in a clip whose middle lies inside, in programme time; room tone has none.

    Args:
        with_left_out: also those that are no part of the text.
    """
    if clip.is_room_tone:
        return []
    same = _Same(words.get(clip.source_key, ()))
    everything = _words_of_stretch(clip.in_sample, clip.length_samples, clip.start_sample, same)
    return list(everything) if with_left_out else [word for word in everything if not word.is_left_out]


class _Same:
    """Words of a recording as a key: equal to the same object alone, so that nothing of it is compared."""

    def __init__(self, words: Sequence[Word]) -> None:
        self.words = words

    def __hash__(self) -> int:
        return id(self.words)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.words is other.words


@lru_cache(maxsize=1_024)
def _words_of_stretch(in_sample: int, length_samples: int, start_sample: int, same: _Same) -> tuple[Word, ...]:
    # Kept by clip: a correction in one recording leaves the words of all others as they were.
    spoken = same.words
    first = max(0, bisect_left(spoken, in_sample, key=lambda word: word.start_sample) - 1)
    end, shift = in_sample + length_samples, start_sample - in_sample
    found = []
    for word in spoken[first:]:
        if word.start_sample >= end:
            break
        if in_sample <= (word.start_sample + word.end_sample) // 2 < end:
            found.append(word.moved(shift))
    return tuple(found)


def turns_in_programme(plan: Plan, words: WordsOfSources, *, with_left_out: bool = False) -> list[SpokenTurn]:
    """Turns on tracks of narration and dialogue in the mix, in the order of their start.

    Args:
        with_left_out: also words that are no part of the text.
    """
    found: list[SpokenTurn] = []
    for track in plan.tracks:
        if not track.role.is_speech:
            continue
        clips = _audible(plan, track)
        spoken = [(w, clip) for clip in clips for w in words_of_clip(clip, words, with_left_out=with_left_out)]
        spoken.sort(key=lambda pair: pair[0].start_sample)
        at = 0
        for turn in turns_of([word for word, _ in spoken]):
            ids = tuple(clip.clip_id for _, clip in spoken[at : at + len(turn.words)])
            found.append(SpokenTurn(turn, track.track_id, ids))
            at += len(turn.words)
    return sorted(found, key=lambda one: one.turn.span)


def _audible(plan: Plan, track: Track) -> list[Clip]:
    level_db = track.gain_db + plan.stem_gain_db(track.role)
    return [clip for clip in track.in_mix if clip.gain_db + level_db > SILENT_DB]
