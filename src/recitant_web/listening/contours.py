"""Momentary loudness of the clips in a view."""

from typing import Any

from recitant_core.errors import RangeError
from recitant_core.gain.duck_rule import DuckKind
from recitant_core.render.contours import clip_contour
from recitant_core.timeline.model import Track
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.remembered import fingerprint
from recitant_web.listening.figures import tenths_of
from recitant_web.listening.scene import clearance_contour
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache

MOST_CONTOUR_POINTS = 4_000
Contours = dict[str, dict[str, Any]]
_contours: Cache[Contours] = Cache(
    "contours of tracks", 32_000_000, lambda found: 2_048 + sum(64 + 9 * len(one["tenths"]) for one in found.values())
)


def contours(programme: Programme, start_sample: int, end_sample: int, n_points: int) -> dict[str, Any]:
    """Momentary loudness of every clip in view, with all its gains, in tenths of LUFS.

    Args:
        start_sample, end_sample: the view.
        n_points: about one a pixel; fewer where the view is that short.

    Raises:
        RangeError: an empty view or too many points.
    """
    if end_sample <= start_sample or not 1 <= n_points <= MOST_CONTOUR_POINTS:
        raise RangeError("contour_view", start_sample=start_sample, end_sample=end_sample, n_points=n_points)
    snapshot = Snapshot(programme)
    plan = snapshot.plan
    step_hops = max(1, (end_sample - start_sample) // (HOP_SAMPLES * n_points))
    view = SampleSpan(start_sample, end_sample - start_sample)
    found: dict[str, Any] = {}
    for track in plan.tracks:
        # An edit makes the contours of one track anew, or of those that give way to it.
        ducks = tuple(duck for duck in plan.ducks if duck.acts_on(track))
        is_live = any(duck.rule.kind is DuckKind.LIVE for duck in ducks)
        gain_db = track.gain_db + plan.stem_gain_db(track.role) + plan.programme_gain_db
        heard = tuple(fingerprint(snapshot.energies[key]) for key in track.sound_keys)
        key = (track, gain_db, heard, ducks, snapshot.moment if is_live else None, view, step_hops)
        found |= _contours.get_or_make(
            key,
            lambda track=track, gain_db=gain_db: _of_track(snapshot, track, gain_db, view, step_hops),  # type: ignore[misc]
        )
    return {
        "revision": programme.revision,
        "step_samples": step_hops * HOP_SAMPLES,
        "clips": found,
        "clearance": clearance_contour(snapshot, view, step_hops),
    }


def _of_track(snapshot: Snapshot, track: Track, gain_db: float, view: SampleSpan, step_hops: int) -> Contours:
    # gain_db: of track, stem and programme.
    lowered_db = snapshot.lowered_db.get(track.track_id)
    found: Contours = {}
    for clip in track.clips:
        energy = snapshot.energies[clip.sound_key]
        is_out = clip.is_out or track.is_out
        contour = clip_contour(clip, track, gain_db, energy, None if is_out else lowered_db, view, step_hops)
        if contour is None:
            continue
        data: dict[str, Any] = {"from_sample": contour.from_sample, "tenths": tenths_of(contour.lufs)}
        if contour.undipped_lufs is not None:
            data["undipped"] = tenths_of(contour.undipped_lufs)
        found[clip.clip_id] = data
    return found
