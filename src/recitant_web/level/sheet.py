"""The sheet of the Level page: every clip as a row."""

from typing import Any, Final

from recitant_core.measure.clip_level import UNMEASURED
from recitant_core.timeline.model import Track
from recitant_core.units.level import finite
from recitant_web.desk.levels import LevelsOfClips, Peaks, advised_gain_db, known_peaks, levels_of_tracks, peaks_key
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache

_SHEET_S: Final = 0.2  # what an answer may wait for clips that were never measured; the page asks again for the rest
_ROW_BYTES: Final = 2_500
Row = dict[str, Any]
_sheets: Cache[tuple[LevelsOfClips, list[Row]]] = Cache(
    "rows of sheets by track", 64_000_000, lambda kept: 2_048 + _ROW_BYTES * len(kept[1])
)


def sheet(snapshot: Snapshot) -> list[Row]:
    """Every clip as a row of the sheet, in order of time; rows are kept by track and must not be changed."""
    plan, spec = snapshot.plan, snapshot.spec
    levels = levels_of_tracks(plan, snapshot.energies, snapshot.speech, _SHEET_S)
    rows: list[Row] = []
    made: list[tuple[tuple[Track, float, float], LevelsOfClips]] = []
    for track in plan.tracks:
        key = (track, track.gain_db + plan.stem_gain_db(track.role), spec.aim_lufs(track.role))
        mine = levels[track.track_id]
        kept = _sheets.get(key)
        if kept is not None and kept[0] is mine:
            rows += kept[1]
        else:
            made.append((key, mine))
    peaks = known_peaks(peaks_key(clip, track) for (track, _, _), _ in made for clip in track.clips)
    for key, mine in made:
        found = _rows_of_track(*key, mine, peaks)
        if all(row["has_peaks"] for row in found):
            _sheets.put(key, (mine, found))
        rows += found
    return sorted(rows, key=lambda row: (row["start_sample"], int(row["id"])))


def _rows_of_track(
    track: Track, gain_db: float, aim_lufs: float, levels: LevelsOfClips, peaks: dict[str, Peaks]
) -> list[Row]:
    # gain_db: of track and stem.
    letter = track.role.letter
    rows = []
    for clip in track.clips:
        measured = levels[clip.clip_id]
        found = measured or UNMEASURED
        gains_db = clip.gain_db + gain_db
        sample, true = peaks.get(key := peaks_key(clip, track), (None, None))
        rows.append(
            {
                "id": clip.clip_id,
                "name": clip.name,
                "role": track.role.value,
                "letter": letter,
                "speaker": clip.speaker or (track.name if track.role.is_speech else ""),
                "track_id": track.track_id,
                "track": track.name,
                "group": clip.group,
                "is_out": clip.is_out or track.is_out,
                "is_room_tone": clip.is_room_tone,
                "start_sample": clip.start_sample,
                "in_sample": clip.in_sample,
                "length_samples": clip.length_samples,
                "level_lufs": finite(found.level_lufs),
                "short_term_lufs": finite(found.short_term_lufs),
                "range_lu": finite(found.range_lu),
                "noise_lufs": finite(found.noise_lufs),
                # A door slam is no outlier: only beside speech does one burst say little about the rest.
                "outliers": [[s.start_sample + clip.start_sample, s.length_samples] for s in found.outliers]
                if track.role.is_speech
                else [],
                "sample_peak_dbfs": None if sample is None else sample + gains_db,
                "true_peak_dbtp": None if true is None else true + gains_db,
                "has_peaks": key in peaks,
                "is_pending": measured is None,
                "aim_lufs": aim_lufs,
                "gain_db": clip.gain_db,
                "advised_db": advised_gain_db(clip, found.level_lufs, aim_lufs),
                "chain": [p.kind for p in clip.chain],
            }
        )
    return rows
