"""What acts on tracks and stems in a render, as values: what is listened to, and each stem's path to the bus.

Held to: tests/core/test_render.py, tests/core/test_paths.py
"""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import Final

from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.trim import trim_points
from recitant_core.processors.model import Chain, active
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role

_DUCK_REACH_SAMPLES: Final = 30 * RATE_HZ  # more than any live key or bell reads around a stretch


@dataclass(frozen=True)
class Audibility:
    """Solo and mute of tracks in a preview; a delivery always plays all."""

    only_tracks: frozenset[str] | None = None
    muted_tracks: frozenset[str] = frozenset()

    def includes(self, track: Track) -> bool:
        """Whether this track sounds."""
        if track.track_id in self.muted_tracks:
            return False
        return self.only_tracks is None or track.track_id in self.only_tracks


EVERYTHING: Final = Audibility()


def listened_to(plan: Plan, heard: Audibility) -> Plan:
    """The plan as a preview hears it: tracks out of the mix sound where nothing but such tracks is listened to."""
    only = heard.only_tracks or frozenset()
    chosen = [track for track in plan.tracks if track.track_id in only]
    if not chosen or not all(track.is_out for track in chosen):
        return plan
    return replace(plan, tracks=tuple(replace(t, is_out=False) if t in chosen else t for t in plan.tracks))


@dataclass(frozen=True)
class TrackIdentity:
    """All that makes what enters and leaves a track's chain in a window: equal values, equal samples."""

    track_id: str
    pan: float
    is_mono: bool
    chain: Chain
    ride: Ride
    clips: tuple[Clip, ...]


def track_identity(track: Track, window: SampleSpan) -> TrackIdentity:
    """Identity of a track in a window: equal identities, equal samples."""
    clips = tuple(clip for clip in track.in_mix if clip.span.intersect(window) is not None)
    return TrackIdentity(track.track_id, track.pan, track.is_mono, track.chain, track.ride, clips)


@dataclass(frozen=True)
class StemPath:
    """A stem from its tracks to the bus: its fader, then ducking, trim, and chain and ride in the ride's order."""

    role: Role
    tracks: tuple[Track, ...]
    """Those that sound, in the plan's order."""
    gain_db: float
    """Of its fader, which acts on each of its tracks."""
    duck: Duck | None
    """Of the stem as a whole; a track's own acts before it."""
    trim: tuple[CurvePoint, ...]
    """Slow gain by scenes, straight in dB between its points; empty where there is none."""
    chain: Chain
    """Processors that act."""
    ride: Ride
    speech: tuple[tuple[Track, float], ...]
    """Tracks that ducks may listen to, each with its stem's gain; empty where nothing gives way."""
    ducks: tuple[Duck, ...]

    @staticmethod
    def of(plan: Plan, role: Role, heard: Audibility = EVERYTHING) -> "StemPath":
        """The path of a stem of a plan."""
        return StemPath(
            role,
            tuple(track for track in plan.tracks if track.role is role and heard.includes(track)),
            plan.stem_gain_db(role),
            plan.duck_of_stem(role),
            trim_points(plan.stem_trim(role)),
            active(plan.stem_chain(role)),
            plan.stem_ride(role),
            tuple((t, plan.stem_gain_db(t.role)) for t in plan.tracks if t.role.is_speech) if plan.ducks else (),
            plan.ducks,
        )

    @property
    def is_straight(self) -> bool:
        """Whether no chain and no ride lie behind the trim."""
        return not self.chain and not self.ride.points

    def identity(self, window: SampleSpan) -> Hashable:
        """All that makes the stem in a window: equal values, equal samples.

        Args:
            window: of the programme; what ducks read up to half a minute around it counts too.
        """
        wide = window.widen(_DUCK_REACH_SAMPLES, _DUCK_REACH_SAMPLES)
        read = (*((track, self.gain_db) for track in self.tracks), *self.speech)
        tracks = tuple((track_identity(track, wide), track.gain_db, gain_db) for track, gain_db in read)
        return (self.role, tracks, self.ducks, self.trim, self.chain, self.ride)


def stem_paths(plan: Plan, heard: Audibility = EVERYTHING) -> dict[Role, StemPath]:
    """The path of every stem that has tracks, by role; those in ``plan.roles`` sound."""
    return {role: StemPath.of(plan, role, heard) for role in {track.role for track in plan.tracks}}
