"""The staves of the Balance page: every stem with its tracks, clips and stretches of speech."""

from typing import Any, Final

from recitant_core.gain.duck_rule import DuckAim, DuckKind
from recitant_core.gain.trim import trim_points
from recitant_core.measure.clip_level import ClipLevel
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.speech import speech_of_clip, spoken
from recitant_core.units.level import finite
from recitant_core.units.roles import Role
from recitant_web.desk.levels import LevelsOfClips, levels_of_tracks
from recitant_web.desk.mapping.strips import trim_to_data
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache

_ROW_BYTES: Final = 1_200
Row = dict[str, Any]
_clips: Cache[tuple[LevelsOfClips, list[Row]]] = Cache(
    "clips of staves by track", 32_000_000, lambda kept: 2_048 + _ROW_BYTES * len(kept[1])
)
_speech: Cache[list[Row]] = Cache("speech by track", 32_000_000, lambda rows: 2_048 + _ROW_BYTES * len(rows))


def staves(snapshot: Snapshot) -> list[Row]:
    """The stems of a programme from top to bottom; rows of clips are kept by track and must not be changed."""
    plan, spec = snapshot.plan, snapshot.spec
    levels = levels_of_tracks(plan, snapshot.energies, snapshot.speech)
    found = []
    for role in plan.roles:
        tracks = [track for track in plan.tracks if track.role is role]
        stem_gain_db = plan.stem_gain_db(role)
        later_db = stem_gain_db + plan.programme_gain_db
        found.append(
            {
                "id": role.value,
                "role": role.value,
                "is_speech": role.is_speech,
                "letter": role.letter,
                "name": role.label,
                "aim_lufs": spec.aim_lufs(role),
                "gain_db": stem_gain_db,
                **_two_levels(plan, role, spec.aim_lufs(Role.DIALOGUE)),
                "tracks": [
                    {"id": t.track_id, "name": t.name, "gain_db": t.gain_db, "is_out": t.is_out} for t in tracks
                ],
                "clips": [row for t in tracks for row in _clips_of_track(t, later_db, levels[t.track_id])],
            }
        )
    return found


def speech_rows(snapshot: Snapshot) -> list[Row]:
    """Speech of narration and dialogue by clip, in programme time: start, length and confidence of each stretch."""
    speech = snapshot.speech
    rows: list[Row] = []
    for track in snapshot.plan.tracks:
        if not track.role.is_speech:
            continue
        key = (track.clips, tuple(hash(spoken(speech.get(name, ()))) for name in track.source_keys))
        rows += _speech.get_or_make(key, lambda track=track: _speech_of_track(track, snapshot))  # type: ignore[misc]
    return rows


def _speech_of_track(track: Track, snapshot: Snapshot) -> list[Row]:
    found = [(clip.clip_id, speech_of_clip(clip, snapshot.speech)) for clip in track.clips]
    return [
        {"id": clip_id, "spans": [[span.start_sample, span.length_samples, span.confidence] for span in spans]}
        for clip_id, spans in found
        if spans
    ]


def _two_levels(plan: Plan, role: Role, aim_lufs: float) -> Row:
    """Levels of a stem in the open and under speech, in LUFS of the mix, None without a rule that keeps them; its
    trim."""
    duck, trim = plan.duck_of_stem(role), plan.stem_trim(role)
    found: Row = {"lines": None, "trim": trim_to_data(trim)}
    found["trim_points"] = [[point.at_sample, point.gain_db] for point in trim_points(trim)]
    if duck is not None and duck.rule.kind is DuckKind.CURVE and duck.rule.aim is DuckAim.LEVELS:
        aim = aim_lufs + plan.programme_gain_db
        found["lines"] = {
            "duck_id": duck.duck_id,
            "aim_lufs": aim,
            "open_lufs": aim + duck.rule.open_lu,
            "under_lufs": aim + duck.rule.under_lu,
        }
    return found


def _clips_of_track(track: Track, later_db: float, levels: LevelsOfClips) -> list[Row]:
    kept = _clips.get((track, later_db))
    if kept is not None and kept[0] is levels:
        return kept[1]
    rows = [_clip_row(clip, track, later_db, levels[clip.clip_id]) for clip in track.clips]
    _clips.put((track, later_db), (levels, rows))
    return rows


def _clip_row(clip: Clip, track: Track, later_db: float, level: ClipLevel | None) -> Row:
    # later_db: gain of stem and programme behind the track's.
    in_mix = level.level_lufs if level is not None else None
    gains_db = clip.gain_db + track.gain_db + later_db
    curve = {"curve": [[point.at_sample, point.gain_db] for point in clip.curve]} if clip.curve else {}
    return curve | {
        "id": clip.clip_id,
        "letter": track.role.letter,
        "track_id": track.track_id,
        "name": clip.name,
        **({"is_out": True} if clip.is_out or track.is_out else {}),
        "start_sample": clip.start_sample,
        "length_samples": clip.length_samples,
        "gain_db": clip.gain_db,
        "recorded_lufs": finite(in_mix - gains_db if in_mix is not None else None),
        "in_mix_lufs": finite(in_mix),
    }
