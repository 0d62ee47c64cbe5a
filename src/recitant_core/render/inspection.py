"""What a chain does to a clip, a track, a stem or the mix, in numbers: spectra, curves, reduction, figures.

Held to: tests/core/test_inspection.py
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from recitant_core.measure.meter import measure
from recitant_core.ports import SampleSource
from recitant_core.processors.analysis import spectrum_db
from recitant_core.processors.chain import through_chain
from recitant_core.processors.dynamics import DYNAMICS_KINDS, gains_db, level_dbfs, reduction_curve
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.model import Chain, Processor
from recitant_core.processors.tone import TONE_KINDS, log_frequencies, tone_response_db
from recitant_core.render.mix import render_mix
from recitant_core.render.paths import Audibility
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan, Track
from recitant_core.timeline.speech import SpeechOfSources, speech_of_clip
from recitant_core.timeline.strips import target_chain, with_chain
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import finite

FREQUENCIES: Final = 160
LEVELS_DBFS: Final = tuple(float(level) for level in range(-72, 1, 2))
MOST_GAIN_POINTS: Final = 800
MOST_INSPECTED_SAMPLES: Final = 120 * RATE_HZ
"""A chain of a track, a stem or the master is inspected around the playhead; a clip's from its start."""
HARD_DB: Final = 6.0
SourceOf = Callable[[str], SampleSource]
"""A recording by its key."""


@dataclass(frozen=True)
class ChainInput:
    """Input of a target's chain, over the stretch that is inspected."""

    audio: Audio
    """With what the chain needs before and after the stretch."""
    layout: ChannelLayout
    """Of its channels."""
    start_sample: int
    """Of the audio's first frame, on the chain's own clock."""
    before: int
    length: int
    from_programme_sample: int
    """Where the stretch begins in the programme."""
    is_speech: FloatArray
    """bool, one for each step of the detector in the stretch; empty where there is no dialogue."""


@dataclass(frozen=True)
class Effort:
    """Work of a dynamics processor: share of time, deepest gain reduction, number of times."""

    share: float
    """Of the time (of speech, where there is some) with more than HARD_DB of reduction, 0 to 1."""
    deepest_db: float
    n_events: int
    """Times that reduction sets in."""
    is_over_speech: bool


