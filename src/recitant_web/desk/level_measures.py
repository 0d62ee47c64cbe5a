"""Levels of clips for the Level page: from energies at once, peaks from the samples, kept under what makes them."""

import hashlib
import math
import time
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import replace
from threading import Lock
from typing import Any, Final

import numpy as np

from recitant_core.balance.evening import Evening, EvenInput, EvenStep, evened
from recitant_core.delivery.spec import Spec
from recitant_core.measure.clip_level import UNMEASURED, ClipLevel
from recitant_core.measure.true_peak import true_peak_factor
from recitant_core.render.chains import sounding
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Clip, Plan, Role, Track, clip_matrix
from recitant_core.timeline.speaking import SpeechOfSources
from recitant_core.units.arrays import FloatArray
from recitant_core.units.level import db_from_factor, finite
from recitant_web.desk.bridge import spec_of, speech_of
from recitant_web.desk.models import ClipPeaks
from recitant_web.desk.sounds import known_energies, known_source
from recitant_web.programme.models import Programme

ZONES: Final = {"quiet_lu": -6.0, "near_lu": 1.0, "loud_lu": 6.0, "peak_dbfs": -6.0}
"""Where the zones of the meters end: LU about the target, and where sample peaks become a warning."""
_MOST_ADVISED_DB: Final = 60.0
_PIECE_SAMPLES: Final = 20 * 48_000
_SHEET_S: Final = 0.6  # what an answer may wait for clips that were never measured; the page asks again for the rest
Peaks = tuple[float | None, float | None]


def zones_of(programme: Programme) -> dict[str, float]:
    """The zones of a programme's meters."""
    return ZONES | programme.meter_zones


def levels_in_mix(
    plan: Plan, energies: dict[str, FloatArray], speech: SpeechOfSources, seconds: float | None = None
) -> dict[str, tuple[Track, Clip, ClipLevel | None]]:
    """Levels of every clip with its clip, track and stem gains, by id; curves and fades count, ducking does not.

    Args:
        seconds: how long to measure what is not known yet; None for as long as it takes. What is left is None.
    """
    ends = None if seconds is None else time.monotonic() + seconds
    sums = {key: float(energy.sum()) for key, energy in energies.items()}
    found: dict[str, tuple[Track, Clip, ClipLevel | None]] = {}
    for track in plan.tracks:
        gain_db = track.gain_db + plan.stem_gain_db(track.role)
        for clip in track.clips:
            # What places and names it does not change how loud it is.
            plain = replace(clip, start_sample=0, gain_db=0.0, name="", group="", speaker="")
            spans = tuple(speech.get(clip.source_key, ())) if track.role is Role.DIALOGUE else ()
            key = (plain, track.pan, track.is_mono, sums[clip.sound_key], spans)
            bare = _known_levels(key)
            if bare is None and (ends is None or time.monotonic() < ends):
                bare = level_of_clip(plain, track, 0.0, energies[clip.sound_key], {clip.source_key: spans})
                _keep_levels(key, bare)
            raised = None if bare is None else bare.raised(clip.gain_db + gain_db)
            found[clip.clip_id] = (track, clip, raised)
    return found


_levels: OrderedDict[Any, ClipLevel] = OrderedDict()
_levels_lock = Lock()
_KEPT_LEVELS: Final = 8_192


def _known_levels(key: Any) -> ClipLevel | None:
    with _levels_lock:
        return _levels.get(key)


def _keep_levels(key: Any, levels: ClipLevel) -> None:
    with _levels_lock:
        _levels[key] = levels
        while len(_levels) > _KEPT_LEVELS:
            _levels.popitem(last=False)


def peaks_key(clip: Clip, track: Track) -> str:
    """Under what a clip's peaks before its gains are kept."""
    parts = (clip.sound_key, clip.in_sample, clip.length_samples, clip.routing.value, clip.reversed_channels)
    text = repr((*parts, clip.dc_offset, track.pan, track.is_mono))
    return hashlib.sha256(text.encode()).hexdigest()


def known_peaks(keys: Iterable[str]) -> dict[str, Peaks]:
    """Peaks that were measured before, by key."""
    rows = ClipPeaks.objects.filter(key__in=set(keys)).values_list("key", "sample_peak_dbfs", "true_peak_dbtp")
    return {key: (sample, true) for key, sample, true in rows}


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
        made[key] = _peaks(*wanted[key])
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


