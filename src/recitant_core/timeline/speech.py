"""Speech of recordings as it falls in the programme, through the clips."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.corrections import merged, without
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.remembered import keeps_hash
from recitant_core.units.roles import Role

SpeechOfSources = Mapping[str, Sequence[SpeechSpan]]
"""Corrected speech of each recording, by its key, in order."""
SILENT_DB: Final = -60.0  # a clip turned down this far does not speak any more
OVER_BRIDGE_S: Final = 1.5
OVER_SHARE: Final = 0.25
"""Of a run of narration: where dialogue speaks for less of it, they take turns, and neither gives way."""


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
    """Speech in a clip, in programme time, cut at its edges; room tone has none.

    Args:
        speech: of each recording by its key, in samples of the recording, in order.
    """
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


@dataclass(frozen=True)
class Talk:
    """Stretches of a programme in which somebody speaks."""

    spans: Spans
    """Who is to be understood, merged and in order."""
    over: Spans
    """Runs of narration over dialogue that gives way to it."""


def talk_in_programme(plan: Plan, speech: SpeechOfSources) -> Talk:
    """Stretches in which somebody speaks, and those in which narration runs over dialogue."""
    return Talk(speech_in_programme(plan, speech), narrated_over(plan, speech))


def speech_in_programme(plan: Plan, speech: SpeechOfSources) -> Spans:
    """Stretches of speech that is to be understood, merged and in order.

    A vocal in the music is no speech, nor is dialogue while narration runs over it.
    """
    everybody = speech_of_tracks(plan, speech, [track for track in plan.tracks if track.role.is_speech])
    over = narrated_over(plan, speech)
    return _listened_to(everybody, _of_role(plan, speech, Role.NARRATION), over) if over else everybody


def narrated_over(plan: Plan, speech: SpeechOfSources) -> Spans:
    """Runs of narration over dialogue that gives way to it, in order: the dialogue is not listened to there."""
    if not any(plan.role_of(duck).kind is Role.DIALOGUE for duck in plan.ducks):
        return Spans()
    return _over(_of_role(plan, speech, Role.NARRATION), _of_role(plan, speech, Role.DIALOGUE))


def _of_role(plan: Plan, speech: SpeechOfSources, role: Role) -> Spans:
    return speech_of_tracks(plan, speech, [track for track in plan.tracks if track.role.kind is role])


@lru_cache(maxsize=32)
def _over(narration: Spans, dialogue: Spans) -> Spans:
    return Spans(
        run
        for run in merged(narration, round(OVER_BRIDGE_S * RATE_HZ))
        if _together(run, dialogue) >= OVER_SHARE * _together(run, narration)
    )


def _together(run: SampleSpan, spans: Spans) -> int:
    parts = (span.intersect(run) for span in spans)
    return sum(part.length_samples for part in parts if part is not None)


@lru_cache(maxsize=32)
def _listened_to(everybody: Spans, narration: Spans, over: Spans) -> Spans:
    apart = [part for span in everybody for part in without(span, over)]
    narrated = [part for span in narration for run in over if (part := span.intersect(run)) is not None]
    return Spans(sorted([*apart, *narrated]))


def speech_of_tracks(plan: Plan, speech: SpeechOfSources, tracks: Sequence[Track]) -> Spans:
    """Stretches of audible speech on some tracks, merged and in order.

    Args:
        speech: of each recording by its key; see speech_of_clip. Clips under SILENT_DB with all their gains
            are left out.
    """
    mine = []
    for track in tracks:
        stem_gain_db = plan.stem_gain_db(track.role)
        audible = tuple(c for c in track.in_mix if c.gain_db + track.gain_db + stem_gain_db > SILENT_DB)
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
