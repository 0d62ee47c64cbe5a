"""The level path: every gain between a recording and the output at one moment, in order, adding up.

Each stage is rendered and measured in the 400 ms around the moment (Tech 3341's momentary window), so that what is
listed is what happens, also where a fade or a curve moves within the window.
Held to: tests/core/test_level_path.py
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.errors import RangeError
from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.ports import SampleSource
from recitant_core.processors.model import Chain, active
from recitant_core.render.ducking_render import ducked, ridden
from recitant_core.render.laid import Sources
from recitant_core.render.mix import output_gain_db, render_mix, render_stems
from recitant_core.render.paths import StemPath
from recitant_core.render.tracks import Keys, add_track
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Track
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout, Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import SILENCE, factor_from_db, lufs_from_power

WINDOW_SAMPLES: Final = 19_200
_LEAD_SAMPLES: Final = RATE_HZ // 2  # for the filter to settle
SILENT_LUFS: Final = -70.0
SWALLOWED_DB: Final = 40.0  # a single stage that takes this much makes a clip inaudible


@dataclass(frozen=True)
class PathLine:
    """One stage: its gain as measured, and the level behind it."""

    code: str
    gain_db: float
    level_lufs: float


@dataclass(frozen=True)
class LevelPath:
    """The whole path at one moment."""

    recorded_lufs: float
    lines: tuple[PathLine, ...]
    silent_because: str
    """Code of the first stage that makes it inaudible; empty where it is heard."""

    @property
    def output_lufs(self) -> float:
        """Level at the end of the path."""
        return self.lines[-1].level_lufs if self.lines else self.recorded_lufs


def level_path(plan: Plan, sources: Sources, clip_id: str, at_sample: int) -> LevelPath:
    """Every gain of a clip at a moment, from the recording to the output.

    Args:
        plan: with its master, which counts where it has a gain or a ceiling.
        at_sample: of the programme; outside of the clip everything is silent.

    Raises:
        RangeError: no such clip.
    """
    found = [(track, clip) for track in plan.tracks for clip in track.clips if clip.clip_id == clip_id]
    if not found:
        raise RangeError("no_clip", clip_id=clip_id)
    track, clip = found[0]
    is_out = track.is_out or clip.is_out
    if is_out:
        # Its gains are those it would have in the mix.
        track, clip, plan = _brought_in(plan, track, clip)
    if not clip.start_sample <= at_sample < clip.span.end_sample:
        return LevelPath(SILENCE, (), "outside")
    middle = SampleSpan(at_sample - WINDOW_SAMPLES // 2, WINDOW_SAMPLES)
    path = _Path(_recorded_lufs(sources[clip.source_key], clip, middle), plan.layout)
    _of_clip_stages(path, clip, track, sources, middle)
    # A chain hears the whole track: what it does to that is what it does to the clip.
    strip = _Strip(
        path,
        middle,
        lambda chain, ride: _whole_track(replace(track, gain_db=0.0, chain=chain, ride=ride), sources, plan.layout),
    )
    strip_db = strip.through("track", track.chain, track.ride)
    path.by("track-fader", track.gain_db)
    keys = Keys(plan, sources)
    own, stem = plan.duck_of_track(track.track_id), StemPath.of(plan, track.role)
    signal = _scaled(
        _of_clip(clip, replace(track, chain=(), ride=Ride()), sources, plan.layout), factor_from_db(strip_db)
    )
    if own is not None:
        signal = _through(signal, own, keys, path, "track", middle)
    path.by("stem-fader", stem.gain_db)
    signal = _scaled(signal, factor_from_db(stem.gain_db))
    if stem.duck is not None:
        signal = _through(signal, stem.duck, keys, path, "stem", middle)
    if stem.trim:
        path.to("stem-trim", _lufs(_with_points(signal, stem.trim), middle, plan.layout))
    _after_trim(path, plan, stem, sources, middle)
    if is_out:
        path.to("out-of-mix", SILENCE)
    return path.done()


def _brought_in(plan: Plan, track: Track, clip: Clip) -> tuple[Track, Clip, Plan]:
    clip_in = replace(clip, is_out=False)
    others = tuple(clip_in if c is clip else replace(c, is_out=c.is_out or track.is_out) for c in track.clips)
    track_in = replace(track, is_out=False, clips=others)
    return track_in, clip_in, replace(plan, tracks=tuple(track_in if t is track else t for t in plan.tracks))


def _of_clip_stages(path: "_Path", clip: Clip, track: Track, sources: Sources, middle: SampleSpan) -> None:
    bare = replace(
        clip,
        gain_db=0.0,
        curve=(),
        routing=Routing.AS_RECORDED,
        reversed_channels=(),
        dc_offset=(),
        fade_in_samples=0,
        fade_out_samples=0,
        fade_in_shape=FadeShape.EQUAL_POWER,
        fade_out_shape=FadeShape.EQUAL_POWER,
        chain=(),
    )
    plain_track = replace(track, gain_db=0.0, pan=0.0, is_mono=False, chain=(), ride=Ride())

    def measured(shaped: Clip, on: Track) -> float:
        return _lufs(_of_clip(shaped, on, sources, path.layout), middle, path.layout)

    # The recording itself may go on beyond the clip's edges: from here on only the clip counts.
    path.to("edges", measured(bare, plain_track))
    bare = replace(bare, chain=clip.chain)
    if active(clip.chain):
        path.to("clip-chain", measured(bare, plain_track))
    shaped = replace(bare, dc_offset=clip.dc_offset)
    if any(clip.dc_offset):
        path.to("repair", measured(shaped, plain_track))
    shaped = replace(shaped, routing=clip.routing, reversed_channels=clip.reversed_channels)
    on = replace(track, gain_db=0.0, chain=(), ride=Ride())
    path.to("routing", measured(shaped, on))
    path.by("clip-gain", clip.gain_db)
    shaped = replace(
        shaped,
        gain_db=clip.gain_db,
        fade_in_samples=clip.fade_in_samples,
        fade_out_samples=clip.fade_out_samples,
        fade_in_shape=clip.fade_in_shape,
        fade_out_shape=clip.fade_out_shape,
    )
    path.to("fade", measured(shaped, on))
    path.to("curve", measured(replace(shaped, curve=clip.curve), on))


def _after_trim(path: "_Path", plan: Plan, stem: StemPath, sources: Sources, middle: SampleSpan) -> None:
    def stem_with(chain: Chain, ride: Ride) -> Rendered:
        changed = replace(plan, stem_chains={stem.role: chain}, stem_rides={stem.role: ride})
        return lambda span: render_stems(changed, sources, span)[stem.role].astype(np.float64)

    _Strip(path, middle, stem_with).through("stem", stem.chain, stem.ride)
    if active(plan.master_chain):
        before, after = (_mix_lufs(one, sources, middle) for one in (replace(plan, master_chain=()), plan))
        path.by("master-chain", after - before if math.isfinite(before) else 0.0)
    if plan.programme_gain_db:
        path.by("programme-gain", plan.programme_gain_db)
    if plan.master.gain_db:
        path.by("master-gain", plan.master.gain_db)
    if plan.master.ceiling_dbtp is not None:
        path.by("limiter", _limiting_db(plan, sources, middle))


class _Path:
    def __init__(self, recorded_lufs: float, layout: ChannelLayout) -> None:
        self.layout: Final = layout
        self._recorded = recorded_lufs
        self._level = recorded_lufs
        self._lines: list[PathLine] = []
        self._because = "recording" if recorded_lufs <= SILENT_LUFS else ""

    def to(self, code: str, level_lufs: float) -> None:
        gain_db = level_lufs - self._level if math.isfinite(self._level) else 0.0
        self._add(code, gain_db, level_lufs)

    def by(self, code: str, gain_db: float) -> None:
        self._add(code, gain_db, self._level + gain_db)

    def _add(self, code: str, gain_db: float, level_lufs: float) -> None:
        if code == "edges" and abs(gain_db) < 0.05:
            return
        self._lines.append(PathLine(code, gain_db, level_lufs))
        was = self._level
        self._level = level_lufs
        if not self._because and (was > SILENT_LUFS >= level_lufs or gain_db <= -SWALLOWED_DB):
            self._because = code

    def done(self) -> LevelPath:
        return LevelPath(self._recorded, tuple(self._lines), self._because)


Rendered = Callable[[SampleSpan], FloatArray]


class _Strip:
    """The lines of a chain and a ride, in the order in which they come."""

    def __init__(self, path: _Path, middle: SampleSpan, signal_with: "Callable[[Chain, Ride], Rendered]") -> None:
        self._path = path
        self._middle = middle
        self._signal_with = signal_with

    def through(self, name: str, chain: Chain, ride: Ride) -> float:
        """Add the lines that there are; their gains together in dB."""
        if not active(chain) and not ride.points:
            return 0.0
        stages: list[tuple[str, Chain, Ride]] = []
        if ride.points and ride.is_first:
            stages.append((f"{name}-ride", (), ride))
        if active(chain):
            stages.append((f"{name}-chain", chain, ride if ride.is_first else Ride()))
        if ride.points and not ride.is_first:
            stages.append((f"{name}-ride", chain, ride))
        layout = self._path.layout
        was = first = _lufs(self._signal_with((), Ride()), self._middle, layout)
        for code, part, moved in stages:
            now = _lufs(self._signal_with(part, moved), self._middle, layout)
            self._path.by(code, now - was if math.isfinite(was) else 0.0)
            was = now
        return was - first if math.isfinite(first) and math.isfinite(was) else 0.0


def _whole_track(track: Track, sources: Sources, layout: ChannelLayout) -> Rendered:
    def signal(span: SampleSpan) -> FloatArray:
        total = layout.silence(span.length_samples)
        add_track(track, 0.0, sources, span, total, layout)
        return total

    return signal


def _of_clip(clip: Clip, track: Track, sources: Sources, layout: ChannelLayout) -> Rendered:
    return _whole_track(replace(track, clips=(clip,)), sources, layout)


def _scaled(signal: Rendered, factor: float) -> Rendered:
    return lambda span: signal(span) * factor


def _with_points(signal: Rendered, points: tuple[CurvePoint, ...]) -> Rendered:
    def moved(span: SampleSpan) -> FloatArray:
        out = signal(span)
        ridden(out, span.start_sample, points)
        return out

    return moved


def _through(signal: Rendered, duck: Duck, keys: Keys, path: _Path, name: str, middle: SampleSpan) -> Rendered:
    closed = replace(duck, room_points=())

    def levelled(span: SampleSpan) -> FloatArray:
        return ducked(signal, span, closed, keys.of(duck))

    def whole(span: SampleSpan) -> FloatArray:
        return ducked(signal, span, duck, keys.of(duck))

    path.to(f"{name}-duck", _lufs(levelled, middle, path.layout))
    if duck.rule.room.is_on:
        path.to(f"{name}-room", _lufs(whole, middle, path.layout))
    return whole


def _lufs(signal: Rendered, middle: SampleSpan, layout: ChannelLayout) -> float:
    audio = signal(middle.widen(_LEAD_SAMPLES, 0)).astype(np.float32)
    energy, _ = k_energies(audio, KState.at_rest(layout, RATE_HZ))
    return lufs_from_power(float(energy[-(WINDOW_SAMPLES * 100 // RATE_HZ) :].sum()) / WINDOW_SAMPLES)


def _mix_lufs(plan: Plan, sources: Sources, middle: SampleSpan) -> float:
    return _lufs(lambda span: render_mix(plan, sources, span).astype(np.float64), middle, plan.layout)


def _recorded_lufs(source: SampleSource, clip: Clip, middle: SampleSpan) -> float:
    # The recording as two loudspeakers give it, also beyond the clip's edges.
    matrix = source.layout.routed_matrix(Routing.AS_RECORDED, (), 0.0)

    def signal(span: SampleSpan) -> FloatArray:
        wanted = SampleSpan(span.start_sample - clip.start_sample + clip.in_sample, span.length_samples)
        total = STEREO.silence(span.length_samples)
        part = wanted.intersect(SampleSpan(0, source.length_samples))
        if part is not None:
            at = part.start_sample - wanted.start_sample
            total[at : at + part.length_samples] = source.read(part.start_sample, part.length_samples) @ matrix
        return total

    return _lufs(signal, middle, STEREO)


def _limiting_db(plan: Plan, sources: Sources, middle: SampleSpan) -> float:
    assert plan.master.ceiling_dbtp is not None
    gain = np.float32(factor_from_db(output_gain_db(plan)))
    mix = render_mix(plan, sources, middle.widen(BEFORE_SAMPLES, AFTER_SAMPLES)) * gain
    _, factor = limit(mix, plan.master.ceiling_dbtp)
    return 10.0 * math.log10(float(np.mean(factor.astype(np.float64) ** 2)))
