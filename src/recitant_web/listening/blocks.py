"""Blocks of what is heard, with what the meters show along them."""

import io
import time
from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import soundfile

from recitant_core.dsp.quantise import quantise
from recitant_core.errors import RangeError
from recitant_core.measure.lately import Lately
from recitant_core.measure.running import LEAD_SAMPLES, running_readings, stem_levels_lufs
from recitant_core.render.mix import render_heard
from recitant_core.render.tracks import Heard
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_web.desk.energies import known_source
from recitant_web.listening.figures import likely_master, tenths_of
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache

MOST_BLOCK_SAMPLES = 10 * RATE_HZ
_lately: Cache[Lately] = Cache("heard lately", 128_000_000, lambda _lately: 6_000_000)


@dataclass(frozen=True)
class Block:
    """A stretch of sound as WAV, and what the meters show along it."""

    wav: bytes
    readings: dict[str, Any]


@dataclass(frozen=True)
class Listening:
    """How somebody listens."""

    heard: Heard
    """Which tracks sound."""
    hear: str = "mix"
    """"mix" for the mix as balanced (float), "handed-over" for the samples of the file that will be written for the
    programme's specification (24 bit)."""
    is_mono: bool = False
    """Whether both sides are added up, to check what a single loudspeaker gives."""
    has_stems: bool = False
    """Whether the meters of the stems are wanted."""
    listener: Hashable = None
    """Who it is: meters go on from what the same one heard before."""


def block(
    programme: Programme, start_sample: int, length_samples: int, listening: Listening, plan: Plan | None = None
) -> Block:
    """What is heard in a stretch.

    Args:
        plan: heard instead of the programme's own, for comparing.

    Raises:
        RangeError: a stretch out of bounds.
    """
    hear, heard, is_mono = listening.hear, listening.heard, listening.is_mono
    if start_sample < 0 or not 1 <= length_samples <= MOST_BLOCK_SAMPLES or hear not in ("mix", "handed-over"):
        raise RangeError("block", start_sample=start_sample, length_samples=length_samples, hear=hear)
    snapshot = Snapshot(programme, plan)
    plan = snapshot.plan
    is_exact = True
    if hear == "handed-over":
        master, is_exact = likely_master(snapshot)
        plan = replace(plan, master=master)
    sources = {key: known_source(key) for key in {c.source_key for track in plan.tracks for c in track.clips}}
    mix = (snapshot.key, plan.master, heard, is_mono)
    lately = _lately.get_or_make((listening.listener, programme.pk, hear, heard, is_mono), Lately)
    lead = lately.lead(start_sample, mix, time.monotonic())
    span = SampleSpan(start_sample, length_samples).widen(LEAD_SAMPLES if lead is None else 0, 0)
    audio, stems = render_heard(plan, sources, span, heard)
    if is_mono:
        audio = np.repeat(audio.mean(axis=1, keepdims=True), 2, axis=1)
    wanted = audio[-length_samples:]
    if lead is None:
        lately.put(start_sample - LEAD_SAMPLES, audio, mix, time.monotonic())
    else:
        lately.put(start_sample, wanted, mix, time.monotonic())
        audio = np.concatenate([lead, wanted])
    if hear == "handed-over":
        file = io.BytesIO()
        bit_depth = snapshot.spec.bit_depth
        values = quantise(wanted, bit_depth, start_sample)
        soundfile.write(file, values << np.int32(32 - bit_depth), RATE_HZ, "PCM_24", format="WAV")
        wav = file.getvalue()
    else:
        wav = wav_float(wanted)
    readings = {"revision": programme.revision, "is_exact": is_exact, **block_readings(audio)}
    if listening.has_stems:
        readings["stems"] = {
            role.value: tenths_of(stem_levels_lufs(stem[-length_samples:])) for role, stem in stems.items()
        }
    return Block(wav, readings)


def wav_float(audio: Audio) -> bytes:
    """Audio at 48 kHz as a float WAV file."""
    file = io.BytesIO()
    soundfile.write(file, audio, RATE_HZ, "FLOAT", format="WAV")
    return file.getvalue()


def block_readings(audio: Audio) -> dict[str, Any]:
    """What the meters show along a stretch: tenths of LUFS and dB every 50 ms, and the correlation of both sides.

    Args:
        audio: float32 (LEAD_SAMPLES + frames, 2): the stretch with what comes before it.
    """
    running = running_readings(audio)
    return {
        "momentary": tenths_of(running.momentary_lufs),
        "short_term": tenths_of(running.short_term_lufs),
        "peaks": [tenths_of(pair) for pair in running.peak_dbfs],
        "quasi": [tenths_of(pair) for pair in running.quasi_peak_dbfs],
        "true_peaks": tenths_of(running.true_peak_dbtp),
        "correlation": [round(float(value), 2) for value in running.correlation],
    }


def heard_from(only: str, muted: str) -> Heard:
    """Which tracks sound, from lists of track ids as an address carries them."""
    only_tracks = frozenset(only.split(",")) if only else None
    return Heard(only_tracks, frozenset(muted.split(",")) if muted else frozenset())