def _peaks(clip: Clip, track: Track) -> Peaks:
    source = sounding(known_source(clip.source_key), clip.chain)
    matrix = clip_matrix(clip, track, source.layout).astype(np.float32)
    sample = true = 0.0
    for start in range(clip.in_sample, clip.in_sample + clip.length_samples, _PIECE_SAMPLES):
        count = min(_PIECE_SAMPLES, clip.in_sample + clip.length_samples - start)
        audio = source.read(start, count)
        if any(clip.dc_offset):
            audio = audio - np.array(clip.dc_offset, dtype=np.float32)
        heard = np.ascontiguousarray(audio @ matrix)
        sample = max(sample, float(np.abs(heard).max(initial=0.0)))
        true = max(true, true_peak_factor(heard))
    return finite(db_from_factor(sample)), finite(db_from_factor(true))


def advised_gain_db(clip: Clip, level_lufs: float | None, aim_lufs: float) -> float | None:
    """The gain that brings a clip to its aim, in dB; None for room tone and where it cannot be measured."""
    if clip.is_room_tone or level_lufs is None or not math.isfinite(level_lufs):
        return None
    steps = evened([EvenInput(clip, level_lufs, 1.0, None, None)], Evening(aim_lufs, most_change_db=_MOST_ADVISED_DB))
    return steps[0].gain_db


def evened_gains(programme: Programme, plan: Plan, ids: list[str], options: dict[str, Any]) -> list[EvenStep]:
    """What evening out would do to some clips.

    Args:
        options: goal, by, strength (share), most_change_db, is_group.
    """
    chosen = Evening(**options)
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
        in_mix = None if peak is None else peak + clip.gain_db + track.gain_db + plan.stem_gain_db(track.role)
        level = in_mix if chosen.by == "peak" else found.level_lufs
        inputs.append(EvenInput(clip, level, float(clip.length_samples), found.noise_lufs, in_mix))
    return evened(inputs, chosen)


def _only(plan: Plan, ids: set[str]) -> Plan:
    tracks = tuple(replace(t, clips=tuple(c for c in t.clips if c.clip_id in ids)) for t in plan.tracks)
    return replace(plan, tracks=tracks)


def sheet(programme: Programme, plan: Plan) -> list[dict[str, Any]]:
    """Every clip as a row of the sheet, in order of time."""
    spec: Spec = spec_of(programme)
    levels = levels_in_mix(plan, known_energies(plan), speech_of(programme), _SHEET_S)
    peaks = known_peaks(peaks_key(clip, track) for track, clip, _ in levels.values())
    rows = []
    for clip_id, (track, clip, measured) in levels.items():
        found = measured or UNMEASURED
        gains_db = clip.gain_db + track.gain_db + plan.stem_gain_db(track.role)
        sample, true = peaks.get(key := peaks_key(clip, track), (None, None))
        rows.append(
            {
                "id": clip_id,
                "name": clip.name,
                "role": track.role.value,
                "letter": track.role.value[0].upper(),
                "speaker": clip.speaker or (track.name if track.role is Role.DIALOGUE else ""),
                "track_id": track.track_id,
                "track": track.name,
                "group": clip.group,
                "start_sample": clip.start_sample,
                "in_sample": clip.in_sample,
                "length_samples": clip.length_samples,
                "level_lufs": finite(found.level_lufs),
                "short_term_lufs": finite(found.short_term_lufs),
                "range_lu": finite(found.range_lu),
                "noise_lufs": finite(found.noise_lufs),
                "outliers": [[s.start_sample + clip.start_sample, s.length_samples] for s in found.outliers],
                "sample_peak_dbfs": None if sample is None else sample + gains_db,
                "true_peak_dbtp": None if true is None else true + gains_db,
                "has_peaks": key in peaks,
                "is_pending": measured is None,
                "aim_lufs": spec.aim_lufs(track.role),
                "gain_db": clip.gain_db,
                "advised_db": advised_gain_db(clip, found.level_lufs, spec.aim_lufs(track.role)),
                "chain": [p.kind for p in clip.chain],
                "has_curve": bool(clip.curve),
            }
        )
    return sorted(rows, key=lambda row: (row["start_sample"], int(row["id"])))