def chain_input(
    plan: Plan,
    target: str,
    target_id: str,
    at_sample: int,
    reach: tuple[int, int],
    source_of: SourceOf,
    speech: SpeechOfSources,
) -> ChainInput:
    """Input of the chain of a target: of a clip its recording, of all else its sum without a chain.

    Args:
        at_sample: around which a track, a stem or the master is inspected.
        reach: samples before and after that the chain needs.

    Raises:
        EditRefused: no such target.
    """
    target_chain(plan, target, target_id)
    if target == "clip":
        return _clip_input(plan, target_id, reach, source_of, speech)
    before, after = reach
    end = max(RATE_HZ, plan.span.end_sample)
    length = min(end, MOST_INSPECTED_SAMPLES)
    first = min(max(0, at_sample - length // 2), end - length) // 512 * 512
    bare, heard = _alone(plan, target, target_id)
    span = SampleSpan(first, length)
    audio = render_mix(bare, sources_of(bare, source_of), span.widen(before, after), heard)
    return ChainInput(audio, plan.layout, first - before, before, length, first, np.zeros(0))


def _clip_input(
    plan: Plan, clip_id: str, reach: tuple[int, int], source_of: SourceOf, speech: SpeechOfSources
) -> ChainInput:
    before, after = reach
    track, clip = clips_by_id(plan)[clip_id]
    length = min(clip.length_samples, MOST_INSPECTED_SAMPLES)
    span = SampleSpan(clip.in_sample // 512 * 512, length)
    source = source_of(clip.source_key)
    audio = _read(source, span.widen(before, after))
    spoken = [
        SampleSpan(s.start_sample - clip.start_sample + clip.in_sample, s.length_samples)
        for s in (speech_of_clip(clip, speech) if track.role.is_speech else [])
    ]
    start_sample = span.start_sample - before
    return ChainInput(audio, source.layout, start_sample, before, length, clip.start_sample, _steps(spoken, span))


def _alone(plan: Plan, target: str, target_id: str) -> tuple[Plan, Audibility]:
    # A track is inspected before its own fader and its stem's part in it, a stem before the master.
    bare = with_chain(plan, target, [target_id], ())
    if target == "track":
        tracks = tuple(replace(t, gain_db=0.0) if t.track_id == target_id else t for t in bare.tracks)
        bare = replace(
            bare,
            tracks=tracks,
            stem_gains_db={},
            stem_chains={},
            stem_rides={},
            stem_trims={},
            ducks=(),
            master_chain=(),
        )
    elif target == "stem":
        bare = replace(bare, master_chain=())
    return bare, heard_of(plan, target, target_id)


def heard_of(plan: Plan, target: str, target_id: str) -> Audibility:
    """Tracks that sound when a target is heard alone; all of them for the master.

    Args:
        target: "clip", "track", "stem" or "master".
        target_id: of the clip, of the track, or the stem's role.
    """
    if target == "clip":
        return Audibility(frozenset({clips_by_id(plan)[target_id][0].track_id}))
    if target == "track":
        return Audibility(frozenset({target_id}))
    if target == "stem":
        return Audibility(frozenset(t.track_id for t in plan.tracks if t.role.value == target_id))
    return Audibility()


def sources_of(plan: Plan, source_of: SourceOf) -> dict[str, SampleSource]:
    """Every recording of a plan, by its key."""
    return {key: source_of(key) for key in {c.source_key for t in plan.tracks for c in t.clips}}


def chain_view(chain: Chain, index: int, given: ChainInput) -> dict[str, Any]:
    """Input, output and gain reduction of a chain and one of its processors, as JSON data.

    Args:
        index: of the processor; one that is not there leaves its part out.

    Returns:
        Spectra in dB at freq_hz, figures before and after, and of the processor its response, static curve, level and
        reduction in dB; "effort" is an Effort or None.
    """
    watched: dict[int, list[FloatArray]] = {}

    def watch(which: int, gain_db: FloatArray) -> None:
        watched.setdefault(which, []).append(gain_db)

    index = max(0, index)
    into = through_chain(chain[:index], given.audio, given.start_sample)
    out_of = through_chain(chain[index:], into, given.start_sample, watch)
    inside = slice(given.before, given.before + given.length)
    freq_hz = log_frequencies(FREQUENCIES)
    view: dict[str, Any] = {
        "from_sample": given.from_programme_sample,
        "length_samples": given.length,
        "figures": _figures(given.audio[inside], out_of[inside], given.layout, given.is_speech),
        "freq_hz": [round(float(f), 1) for f in freq_hz],
        "spectrum_before": _rounded(spectrum_db(given.audio[inside], freq_hz)),
        "spectrum_after": _rounded(spectrum_db(out_of[inside], freq_hz)),
        "effort": None,
    }
    if not 0 <= index < len(chain):
        return view
    processor = chain[index]
    after_one = out_of if index == len(chain) - 1 else through_chain((processor,), into, given.start_sample)
    view["spectrum_into"] = _rounded(spectrum_db(into[inside], freq_hz))
    view["spectrum_out"] = _rounded(spectrum_db(after_one[inside], freq_hz))
    view |= _curves(processor, given, into[inside], freq_hz)
    gains = np.concatenate(watched[0]) if 0 in watched else np.zeros(0)
    if len(gains) and not processor.is_bypassed:
        first = given.before // CONTROL_SAMPLES
        gains = gains[first : first + given.length // CONTROL_SAMPLES]
        view["reduction"] = _rounded(lowest_of(gains, MOST_GAIN_POINTS), 2)
        view["effort"] = _effort(gains, given.is_speech)
    return view


def static_view(chain: Chain, index: int, at_sample: int) -> dict[str, Any]:
    """Response in dB at freq_hz, or static curve, of a processor's values alone, as JSON data.

    Args:
        at_sample: for values that move, on the chain's own clock.
    """
    if not 0 <= index < len(chain):
        return {}
    processor = chain[index]
    if processor.kind in TONE_KINDS:
        freq_hz = log_frequencies(FREQUENCIES)
        return {"response": _rounded(tone_response_db(processor, freq_hz, at_sample), 2)}
    if processor.kind in DYNAMICS_KINDS:
        return {"static": _static_curve(processor)}
    return {}


def _static_curve(processor: Processor) -> list[list[float]]:
    levels = np.array(LEVELS_DBFS)
    return [list(LEVELS_DBFS), _rounded(levels + reduction_curve(processor, levels), 2)]


def _curves(processor: Processor, given: ChainInput, into: Audio, freq_hz: FloatArray) -> dict[str, Any]:
    if processor.kind in TONE_KINDS:
        at = given.start_sample + given.before + given.length / 2
        return {"response": _rounded(tone_response_db(processor, freq_hz, at), 2)}
    if processor.kind in DYNAMICS_KINDS:
        level = level_dbfs(into, str(processor.value("hears")) if processor.kind == "compressor" else "rms")
        return {
            "static": _static_curve(processor),
            "level_in": _rounded(-lowest_of(-level, MOST_GAIN_POINTS)),
        }
    return {}


def lowest_of(gains: FloatArray, n_points: int) -> FloatArray:
    """The lowest of each stretch of some gains, float64 (at most n_points,).

    >>> lowest_of(np.array([0.0, -6.0, -1.0, -2.0]), 2).tolist()
    [-6.0, -2.0]
    """
    if len(gains) <= n_points:
        return gains
    edges = np.linspace(0, len(gains), n_points + 1).astype(int)[:-1]
    found: FloatArray = np.minimum.reduceat(gains, edges)
    return found


def track_level_dbfs(plan: Plan, track: Track, hears: str, source_of: SourceOf) -> FloatArray:
    """Detector level of a track by itself over the whole programme, in dBFS, float64 (steps of CONTROL_SAMPLES,)."""
    alone = replace(
        plan, tracks=(track,), stem_gains_db={}, stem_chains={}, stem_rides={}, stem_trims={}, ducks=(), master_chain=()
    )
    sources = sources_of(alone, source_of)
    power = np.zeros(1)
    return np.concatenate(
        [level_dbfs(render_mix(alone, sources, span), hears, power) for span in plan.span.blocks(16 * RATE_HZ)]
    )


def reduction_of(processor: Processor, level: FloatArray) -> list[float]:
    """Gain reduction in dB of detector levels in dBFS (levels,), the lowest of each of MOST_GAIN_POINTS stretches."""
    return _rounded(lowest_of(gains_db(processor, level, 0), MOST_GAIN_POINTS), 2)


def _read(source: SampleSource, span: SampleSpan) -> Audio:
    out = np.zeros((span.length_samples, source.layout.n_channels), np.float32)
    part = span.intersect(SampleSpan(0, source.length_samples))
    if part is not None:
        at = part.start_sample - span.start_sample
        out[at : at + part.length_samples] = source.read(part.start_sample, part.length_samples)
    return out


def _steps(spoken: list[SampleSpan], span: SampleSpan) -> FloatArray:
    mask = np.zeros(span.length_samples // CONTROL_SAMPLES, bool)
    for one in spoken:
        first = (one.start_sample - span.start_sample) // CONTROL_SAMPLES
        mask[max(0, first) : max(0, first + one.length_samples // CONTROL_SAMPLES)] = True
    return mask.astype(np.float64)


def _figures(before: Audio, after: Audio, layout: ChannelLayout, is_speech: FloatArray) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    for audio in (before, after):
        # As two loudspeakers give it.
        readings = measure(audio @ layout.stereo_matrix().astype(np.float32), STEREO)
        level = level_dbfs(audio, "rms")
        quiet = level[: len(is_speech)][is_speech == 0] if len(is_speech) else level
        quiet = quiet[quiet > -120.0]
        bands = spectrum_db(audio, np.array([60.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 14000.0]))
        by_third = [10 * math.log10(float((10 ** (part / 10)).mean())) for part in (bands[:3], bands[3:6], bands[6:])]
        found.append(
            {
                "loudness_lufs": finite(readings.integrated_lufs),
                "range_lu": finite(readings.range_lu),
                "noise_dbfs": finite(float(np.quantile(quiet, 0.2))) if len(quiet) > 200 else None,
                "sample_peak_dbfs": finite(readings.sample_peak_dbfs),
                "true_peak_dbtp": finite(readings.true_peak_dbtp),
                "bands_db": by_third,
            }
        )
    was, now = found
    names = ("loudness_lufs", "range_lu", "noise_dbfs", "sample_peak_dbfs", "true_peak_dbtp")
    thirds = zip(("band_lows", "band_middle", "band_highs"), was["bands_db"], now["bands_db"], strict=True)
    return [{"name": name, "before": was[name], "after": now[name]} for name in names] + [
        {"name": name, "before": 0.0, "after": high - low} for name, low, high in thirds
    ]


def _effort(gains: FloatArray, is_speech: FloatArray) -> Effort:
    has_speech = bool(len(is_speech) and is_speech.any())
    counted = gains[: len(is_speech)][is_speech[: len(gains)] > 0] if has_speech else gains
    share = float((counted < -HARD_DB).mean()) if len(counted) else 0.0
    deepest = -float(counted.min()) if len(counted) else 0.0
    onsets = np.flatnonzero(np.diff(np.concatenate([[0.0], gains])) < 0)
    return Effort(share, deepest, len(onsets), has_speech)


def _rounded(values: FloatArray, digits: int = 1) -> list[float]:
    return [float(v) for v in np.round(values, digits)]
