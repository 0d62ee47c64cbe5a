"""Levels of clips: loudness from energies at once, peaks from the samples; cached by what they depend on."""

import hashlib
import math
import time
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Final, Literal

from msgspec import Struct

from recitant_core.balance.even_out import EvenInput, EvenOut, EvenOutStep, evened
from recitant_core.measure.clip_level import ClipLevel
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.render.clip_peaks import clip_peaks
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.speech import SpeechOfSources, spoken
from recitant_core.units.arrays import FloatArray
from recitant_core.units.level import finite
from recitant_core.units.remembered import fingerprint
from recitant_web.desk.energies import known_energies, known_source
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.desk.models import ClipPeaks
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache
from recitant_web.shared.shapes import GoalLevel, LimitDb, Share

_MOST_ADVISED_DB: Final = 60.0
Peaks = tuple[float | None, float | None]
LevelsOfClips = dict[str, ClipLevel | None]
"""Levels of the clips of a track, by id; None where a clip was not measured yet."""


def levels_in_mix(
    plan: Plan, energies: dict[str, FloatArray], speech: SpeechOfSources, seconds: float | None = None
) -> dict[str, tuple[Track, Clip, ClipLevel | None]]:
    """Levels of every clip with its clip, track and stem gains, by id; curves and fades count, ducking does not.

    Args:
        seconds: how long to measure what is not known yet; None for as long as it takes. What is left is None.
    """
    levels = levels_of_tracks(plan, energies, speech, seconds)
    return {
        clip.clip_id: (track, clip, levels[track.track_id][clip.clip_id])
        for track in plan.tracks
        for clip in track.clips
    }


def levels_of_tracks(
    plan: Plan, energies: dict[str, FloatArray], speech: SpeechOfSources, seconds: float | None = None
) -> dict[str, LevelsOfClips]:
    """Levels in the mix by track: the same object for a track whose levels are as they were; see levels_in_mix."""
    ends = None if seconds is None else time.monotonic() + seconds
    prints = {key: fingerprint(energy) for key, energy in energies.items()}
    said = {key: hash(spoken(spans)) for key, spans in speech.items()}
    found = {}
    for track in plan.tracks:
        later_db = plan.stem_gain_db(track.role) + plan.programme_gain_db
        heard = tuple(prints[key] for key in track.sound_keys)
        words = tuple(said.get(key, 0) for key in track.source_keys) if track.role.is_speech else ()
        key = (track, later_db, heard, words)
        known = _of_tracks.get(key)
        if known is None:
            known = _levels_of_track(track, later_db, energies, speech, ends)
            if None not in known.values():
                _of_tracks.put(key, known)
        found[track.track_id] = known
    return found


def _levels_of_track(
    track: Track, later_db: float, energies: dict[str, FloatArray], speech: SpeechOfSources, ends: float | None
) -> LevelsOfClips:
    # later_db: gain of stem and programme behind the track's. An edit of one clip leaves the others of its track known.
    is_spoken = track.role.is_speech
    found: LevelsOfClips = {}
    for clip in track.clips:
        # What places and names it does not change how loud it is.
        plain = replace(clip, start_sample=0, gain_db=0.0, name="", group="", speaker="")
        spans = spoken(speech.get(clip.source_key, ())) if is_spoken else spoken(())
        key = (plain, track.pan, track.is_mono, fingerprint(energies[clip.sound_key]), hash(spans))
        bare = _levels.get(key)
        if bare is None and (ends is None or time.monotonic() < ends):
            bare = level_of_clip(plain, track, 0.0, energies[clip.sound_key], {clip.source_key: spans})
            _levels.put(key, bare)
        found[clip.clip_id] = None if bare is None else bare.raised(clip.gain_db + track.gain_db + later_db)
    return found


_of_tracks: Cache[LevelsOfClips] = Cache("levels by track", 32_000_000, lambda found: 2_048 + 700 * len(found))
_levels: Cache[ClipLevel] = Cache("clip levels", 16_000_000)


def peaks_key(clip: Clip, track: Track) -> str:
    """Under what a clip's peaks before its gains are kept."""
    return _peaks_key(clip, track.pan, track.is_mono)


@lru_cache(maxsize=8_192)
def _peaks_key(clip: Clip, pan: float, is_mono: bool) -> str:
    parts = (clip.sound_key, clip.in_sample, clip.length_samples, clip.routing.value, clip.reversed_channels)
    text = repr((*parts, clip.dc_offset, pan, is_mono))
    return hashlib.sha256(text.encode()).hexdigest()


