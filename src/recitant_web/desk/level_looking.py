"""What a chain does to a clip, a track, a stem or the mix, and what can be found in one: read, never changed."""

import math
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from threading import Lock
from typing import Any

import numpy as np

from recitant_core.errors import EditRefused
from recitant_core.measure.meter import measure
from recitant_core.ports import SampleSource
from recitant_core.processors.analysis import (
    bells,
    hum_in,
    pauses,
    resonances,
    spectrum_db,
    starting_point,
)
from recitant_core.processors.chain import chain_reach, through_chain
from recitant_core.processors.dynamics import CONTROL_SAMPLES, DYNAMICS_KINDS, gains_db, level_dbfs, reduction_curve
from recitant_core.processors.model import Chain, Processor, chain_data, chain_from_data, chain_key, place_for
from recitant_core.processors.noise import learned_profile
from recitant_core.processors.tone import TONE_KINDS, log_frequencies, tone_response_db
from recitant_core.render.mix import Heard, render_mix
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan, Role, Track
from recitant_core.timeline.speaking import speech_of_clip
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import finite
from recitant_web.desk.bridge import plan_of, speech_of
from recitant_web.desk.level_edits import target_chain, with_chain
from recitant_web.desk.sounds import known_source
from recitant_web.programme.models import Programme
from recitant_words.chains import HARD_DB, effort_words, order_words

FREQUENCIES = 160
LEVELS_DBFS = tuple(float(level) for level in range(-72, 1, 2))
MOST_GAIN_POINTS = 800
MOST_LOOKED_SAMPLES = 120 * RATE_HZ
"""A chain of a track, a stem or the master is looked at around the playhead; a clip's from its start."""
_LEAST_SPEECH_IN_NOISE = 0.2


@dataclass(frozen=True)
class Looked:
    """What goes into a target's chain, over the stretch that is looked at."""

    audio: Audio
    """With what the chain needs before and after the stretch."""
    start_sample: int
    """Of the audio's first frame, on the chain's own clock."""
    before: int
    length: int
    from_programme_sample: int
    """Where the stretch begins in the programme."""
    is_speech: FloatArray
    """bool, one for each step of the detector in the stretch; empty where there is no dialogue."""
    source_key: str = ""


