"""The sheet of the Level page: every clip as a row."""

from typing import Any, Final

from recitant_core.measure.clip_level import UNMEASURED
from recitant_core.timeline.model import Role
from recitant_core.units.level import finite
from recitant_web.desk.levels import advised_gain_db, known_peaks, levels_in_mix, peaks_key
from recitant_web.listening.snapshot import Snapshot

_SHEET_S: Final = 0.6  # what an answer may wait for clips that were never measured; the page asks again for the rest


def sheet(snapshot: Snapshot) -> list[dict[str, Any]]:
    """Every clip as a row of the sheet, in order of time."""
    plan, spec = snapshot.plan, snapshot.spec
    levels = levels_in_mix(plan, snapshot.energies, snapshot.speech, _SHEET_S)
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
