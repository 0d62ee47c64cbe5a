"""Blocks of what is heard, with what the meters show along them."""

import io
import time
from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import soundfile

from recitant_core.delivery.playback.playback import in_mono
from recitant_core.delivery.specification.form import Channels
from recitant_core.delivery.specification.model import Spec
from recitant_core.dsp.quantise import quantise
from recitant_core.errors import RangeError
from recitant_core.measure.meter_history import MeterHistory
from recitant_core.measure.running import (
    LEAD_SAMPLES,
    STEM_STEP_SAMPLES,
    STEP_SAMPLES,
    running_readings,
    stem_levels_lufs,
)
from recitant_core.render.mix import render_heard
from recitant_core.render.paths import Audibility
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from recitant_web.desk.energies import known_source
from recitant_web.listening.figures import likely_master, tenths_of
from recitant_web.listening.playback import PlayedBack, Through
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache

MOST_BLOCK_SAMPLES = 10 * RATE_HZ
_histories: Cache[MeterHistory] = Cache("heard lately", 192_000_000, lambda one: 2_048 + one.kept_bytes)


@dataclass(frozen=True)
class Block:
    """A stretch of sound as WAV, and what the meters show along it."""

    wav: bytes
    readings: dict[str, Any]


@dataclass(frozen=True)
class Listening:
    """Settings of one person's listening."""

    heard: Audibility
    """Which tracks sound."""
    hear: str = "mix"
    """"mix" for the mix as balanced (float), "handed-over" for the samples of the file that will be written for the
    programme's specification (24 bit)."""
    is_mono: bool = False
    """Whether both sides are added up, to check what a single loudspeaker gives."""
    has_stems: bool = False
    """Whether the meters of the stems are wanted."""
    through: Through | None = None
    """What it is played back through; None for the mix as it is."""
    spec: Spec | None = None
    """To which it is handed over; the programme's own if None."""


class _Rendering:
    """A mix as somebody listens to it, stretch by stretch."""

    def __init__(self, snapshot: Snapshot, listening: Listening) -> None:
        plan = snapshot.plan
        self._listening = listening
        # Until the fit of what is handed over is known it is foretold.
        is_finished = listening.hear == "handed-over"
        self.spec = listening.spec or snapshot.spec
        master, self.is_exact = likely_master(snapshot, self.spec) if is_finished else (plan.master, True)
        self._is_mono = listening.is_mono
        if is_finished and self.spec.form.channels is Channels.MONO:
            # The fold-down is fitted by itself when it is written.
            self._is_mono, self.is_exact = True, False
        self._plan = replace(plan, master=master)
        self._sources = {key: known_source(key) for key in {c.source_key for t in plan.tracks for c in t.clips}}
        key = (snapshot.key, master, listening.heard, self._is_mono)
        self.played: PlayedBack | None = None
        if listening.through is not None:
            self.played = PlayedBack(listening.through, lambda span: self._mix(span)[0], key, snapshot, master)
        self.key: Hashable = (key, listening.through)
        """Equal where the same is heard."""

    def heard(self, span: SampleSpan) -> tuple[Audio, dict[Role, Audio]]:
        """Audio, float32 (frames, channels), and the stems where they are wanted."""
        if self.played is None:
            return self._mix(span)
        return self.played.audio(span), self._mix(span)[1] if self._listening.has_stems else {}

    def _mix(self, span: SampleSpan) -> tuple[Audio, dict[Role, Audio]]:
        audio, stems = render_heard(self._plan, self._sources, span, self._listening.heard)
        if self._is_mono:
            audio = in_mono(audio)
        return audio, stems


def block(
    programme: Programme, start_sample: int, length_samples: int, listening: Listening, plan: Plan | None = None
) -> Block:
    """Audio and readings of a stretch.

    Args:
        plan: heard instead of the programme's own, for comparing.

    Raises:
        RangeError: a stretch out of bounds.
    """
    hear = listening.hear
    if start_sample < 0 or not 1 <= length_samples <= MOST_BLOCK_SAMPLES or hear not in ("mix", "handed-over"):
        raise RangeError("block", start_sample=start_sample, length_samples=length_samples, hear=hear)
    snapshot = Snapshot(programme, plan)
    rendering = _Rendering(snapshot, listening)
    meter_history = _histories.get_or_make((programme.pk, listening), MeterHistory)
    lead = meter_history.lead(start_sample, rendering.key, time.monotonic())
    span = SampleSpan(start_sample, length_samples).widen(LEAD_SAMPLES if lead is None else 0, 0)
    audio, stems = rendering.heard(span)
    wanted = audio[-length_samples:]
    meter_history.put(span.start_sample, audio, rendering.key, time.monotonic())
    _histories.put((programme.pk, listening), meter_history)  # its size has changed
    if lead is not None:
        audio = np.concatenate([lead, wanted])
    is_file = hear == "handed-over" and rendering.played is None
    wav = wav_of_file(wanted, rendering.spec.bit_depth, start_sample) if is_file else wav_float(wanted)
    layout = snapshot.plan.layout
    readings = {
        "revision": programme.revision,
        "is_exact": rendering.is_exact,
        **block_readings(audio, layout),
    }
    if rendering.played is not None:
        readings["through"] = rendering.played.sentence()
    if listening.has_stems:
        readings["stem_step_samples"] = STEM_STEP_SAMPLES
        readings["stems"] = {
            role.value: tenths_of(stem_levels_lufs(stem[-length_samples:], layout)) for role, stem in stems.items()
        }
    return Block(wav, readings)


def wav_of_file(audio: Audio, bit_depth: int, start_sample: int) -> bytes:
    """Audio at 48 kHz as the file that is handed over holds it, in a WAV file of 24 bit."""
    file = io.BytesIO()
    values = quantise(audio, bit_depth, start_sample)
    soundfile.write(file, values << np.int32(32 - bit_depth), RATE_HZ, "PCM_24", format="WAV")
    return file.getvalue()


def wav_float(audio: Audio) -> bytes:
    """Audio at 48 kHz as a float WAV file."""
    file = io.BytesIO()
    soundfile.write(file, audio, RATE_HZ, "FLOAT", format="WAV")
    return file.getvalue()


def block_readings(audio: Audio, layout: ChannelLayout) -> dict[str, Any]:
    """Meter readings of a stretch: tenths of LUFS and dB every STEP_SAMPLES, and the correlation of left and right.

    Args:
        audio: float32 (LEAD_SAMPLES + frames, channels): the stretch with what comes before it.
        layout: of its channels.
    """
    running = running_readings(audio, layout)
    return {
        "step_samples": STEP_SAMPLES,
        "momentary": tenths_of(running.momentary_lufs),
        "short_term": tenths_of(running.short_term_lufs),
        "peaks": [tenths_of(channels) for channels in running.peak_dbfs],
        "quasi": [tenths_of(channels) for channels in running.quasi_peak_dbfs],
        "true_peaks": tenths_of(running.true_peak_dbtp),
        "correlation": [round(float(value), 2) for value in running.correlation],
    }


def heard_from(only: str, muted: str) -> Audibility:
    """Solo and mute from lists of track ids as an address carries them."""
    only_tracks = frozenset(only.split(",")) if only else None
    return Audibility(only_tracks, frozenset(muted.split(",")) if muted else frozenset())
