"""Speech of recordings as it falls in the programme, through the clips."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Final

from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.marking import merged
from recitant_core.timeline.model import Clip, Plan, Role
from recitant_core.units.clock import SampleSpan
from recitant_core.units.remembered import keeps_hash

SpeechOfSources = Mapping[str, Sequence[SpeechSpan]]
"""Corrected speech of each recording, by its key, in order."""
SILENT_DB: Final = -60.0  # a clip turned down this far does not speak any more


@keeps_hash
class Spoken(tuple[SpeechSpan, ...]):
    """Speech of one recording, in order; its hash is worked out once."""


@keeps_hash
class Spans(tuple[SampleSpan, ...]):
    """Stretches of a programme, in order; their hash is worked out once."""


def spoken(spans: Sequence[SpeechSpan]) -> Spoken:
    """Speech of one recording as a key: the same object where it is one already."""
    return spans if isinstance(spans, Spoken) else Spoken(spans)


def speech_of_clip(clip: Clip, speech: SpeechOfSources) -> list[SpeechSpan]:
    """Speech in a clip, in programme time; room tone has none."""
    if clip.is_room_tone:
        return []
    spans = speech.get(clip.source_key, ())
    first = max(0, bisect_left(spans, clip.in_sample, key=lambda s: s.start_sample) - 1)
    shift = clip.start_sample - clip.in_sample
    found = []
    for span in spans[first:]:
        if span.start_sample >= clip.in_sample + clip.length_samples:
            break
        part = SampleSpan(span.start_sample + shift, span.length_samples).intersect(clip.span)
        if part is not None:
            found.append(SpeechSpan(part.start_sample, part.length_samples, span.confidence))
    return found


def speech_in_programme(plan: Plan, speech: SpeechOfSources, keys: Sequence[str] = ()) -> Spans:
    """Where somebody is heard to speak, merged and in order.

    Args:
        keys: ids of the tracks that count; empty for all dialogue. A vocal in the music is no dialogue.
    """
    voices = tuple(
        track for track in plan.tracks if track.role is Role.DIALOGUE and (not keys or track.track_id in keys)
    )
    stem_gain_db = plan.stem_gain_db(Role.DIALOGUE)
    mine = []
    for track in voices:
        audible = tuple(c for c in track.clips if c.gain_db + track.gain_db + stem_gain_db > SILENT_DB)
        mine.append(_heard(audible, tuple((key, spoken(speech[key])) for key in track.source_keys if key in speech)))
    return _merged(tuple(mine))


@lru_cache(maxsize=256)
def _heard(clips: tuple[Clip, ...], known: tuple[tuple[str, Spoken], ...]) -> Spans:
    # Most edits move no word: an hour of speech is gone through once.
    speech = dict(known)
    return Spans(merged(span.span for clip in clips for span in speech_of_clip(clip, speech)))


@lru_cache(maxsize=32)
def _merged(tracks: tuple[Spans, ...]) -> Spans:
    return Spans(merged(span for spans in tracks for span in spans))
