"""The frozen plan of a programme: what sounds where, and how loud. Times in samples at 48 kHz, gains in dB."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Final

from recitant_core.gain.duck_rule import DuckRule
from recitant_core.gain.ducking import Points
from recitant_core.gain.envelope import CurvePoint, FadeShape, fade_factors
from recitant_core.gain.trim import Trim
from recitant_core.processors.model import Chain, chain_key
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout, Routing
from recitant_core.units.clock import SampleSpan
from recitant_core.units.remembered import keeps_hash
from recitant_core.units.roles import Role

LEAST_GAIN_DB: Final = -96.0
MOST_GAIN_DB: Final = 24.0
MOST_LENGTH_SAMPLES: Final = 24 * 3600 * 48_000


@dataclass(frozen=True)
class Balanced:
    """Gain that a first balance set on a clip or a stem; another gain than its own was set by hand since."""

    from_db: float
    """Gain before it: every later first balance measures from there."""
    to_db: float
    is_curve_made: bool = False
    """Whether the clip's curve is its work too."""


@dataclass(frozen=True)
class Take:
    """Another recording for the place of a clip: what is the clip's own once it is chosen."""

    source_key: str
    shift_samples: int
    """Its in-point less the in-point of the clip, both at the clip's start."""
    from_sample: int = 0
    """Of its recording, from where on it is used."""
    to_sample: int | None = None
    """Of its recording, up to where it is used; None for its end."""
    name: str = ""
    gain_db: float = 0.0
    """Its gain less the clip's."""
    routing: Routing = Routing.AS_RECORDED
    reversed_channels: tuple[int, ...] = ()
    dc_offset: tuple[float, ...] = ()
    left_out: tuple[SampleSpan, ...] = ()
    mended: tuple[str, ...] = ()


@keeps_hash
@dataclass(frozen=True)
class Clip:
    """A stretch of a source, placed."""

    clip_id: str
    source_key: str
    start_sample: int
    in_sample: int
    length_samples: int
    gain_db: float = 0.0
    fade_in_samples: int = 0
    fade_out_samples: int = 0
    curve: tuple[CurvePoint, ...] = ()
    """Gain over time, counted from the clip's start."""
    fade_in_shape: FadeShape = FadeShape.EQUAL_POWER
    fade_out_shape: FadeShape = FadeShape.EQUAL_POWER
    routing: Routing = Routing.AS_RECORDED
    reversed_channels: tuple[int, ...] = ()
    """Channels of the recording whose polarity is turned, by index."""
    dc_offset: tuple[float, ...] = ()
    """Constant taken off each channel of the recording, full scale 1.0; empty for none."""
    left_out: tuple[SampleSpan, ...] = ()
    """Stretches of the recording that its level is measured without; they sound all the same."""
    name: str = ""
    group: str = ""
    """Clips of one group move and level as one; empty for none."""
    mended: tuple[str, ...] = ()
    """Codes of the remedies that were applied."""
    chain: Chain = ()
    """Processors over the recording, before routing and gains; their curves count in the recording's samples."""
    speaker: str = ""
    """Speaker; empty if unassigned."""
    is_room_tone: bool = False
    """Covers a gap: never advised, never evened out, never speech."""
    balanced: Balanced | None = None
    """None where no first balance has set it."""
    accepted: tuple[SampleSpan, ...] = ()
    """Stretches of the recording whose speech may be close to the rest: somebody accepted it."""
    is_out: bool = False
    """Whether it is out of the mix: kept in the programme, in no file and in no figure of the mix."""
    takes: tuple[Take, ...] = ()
    """The other recordings for its place, in order; the one that sounds is the clip's own."""
    take_index: int = 0
    """Where the one that sounds stands among all of them."""
    unfilled: tuple[int, int] = (0, 0)
    """Samples before and after it that belong to its place, and that another of its takes fills."""
    sync_sample: int | None = None
    """Where its recording's first sample lies from the picture's first frame; None where it is not tied to it."""

    @cached_property
    def sound_key(self) -> str:
        """Identity of its recording behind its chain: equal keys, equal samples."""
        key = chain_key(self.chain)
        return f"{self.source_key}+{key}" if key else self.source_key

    @property
    def span(self) -> SampleSpan:
        """Stretch of the programme that it takes."""
        return SampleSpan(self.start_sample, self.length_samples)


@dataclass(frozen=True)
class Ride:
    """A fader's movement over programme time."""

    points: tuple[CurvePoint, ...] = ()
    is_first: bool = False
    """Whether it comes before the processors (they then hear the ridden level) or after them."""


@keeps_hash
@dataclass(frozen=True)
class Track:
    """Clips that share a fader."""

    track_id: str
    name: str
    role: Role
    gain_db: float = 0.0
    pan: float = 0.0
    clips: tuple[Clip, ...] = ()
    is_mono: bool = False
    """Whether both loudspeakers get the sum of its clips' sides."""
    chain: Chain = ()
    """Processors over its clips, pan included, before its fader; their curves count in programme samples."""
    ride: Ride = Ride()
    is_out: bool = False
    """Whether all its clips are out of the mix."""

    @cached_property
    def in_mix(self) -> tuple[Clip, ...]:
        """Its clips that are in the mix."""
        if self.is_out:
            return ()
        return (
            tuple(clip for clip in self.clips if not clip.is_out) if any(c.is_out for c in self.clips) else self.clips
        )

    @cached_property
    def end_sample(self) -> int:
        """The end of its last clip in the mix; 0 where it has none."""
        return max((clip.start_sample + clip.length_samples for clip in self.in_mix), default=0)

    @cached_property
    def sound_keys(self) -> tuple[str, ...]:
        """Identities of its clips' recordings behind their chains, each once."""
        return tuple(sorted({clip.sound_key for clip in self.clips}))

    @cached_property
    def source_keys(self) -> tuple[str, ...]:
        """The recordings of its clips, each once."""
        return tuple(sorted({clip.source_key for clip in self.clips}))