def looked_at(
    programme: Programme, plan: Plan, target: str, target_id: str, at_sample: int, reach: tuple[int, int]
) -> Looked:
    """What goes into the chain of a target: of a clip its recording, of all else its sum without a chain.

    Raises:
        EditRefused: no such target.
    """
    target_chain(plan, target, target_id)
    before, after = reach
    if target == "clip":
        track, clip = clips_by_id(plan)[target_id]
        source = known_source(clip.source_key)
        length = min(clip.length_samples, MOST_LOOKED_SAMPLES)
        span = SampleSpan(clip.in_sample // 512 * 512, length)
        audio = _read(source, span.widen(before, after))
        spoken = [
            SampleSpan(s.start_sample - clip.start_sample + clip.in_sample, s.length_samples)
            for s in (speech_of_clip(clip, speech_of(programme)) if track.role is Role.DIALOGUE else [])
        ]
        return Looked(
            audio, span.start_sample - before, before, length, clip.start_sample, _steps(spoken, span), clip.source_key
        )
    end = max(RATE_HZ, plan.span.end_sample)
    length = min(end, MOST_LOOKED_SAMPLES)
    first = min(max(0, at_sample - length // 2), end - length) // 512 * 512
    span = SampleSpan(first, length)
    bare = with_chain(plan, target, [target_id], ())
    heard = {
        "track": Heard(frozenset({target_id})),
        "stem": Heard(frozenset(t.track_id for t in plan.tracks if t.role.value == target_id)),
    }.get(target, Heard())
    if target == "track":
        # A track is looked at before its own fader and its stem's part in it.
        tracks = tuple(replace(t, gain_db=0.0) if t.track_id == target_id else t for t in bare.tracks)
        bare = replace(bare, tracks=tracks, stem_gains_db={}, stem_chains={}, stem_rides={}, ducks=(), master_chain=())
    elif target == "stem":
        bare = replace(bare, master_chain=())
    sources = {key: known_source(key) for key in {c.source_key for t in plan.tracks for c in t.clips}}
    audio = render_mix(bare, sources, span.widen(before, after), heard)
    return Looked(audio, first - before, before, length, first, np.zeros(0))


def processor_view(programme: Programme, data: dict[str, Any]) -> dict[str, Any]:
    """What a chain and one of its processors do to a target.

    Args:
        data: target, id, index, at_sample, and chain: JSON data of a chain that may not be kept yet.

    Raises:
        EditRefused: no such target or processor. PlanError: a chain that cannot be.
    """
    plan = plan_of(programme)
    chain = chain_from_data(data["chain"])
    reach = chain_reach(chain)
    looked = _looked(programme, plan, data["target"], data["id"], data["at_sample"], reach)
    watched: dict[int, list[FloatArray]] = {}

    def watch(index: int, gain_db: FloatArray) -> None:
        watched.setdefault(index, []).append(gain_db)

    index = max(0, data["index"])
    into = through_chain(chain[:index], looked.audio, looked.start_sample)
    out_of = through_chain(chain[index:], into, looked.start_sample, watch)
    inside = slice(looked.before, looked.before + looked.length)
    freq_hz = log_frequencies(FREQUENCIES)
    view: dict[str, Any] = {
        "from_sample": looked.from_programme_sample,
        "length_samples": looked.length,
        "order": order_words(chain),
        "figures": _figures(looked.audio[inside], out_of[inside], looked.is_speech),
        "freq_hz": [round(float(f), 1) for f in freq_hz],
        "spectrum_before": _rounded(spectrum_db(looked.audio[inside], freq_hz)),
        "spectrum_after": _rounded(spectrum_db(out_of[inside], freq_hz)),
    }
    if not 0 <= index < len(chain):
        return view
    processor = chain[index]
    after_one = out_of if index == len(chain) - 1 else through_chain((processor,), into, looked.start_sample)
    view["spectrum_into"] = _rounded(spectrum_db(into[inside], freq_hz))
    view["spectrum_out"] = _rounded(spectrum_db(after_one[inside], freq_hz))
    at = looked.start_sample + looked.before + looked.length / 2
    if processor.kind in TONE_KINDS:
        view["response"] = _rounded(tone_response_db(processor, freq_hz, at), 2)
    elif processor.kind in DYNAMICS_KINDS:
        levels = np.array(LEVELS_DBFS)
        view["static"] = [list(LEVELS_DBFS), _rounded(levels + reduction_curve(processor, levels), 2)]
        level = level_dbfs(into[inside], str(processor.value("hears")) if processor.kind == "compressor" else "rms")
        view["level_in"] = _rounded(-lowest_of(-level, MOST_GAIN_POINTS))
    gains = np.concatenate(watched[0]) if 0 in watched else np.zeros(0)
    if len(gains) and not processor.is_bypassed:
        first = looked.before // CONTROL_SAMPLES
        gains = gains[first : first + looked.length // CONTROL_SAMPLES]
        view["reduction"] = _rounded(lowest_of(gains, MOST_GAIN_POINTS), 2)
        view["effort"] = _effort(processor, gains, looked.is_speech)
    elif processor.kind == "noise":
        view["effort"] = _noise_effort(processor)
    return view


def lowest_of(gains: FloatArray, n_points: int) -> FloatArray:
    """The lowest of each stretch of some gains, float64 (at most n_points,)."""
    if len(gains) <= n_points:
        return gains
    edges = np.linspace(0, len(gains), n_points + 1).astype(int)[:-1]
    found: FloatArray = np.minimum.reduceat(gains, edges)
    return found


def whole_reduction(programme: Programme, data: dict[str, Any]) -> dict[str, Any]:
    """Gain reduction of a compressor, gate or expander over a whole programme, from levels that are kept.

    Args:
        data: target ("track"), id, index, chain.

    Raises:
        EditRefused: no such track or processor.
    """
    plan = plan_of(programme)
    chain = chain_from_data(data["chain"])
    index = data["index"]
    if data["target"] != "track" or not 0 <= index < len(chain):
        raise EditRefused("no_such_processor")
    processor = chain[index]
    if processor.kind not in ("compressor", "gate", "expander"):
        raise EditRefused("no_such_processor")
    track = next((t for t in plan.tracks if t.track_id == data["id"]), None)
    if track is None:
        raise EditRefused("gone")
    hears = str(processor.value("hears")) if processor.kind == "compressor" else "rms"
    before = replace(track, gain_db=0.0, chain=chain[:index])
    level = _levels_into(
        _Into(plan, before, (chain_key(chain[:index]), hears, programme.pk, programme.revision)), hears
    )
    gains = gains_db(processor, level, 0)
    return {"reduction": _rounded(lowest_of(gains, MOST_GAIN_POINTS), 2), "length_samples": plan.span.length_samples}


class _Into:
    """What goes into a processor of a track; equal where nothing of it changed."""

    def __init__(self, plan: Plan, track: Track, key: Any) -> None:
        self.plan, self.track, self.key = plan, track, (track.track_id, key)

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Into) and self.key == other.key


@lru_cache(maxsize=3)
def _levels_into(into: _Into, hears: str) -> FloatArray:
    plan, track = into.plan, into.track
    alone = replace(plan, tracks=(track,), stem_gains_db={}, stem_chains={}, stem_rides={}, ducks=(), master_chain=())
    sources = {clip.source_key: known_source(clip.source_key) for clip in track.clips}
    memory: dict[str, FloatArray] = {}
    return np.concatenate(
        [level_dbfs(render_mix(alone, sources, span), hears, memory) for span in plan.span.blocks(16 * RATE_HZ)]
    )


def found_in(programme: Programme, data: dict[str, Any]) -> dict[str, Any]:
    """What can be found for a target: a noise profile, hum, resonances or a starting point, as processors to add.

    Args:
        data: what ("noise", "hum", "resonances", "start"), target, id, from_sample and to_sample (of the programme;
            equal for the pauses), name, at_sample.

    Raises:
        EditRefused: it is not there, or cannot be learned from this.
    """
    plan = plan_of(programme)
    source, speech, span = _material(programme, plan, data)
    makers: dict[str, Callable[[], Chain]] = {
        "noise": lambda: (_noise_processor(source, speech, span, data["from_sample"] != data["to_sample"]),),
        "hum": lambda: _hum_chain(source, span),
        "resonances": lambda: (bells(resonances(_speech_of(source, speech, span))),),
        "start": lambda: starting_point(data["name"], source, speech, span),
    }
    chain = makers[data["what"]]()
    before = target_chain(plan, data["target"], data["id"])
    words = _found_words(data["what"], chain)
    return {"chain": chain_data(chain), "place": place_for(before, chain[0].kind), "words": words}


def _found_words(what: str, chain: Chain) -> str:
    one = chain[0]
    if what == "hum":
        return f"Hum at {one.number('mains_hz'):g} Hz and {one.number('multiples'):.0f} multiples."
    if what == "resonances":
        bands = [i for i in range(1, 6) if one.value(f"band{i}_shape") == "bell"]
        numbers = [(one.number(f"band{i}_freq_hz"), one.number(f"band{i}_gain_db")) for i in bands]
        places = ", ".join(f"{freq_hz:.0f} Hz ({gain_db:g} dB)" for freq_hz, gain_db in numbers)
        return f"Peaks that stay: {places}.".replace("-", "−")
    if what == "noise":
        return f"Learned: the noise lies {max(one.profile_db):.0f} dBFS at its strongest band.".replace("-", "−")
    return f"{len(chain)} processors, set from what was measured here."


def _hum_chain(source: SampleSource, span: SampleSpan) -> Chain:
    hum = hum_in(source.read(span.start_sample, min(span.length_samples, MOST_LOOKED_SAMPLES)))
    return (Processor("hum").with_values(mains_hz=hum.mains_hz, multiples=float(hum.multiples)),)


def _noise_processor(source: SampleSource, speech: list[SampleSpan], span: SampleSpan, is_chosen: bool) -> Processor:
    if is_chosen:
        spoken = sum(part.length_samples for one in speech if (part := one.intersect(span)) is not None)
        if spoken > _LEAST_SPEECH_IN_NOISE * span.length_samples:
            raise EditRefused("noise_is_speech", percent=100.0 * spoken / max(1, span.length_samples))
        return Processor("noise", profile_db=learned_profile(source, [span]))
    return Processor("noise", profile_db=learned_profile(source, pauses(speech, span)))


def _speech_of(source: SampleSource, speech: list[SampleSpan], span: SampleSpan) -> Audio:
    inside = [part for one in speech if (part := one.intersect(span)) is not None]
    parts, left = [], MOST_LOOKED_SAMPLES
    for part in inside or [span]:
        length = min(part.length_samples, left)
        parts.append(source.read(part.start_sample, length))
        left -= length
    return np.concatenate(parts)


class _Rendered:
    """A track, a stem or the mix without its chain, readable like a recording."""

    def __init__(self, plan: Plan, target: str, target_id: str) -> None:
        self._plan = with_chain(plan, target, [target_id], ())
        self._heard = {
            "track": Heard(frozenset({target_id})),
            "stem": Heard(frozenset(t.track_id for t in plan.tracks if t.role.value == target_id)),
        }.get(target, Heard())

    key = "rendered"
    layout: ChannelLayout = STEREO

    @property
    def length_samples(self) -> int:
        return self._plan.span.length_samples

    def read(self, start_sample: int, length_samples: int) -> Audio:
        sources = {key: known_source(key) for key in {c.source_key for t in self._plan.tracks for c in t.clips}}
        return render_mix(self._plan, sources, SampleSpan(start_sample, length_samples), self._heard)


def _material(
    programme: Programme, plan: Plan, data: dict[str, Any]
) -> tuple[SampleSource, list[SampleSpan], SampleSpan]:
    """What something is looked for in: samples, where somebody speaks in them, and the stretch that counts."""
    target, target_id = data["target"], data["id"]
    target_chain(plan, target, target_id)
    chosen = SampleSpan(data["from_sample"], max(0, data["to_sample"] - data["from_sample"]))
    speech = speech_of(programme)
    if target == "clip":
        _, clip = clips_by_id(plan)[target_id]
        source = known_source(clip.source_key)
        offset = clip.in_sample - clip.start_sample
        whole = SampleSpan(clip.in_sample, clip.length_samples)
        span = SampleSpan(chosen.start_sample + offset, chosen.length_samples).intersect(whole) or whole
        return source, [SampleSpan(s.start_sample, s.length_samples) for s in speech.get(clip.source_key, ())], span
    spoken = [
        SampleSpan(s.start_sample, s.length_samples)
        for track in plan.tracks
        for clip in track.clips
        if target == "master" or target_id in (track.track_id, track.role.value)
        for s in speech_of_clip(clip, speech)
    ]
    whole = plan.span
    first = max(0, data["at_sample"] - MOST_LOOKED_SAMPLES // 2)
    around = SampleSpan(first, MOST_LOOKED_SAMPLES).intersect(whole) or whole
    return _Rendered(plan, target, target_id), sorted(spoken), chosen.intersect(whole) or around


_looks: OrderedDict[Any, Looked] = OrderedDict()
_looks_lock = Lock()
_KEPT_LOOKS = 4


def _looked(
    programme: Programme, plan: Plan, target: str, target_id: str, at_sample: int, reach: tuple[int, int]
) -> Looked:
    # A value that is dragged asks for the same stretch many times a second.
    place = 0 if target == "clip" else at_sample // (10 * RATE_HZ)
    key = (programme.pk, programme.revision, target, target_id, place, reach)
    with _looks_lock:
        found = _looks.get(key)
    if found is None:
        found = looked_at(programme, plan, target, target_id, place * 10 * RATE_HZ, reach)
        with _looks_lock:
            _looks[key] = found
            while len(_looks) > _KEPT_LOOKS:
                _looks.popitem(last=False)
    return found


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


def _figures(before: Audio, after: Audio, is_speech: FloatArray) -> list[dict[str, Any]]:
    found = []
    for audio in (before, after):
        heard = np.repeat(audio, 2, axis=1) * np.float32(math.sqrt(0.5)) if audio.shape[1] == 1 else audio[:, :2]
        readings = measure(np.ascontiguousarray(heard), STEREO)
        level = level_dbfs(audio, "rms")
        quiet = level[: len(is_speech)][is_speech == 0] if len(is_speech) else level
        quiet = quiet[quiet > -120.0]
        bands = spectrum_db(audio, np.array([60.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 14000.0]))
        thirds = [10 * math.log10(float((10 ** (part / 10)).mean())) for part in (bands[:3], bands[3:6], bands[6:])]
        found.append(
            {
                "loudness_lufs": finite(readings.integrated_lufs),
                "range_lu": finite(readings.range_lu),
                "noise_dbfs": finite(float(np.quantile(quiet, 0.2))) if len(quiet) > 200 else None,
                "sample_peak_dbfs": finite(readings.sample_peak_dbfs),
                "true_peak_dbtp": finite(readings.true_peak_dbtp),
                "bands_db": thirds,
            }
        )
    was, now = found
    return [
        {"name": name, "label": label, "unit": unit, "before": was[name], "after": now[name]}
        for name, label, unit in (
            ("loudness_lufs", "loudness", "LUFS"),
            ("range_lu", "range", "LU"),
            ("noise_dbfs", "noise floor", "dBFS"),
            ("sample_peak_dbfs", "peak", "dBFS"),
            ("true_peak_dbtp", "true peak", "dBTP"),
        )
    ] + [
        {"name": f"band{i}", "label": label, "unit": "dB", "before": 0.0, "after": high - low}
        for i, (label, low, high) in enumerate(
            zip(("lows", "middle", "highs"), was["bands_db"], now["bands_db"], strict=True)
        )
    ]


def _effort(processor: Processor, gains: FloatArray, is_speech: FloatArray) -> str:
    has_speech = bool(len(is_speech) and is_speech.any())
    counted = gains[: len(is_speech)][is_speech[: len(gains)] > 0] if has_speech else gains
    share = float((counted < -HARD_DB).mean()) if len(counted) else 0.0
    deepest = -float(counted.min()) if len(counted) else 0.0
    if processor.kind == "clicks":
        steps = np.flatnonzero(np.diff(np.concatenate([[0.0], gains])) < 0)
        return f"{len(steps)} event{'s' if len(steps) != 1 else ''} repaired here"
    return effort_words(processor, share, deepest, is_speech=has_speech)


def _noise_effort(processor: Processor) -> str:
    if not processor.profile_db:
        return "has learned no noise yet: learn it from the pauses, or from a stretch"
    amount = processor.number("amount_db")
    return f"lowers noise by up to {amount:g} dB" + (": it may sound hollow" if amount > 15 else "")


def _rounded(values: FloatArray, digits: int = 1) -> list[float]:
    return [float(v) for v in np.round(values, digits)]