def known_peaks(keys: Iterable[str]) -> dict[str, Peaks]:
    """Peaks that were measured before, by key."""
    wanted = set(keys)
    found = {key: peaks for key in wanted if (peaks := _peaks.get(key)) is not None}
    missing = wanted - found.keys()
    if missing:
        rows = ClipPeaks.objects.filter(key__in=missing).values_list("key", "sample_peak_dbfs", "true_peak_dbtp")
        found |= {key: _peaks.put(key, (sample, true)) for key, sample, true in rows}
    return found


_peaks: Cache[Peaks] = Cache("peaks of clips", 16_000_000, lambda _peaks: 256)


def measure_peaks(plan: Plan, seconds: float) -> tuple[dict[str, Peaks], int]:
    """Peaks of clips that are not known yet, as many as go into some seconds; how many are left."""
    wanted = {peaks_key(clip, track): (clip, track) for track in plan.tracks for clip in track.clips}
    known = known_peaks(wanted)
    ends = time.monotonic() + seconds
    made: dict[str, Peaks] = {}
    missing = [key for key in wanted if key not in known]
    for key in missing:
        if time.monotonic() > ends:
            break
        clip, track = wanted[key]
        sample, true = clip_peaks(clip, track, known_source(clip.source_key))
        made[key] = finite(sample), finite(true)
    ClipPeaks.objects.bulk_create(
        [ClipPeaks(key=key, sample_peak_dbfs=s, true_peak_dbtp=t) for key, (s, t) in made.items()],
        ignore_conflicts=True,
    )
    found = known | made
    by_clip = {
        clip.clip_id: found[key]
        for track in plan.tracks
        for clip in track.clips
        if (key := peaks_key(clip, track)) in found
    }
    return by_clip, len(missing) - len(made)


@lru_cache(maxsize=8_192)
def advised_gain_db(clip: Clip, level_lufs: float | None, aim_lufs: float) -> float | None:
    """The gain that brings a clip to its aim, in dB; None for room tone and where it cannot be measured."""
    if clip.is_room_tone or level_lufs is None or not math.isfinite(level_lufs):
        return None
    steps = evened([EvenInput(clip, level_lufs, 1.0, None, None)], EvenOut(aim_lufs, most_change_db=_MOST_ADVISED_DB))
    return steps[0].gain_db


class EvenOptions(Struct, frozen=True, kw_only=True):
    """Settings of evening out, as a page sends them."""

    goal: GoalLevel
    strength_percent: Share
    most_change_db: LimitDb
    by: Literal["loudness", "peak"] = "loudness"
    is_group: bool = False

    def chosen(self) -> EvenOut:
        """The same as values of the core."""
        return EvenOut(
            float(self.goal), self.by, float(self.strength_percent), float(self.most_change_db), self.is_group
        )


def evened_gains(programme: Programme, plan: Plan, ids: Sequence[str], chosen: EvenOut) -> list[EvenOutStep]:
    """Gains that evening out would set on some clips."""
    levels = levels_in_mix(plan, known_energies(plan), speech_of(programme))
    known = clips_by_id(plan)
    if chosen.by == "peak":
        measure_peaks(_only(plan, set(ids)), 20.0)
    peaks = known_peaks(peaks_key(known[i][1], known[i][0]) for i in ids if i in known)
    inputs = []
    for clip_id in ids:
        if clip_id not in levels or levels[clip_id][1].is_room_tone:
            continue
        track, clip, found = levels[clip_id]
        assert found is not None
        peak = peaks.get(peaks_key(clip, track), (None, None))[0]
        in_mix = (
            None
            if peak is None
            else peak + clip.gain_db + track.gain_db + plan.stem_gain_db(track.role) + plan.programme_gain_db
        )
        level = in_mix if chosen.by == "peak" else found.level_lufs
        inputs.append(EvenInput(clip, level, float(clip.length_samples), found.noise_lufs, in_mix))
    return evened(inputs, chosen)


def _only(plan: Plan, ids: set[str]) -> Plan:
    tracks = tuple(replace(t, clips=tuple(c for c in t.clips if c.clip_id in ids)) for t in plan.tracks)
    return replace(plan, tracks=tracks)
