"""What a mix will read, from the energies of its sources alone: at once, without rendering.

Sources are taken to be unrelated, so their powers add. Gains, fades and curves are taken at the middle of each 10 ms.
Held to: tests/core/test_chains.py
"""

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from recitant_core.gain.duck_rule import DuckKind
from recitant_core.gain.ducking import hop_gains_db
from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.gain.sidechain import keyed_hop_gains_db
from recitant_core.render.paths import StemPath, stem_paths
from recitant_core.timeline.model import Clip, Plan, Track, clip_fade_factors, clip_matrix
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import HOP_SAMPLES
from recitant_core.units.remembered import Remembered, fingerprint
from recitant_core.units.roles import Role


def clip_energy(clip: Clip, track: Track, gain_db: float, source_energy: FloatArray) -> tuple[int, FloatArray]:
    """First hop and 10 ms energies of a clip in the programme, with all its gains: float64 (hops,).

    Args:
        clip: placed; its own gain, fades, curve and routing count.
        track: that it lies on, for its pan and width.
        gain_db: of its track and stem together.
        source_energy: of its whole source: float64 (hops, 3) of a two-channel one (left, right, left times right), or
            (hops, 1) of any other as two loudspeakers give it.
    """
    first = round(clip.start_sample / HOP_SAMPLES)
    n_hops = max(1, round(clip.length_samples / HOP_SAMPLES))
    source_first = round(clip.in_sample / HOP_SAMPLES)
    energy = routed_energy(clip, track, source_energy[source_first : source_first + n_hops])
    factors = np.full(len(energy), 10.0 ** ((clip.gain_db + gain_db) / 20.0))
    middles = np.minimum(np.arange(len(energy)) * HOP_SAMPLES + HOP_SAMPLES // 2, clip.length_samples - 1.0)
    factors *= clip_fade_factors(clip, middles)
    if clip.curve:
        factors *= 10.0 ** (curve_db(clip.curve, middles) / 20.0)
    return first, energy * factors * factors


def routed_energy(clip: Clip, track: Track, source_energy: FloatArray) -> FloatArray:
    """Energies of a stretch of a recording through the routing of a clip, without any gain; float64 (hops,).

    Args:
        source_energy: float64 (hops, 3) of two channels (left, right, left times right), or (hops, 1).
    """
    if source_energy.shape[1] == 1:
        return source_energy[:, 0]
    matrix = clip_matrix(clip, track, STEREO)
    weights = np.array([(matrix[0] ** 2).sum(), (matrix[1] ** 2).sum(), 2.0 * (matrix[0] * matrix[1]).sum()])
    routed: FloatArray = np.maximum(source_energy @ weights, 0.0)
    return routed


def track_energies(plan: Plan, source_energies: Mapping[str, FloatArray]) -> dict[str, FloatArray]:
    """Estimated 10 ms energies of each track with its faders, before it gives way; by id, float64 (hops,) each.

    Read-only, and kept: an edit works out those of the track that it changed.

    Args:
        source_energies: of each recording by its clip's sound_key, and, where they are known, of tracks through their
            chains and rides before their faders by chained_track_key. A stem's chain is not counted.
    """
    n_hops = hops_of(plan)
    prints = {key: fingerprint(energy) for key, energy in source_energies.items()}
    tracks = {}
    paths = stem_paths(plan)
    for track in plan.tracks:
        path = paths[track.role]
        known = source_energies.get(chained_track_key(track.track_id))
        heard = track.sound_keys if known is None else (chained_track_key(track.track_id),)
        key = (track, path.gain_db, path.ride, path.trim, n_hops, tuple(prints[one] for one in heard))

        def make(track: Track = track, path: StemPath = path, known: FloatArray | None = known) -> FloatArray:
            return _track_energy(track, path, known, source_energies, n_hops)

        tracks[track.track_id] = _of_tracks.get_or_make(key, make)
    return tracks


_of_tracks: Final = Remembered[FloatArray](192 << 20)


def _track_energy(
    track: Track, path: StemPath, known: FloatArray | None, source_energies: Mapping[str, FloatArray], n_hops: int
) -> FloatArray:
    total = np.zeros(n_hops)
    gain_db = track.gain_db + path.gain_db
    if known is not None:
        n = min(len(known), n_hops)
        total[:n] += known[:n] * 10.0 ** (gain_db / 10.0) * _ridden(path.ride.points, 0, n)
    for clip in track.in_mix if known is None else ():
        first, energy = clip_energy(clip, track, gain_db, source_energies[clip.sound_key])
        end = min(n_hops, first + len(energy))
        energy = energy * _ridden(track.ride.points, first, len(energy)) * _ridden(path.ride.points, first, len(energy))
        total[first:end] += energy[: end - first]
    total *= _ridden(path.trim, 0, n_hops)
    return total


def chained_track_key(track_id: str) -> str:
    """Under what a track's energies through its chain stand among those of recordings."""
    return f"track {track_id}"


def _ridden(points: tuple[CurvePoint, ...], first_hop: int, n_hops: int) -> FloatArray | float:
    if not points:
        return 1.0
    places: FloatArray = (first_hop + np.arange(n_hops, dtype=np.float64) + 0.5) * HOP_SAMPLES
    return np.asarray(10.0 ** (curve_db(points, places) / 10.0))


def duck_gains_db(plan: Plan, tracks: Mapping[str, FloatArray]) -> dict[str, FloatArray]:
    """Gain of each duck in dB, float64 (hops,), by the duck's id; the room in the spectrum is not counted.

    Args:
        tracks: see track_energies; live keys listen to them.
    """
    gains = {}
    for duck in plan.ducks:
        if duck.rule.kind is DuckKind.LIVE:
            key_energy = sum((tracks[t.track_id] for t in plan.key_tracks(duck)), np.zeros(hops_of(plan)))
            gains[duck.duck_id] = keyed_hop_gains_db(key_energy, duck.rule.live, duck.rule.floor_db)
        elif duck.rule.uses_level:
            gains[duck.duck_id] = hop_gains_db(duck.points, hops_of(plan))
        else:
            gains[duck.duck_id] = np.zeros(hops_of(plan))
    return gains


def given_way_db(plan: Plan, track: Track, gains: Mapping[str, FloatArray]) -> FloatArray | None:
    """Gain of all ducks together on a track in dB, float64 (hops,); None where none acts on it.

    Args:
        gains: see duck_gains_db.
    """
    acting = [gains[duck.duck_id] for duck in plan.ducks if duck.acts_on(track)]
    return sum(acting[1:], acting[0]) if acting else None


def stem_energies(plan: Plan, source_energies: Mapping[str, FloatArray]) -> dict[Role, FloatArray]:
    """Estimated 10 ms energies of each stem over the whole programme, giving way; float64 (hops,) each."""
    return stems_of_tracks(plan, track_energies(plan, source_energies))


def stems_of_tracks(plan: Plan, tracks: Mapping[str, FloatArray]) -> dict[Role, FloatArray]:
    """Energies of each stem, giving way, float64 (hops,).

    Args:
        tracks: of each track with its faders, by id; see track_energies.
    """
    gains = duck_gains_db(plan, tracks)
    return {
        role: lowered_energy(plan, [track for track in plan.tracks if track.role is role], tracks, gains)
        for role in plan.roles
    }


def lowered_energy(
    plan: Plan, mine: Sequence[Track], tracks: Mapping[str, FloatArray], gains: Mapping[str, FloatArray]
) -> FloatArray:
    """Energy of some tracks together as they give way, float64 (hops,), read-only.

    Args:
        tracks: see track_energies.
        gains: see duck_gains_db.
    """
    acting = {track.track_id: tuple(d.duck_id for d in plan.ducks if d.acts_on(track)) for track in mine}
    used = sorted({duck_id for ids in acting.values() for duck_id in ids})
    key = (
        hops_of(plan),
        tuple((fingerprint(tracks[track_id]), ids) for track_id, ids in acting.items()),
        tuple((duck_id, fingerprint(gains[duck_id])) for duck_id in used),
    )
    return _of_stems.get_or_make(key, lambda: _lowered(hops_of(plan), acting, tracks, gains))


_of_stems: Final = Remembered[FloatArray](96 << 20)


def _lowered(
    n_hops: int,
    acting: Mapping[str, tuple[str, ...]],
    tracks: Mapping[str, FloatArray],
    gains: Mapping[str, FloatArray],
) -> FloatArray:
    together: dict[tuple[str, ...], FloatArray] = {}
    for track_id, ids in acting.items():
        if ids in together:
            together[ids] += tracks[track_id]
        else:
            together[ids] = tracks[track_id].copy()
    total = np.zeros(n_hops)
    for ids, energy in together.items():
        # What several tracks share is worked out once, and only where it is not 0 dB.
        lowered_db = sum((gains[duck_id] for duck_id in ids), np.zeros(n_hops))
        moved = np.flatnonzero(lowered_db)
        energy[moved] *= 10.0 ** (lowered_db[moved] / 10.0)
        total += energy
    return total


def hops_of(plan: Plan) -> int:
    """Number of 10 ms hops of a programme."""
    return -(-plan.span.length_samples // HOP_SAMPLES)