@dataclass(frozen=True)
class Master:
    """The last stage: a gain, and a limiter where a ceiling is given."""

    gain_db: float = 0.0
    ceiling_dbtp: float | None = None


@keeps_hash
@dataclass(frozen=True)
class Duck:
    """Rule by which one stem, or one track, gives way to speech, and the curve that it made."""

    duck_id: str
    stem: Role | None
    """None where it is a track that gives way."""
    track_id: str = ""
    rule: DuckRule = field(default_factory=DuckRule)
    points: Points = ()
    """Gain over programme time."""
    room_points: Points = ()
    """Gain of the bell in the voice's range over programme time."""

    def acts_on(self, track: Track) -> bool:
        """Whether this track is lowered by it, by itself or with its stem."""
        return track.role is self.stem if self.stem is not None else track.track_id == self.track_id


@dataclass(frozen=True)
class Plan:
    """A whole programme."""

    title: str
    frame_rate: str
    tracks: tuple[Track, ...]
    stem_gains_db: dict[Role, float] = field(default_factory=dict)
    master: Master = Master()
    ducks: tuple[Duck, ...] = ()
    stem_chains: dict[Role, Chain] = field(default_factory=dict)
    """Processors over a stem, after its fader and after it gave way."""
    stem_rides: dict[Role, Ride] = field(default_factory=dict)
    master_chain: Chain = ()
    """Processors over the sum of all stems, before the fit's gain and the last limiter."""
    stem_trims: dict[Role, Trim] = field(default_factory=dict)
    """Slow gain of a stem by scenes, before its processors."""
    stem_balanced: dict[Role, Balanced] = field(default_factory=dict)
    programme_gain_db: float = 0.0
    """Gain of the whole mix, behind the master's processors and before the limiter."""
    layout: ChannelLayout = STEREO
    """Of the bus: stems, master and what is handed over. Stereo is the only one that clips are routed to so far."""

    @cached_property
    def span(self) -> SampleSpan:
        """From programme start to the end of the last clip in the mix."""
        return SampleSpan(0, max((track.end_sample for track in self.tracks), default=0))

    @property
    def roles(self) -> tuple[Role, ...]:
        """The roles that have clips in the mix, in summing order."""
        return tuple(sorted({track.role for track in self.tracks if track.in_mix}, key=lambda role: role.order))

    @property
    def stems_set(self) -> tuple[Role, ...]:
        """Roles whose stem has a gain, processors, a movement or a record of a first balance, in summing order."""
        given = {*self.stem_gains_db, *self.stem_chains, *self.stem_rides, *self.stem_trims, *self.stem_balanced}
        return tuple(sorted(given, key=lambda role: role.order))

    def stem_gain_db(self, role: Role) -> float:
        """Gain of a stem; 0 where none was set."""
        return self.stem_gains_db.get(role, 0.0)

    def stem_chain(self, role: Role) -> Chain:
        """Processors of a stem; empty where there are none."""
        return self.stem_chains.get(role, ())

    def stem_ride(self, role: Role) -> Ride:
        """Movement of a stem's fader."""
        return self.stem_rides.get(role, Ride())

    def stem_trim(self, role: Role) -> Trim:
        """Slow gain of a stem by scenes; empty where there is none."""
        return self.stem_trims.get(role, ())

    def role_of(self, duck: Duck) -> Role:
        """The role of what gives way."""
        if duck.stem is not None:
            return duck.stem
        return next(track.role for track in self.tracks if track.track_id == duck.track_id)

    def key_tracks(self, duck: Duck) -> tuple[Track, ...]:
        """The tracks to whose speech something gives way: narration and dialogue; for dialogue, narration alone.

        A rule that names tracks keeps to those of them; tracks out of the mix are silent but stay in the list.
        """
        is_dialogue = self.role_of(duck).kind is Role.DIALOGUE
        heard = (Role.NARRATION,) if is_dialogue else (Role.NARRATION, Role.DIALOGUE)
        keys = duck.rule.keys
        return tuple(t for t in self.tracks if t.role.kind in heard and (not keys or t.track_id in keys))

    def duck_of_stem(self, role: Role) -> Duck | None:
        """The duck of a stem; None where it has none."""
        return next((duck for duck in self.ducks if duck.stem is role), None)

    def duck_of_track(self, track_id: str) -> Duck | None:
        """The duck of a track by itself; None where it has none."""
        return next((duck for duck in self.ducks if duck.stem is None and duck.track_id == track_id), None)


def clip_matrix(clip: Clip, track: Track, layout: ChannelLayout) -> FloatArray:
    """Gain factors of each channel of a clip's recording to left and right, without gains; float64 (channels, 2).

    Args:
        track: that it lies on, for its pan and whether it is folded to mono.
        layout: of the recording.
    """
    matrix_of = layout.mono_matrix if track.is_mono else layout.routed_matrix
    return matrix_of(clip.routing, clip.reversed_channels, track.pan)


def clip_fade_factors(clip: Clip, places: FloatArray) -> FloatArray:
    """Factor of both fades of a clip at each place, float64 (places,).

    Args:
        places: samples from the clip's start, float64 (places,).
    """
    return fade_factors(
        places,
        clip.length_samples,
        clip.fade_in_samples,
        clip.fade_out_samples,
        clip.fade_in_shape,
        clip.fade_out_shape,
    )
