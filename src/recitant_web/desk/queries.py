"""Reads of the desk: the state of the page, contours, and blocks of sound."""

import io
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
import soundfile

from recitant_core.delivery.figures import verdict_data
from recitant_core.delivery.judge import judge
from recitant_core.delivery.predict import predict
from recitant_core.dsp.quantise import quantise
from recitant_core.errors import RangeError
from recitant_core.measure.clip_level import ClipLevel
from recitant_core.measure.loudness import (
    anchored_lufs,
    gating_block_powers,
    momentary_contour_lufs,
    short_term_contour_lufs,
)
from recitant_core.measure.meter import Readings, readings_from
from recitant_core.measure.running import LEAD_SAMPLES, running_readings
from recitant_core.render.estimate import HOP_SAMPLES, clip_energy
from recitant_core.render.following import Scene
from recitant_core.render.mix import Heard, render_output
from recitant_core.timeline.model import Clip, Master, Plan, Role, Track
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import finite
from recitant_web.desk.balance_queries import (
    balance_state,
    clearance_contour,
    giving_way,
    path_at,
    scene_of_programme,
)
from recitant_web.desk.bridge import master_of, plan_key, plan_of, readings_from_data, spec_of, speech_of
from recitant_web.desk.level_measures import levels_in_mix
from recitant_web.desk.models import EditState, FitResult, Verdict
from recitant_web.desk.sounds import known_energies, known_source
from recitant_web.programme.models import Programme
from recitant_words.sentences import prediction_sentence

HORIZON_POINTS = 600
MOST_CONTOUR_POINTS = 4_000
MOST_BLOCK_SAMPLES = 10 * RATE_HZ
_FLOOR_TENTHS = -1_000  # what stands for silence in a contour, in tenths of LUFS


def desk_state(programme: Programme) -> dict[str, Any]:
    """Everything the Balance page shows but contours, as JSON data; its queries do not grow with the programme."""
    plan = plan_of(programme)
    spec = spec_of(programme)
    levels = levels_in_mix(plan, known_energies(plan), speech_of(programme))
    staves = []
    for role in plan.roles:
        tracks = [track for track in plan.tracks if track.role is role]
        stem_gain_db = plan.stem_gain_db(role)
        staves.append(
            {
                "role": role.value,
                "letter": role.value[0].upper(),
                "name": role.value.capitalize(),
                "aim_lufs": spec.aim_lufs(role),
                "gain_db": stem_gain_db,
                "tracks": [{"id": t.track_id, "name": t.name, "gain_db": t.gain_db} for t in tracks],
                "clips": [_clip_data(c, t, stem_gain_db, levels[c.clip_id][2]) for t in tracks for c in t.clips],
            }
        )
    newest = programme.edits.filter(state=EditState.DONE).order_by("-pk").values_list("label", flat=True).first()
    undone = programme.edits.filter(state=EditState.UNDONE).order_by("pk").values_list("label", flat=True).first()
    return {
        "revision": programme.revision,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "length_samples": plan.span.length_samples,
        "staves": staves,
        "undo": newest,
        "redo": undone,
        **figures_of(programme, plan),
    }


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
    plan = plan_of(programme)
    energies = known_energies(plan)
    step_hops = max(1, (end_sample - start_sample) // (HOP_SAMPLES * n_points))
    found = {}
    lowered = giving_way(programme, plan)
    for track in plan.tracks:
        for clip in track.clips:
            part = clip.span.intersect(SampleSpan(start_sample, end_sample - start_sample))
            if part is None:
                continue
            first, energy = clip_energy(
                clip, track, track.gain_db + plan.stem_gain_db(track.role), energies[clip.sound_key]
            )
            begin = max(0, part.start_sample // HOP_SAMPLES - first)
            end = min(len(energy), part.end_sample // HOP_SAMPLES - first + 1)
            places = np.arange(begin, end + step_hops, step_hops)
            contour = {"from_sample": (first + begin) * HOP_SAMPLES}
            if track.track_id in lowered:
                contour["undipped"] = _tenths(momentary_contour_lufs(energy, places))
                gain_db = np.zeros(len(energy))
                inside = lowered[track.track_id][first : first + len(energy)]
                gain_db[: len(inside)] = inside
                energy = energy * 10.0 ** (gain_db / 10.0)
            contour["tenths"] = _tenths(momentary_contour_lufs(energy, places))
            found[clip.clip_id] = contour
    view = SampleSpan(start_sample, end_sample - start_sample)
    return {
        "revision": programme.revision,
        "step_samples": step_hops * HOP_SAMPLES,
        "clips": found,
        "clearance": clearance_contour(programme, plan, view, step_hops),
    }


@dataclass(frozen=True)
class Block:
    """A stretch of sound as WAV, and what the meters show along it."""

    wav: bytes
    readings: dict[str, Any]


def block(
    programme: Programme,
    start_sample: int,
    length_samples: int,
    hear: str,
    heard: Heard,
    plan: Plan | None = None,
    *,
    is_mono: bool = False,
) -> Block:
    """What is heard in a stretch.

    Args:
        hear: "mix" for the mix as balanced (float), "handed-over" for the samples of the file that will be written
            for the programme's specification (24 bit).
        heard: which tracks sound.
        plan: heard instead of the programme's own, for comparing.
        is_mono: whether both sides are added up, to check what a single loudspeaker gives.

    Raises:
        RangeError: a stretch out of bounds.
    """
    if start_sample < 0 or not 1 <= length_samples <= MOST_BLOCK_SAMPLES or hear not in ("mix", "handed-over"):
        raise RangeError("block", start_sample=start_sample, length_samples=length_samples, hear=hear)
    plan = plan_of(programme) if plan is None else plan
    is_exact = True
    if hear == "handed-over":
        master, is_exact = _master(programme, plan)
        plan = replace(plan, master=master)
    sources = {key: known_source(key) for key in {c.source_key for track in plan.tracks for c in track.clips}}
    with_lead = SampleSpan(start_sample, length_samples).widen(LEAD_SAMPLES, 0)
    audio = render_output(plan, sources, with_lead, heard)
    if is_mono:
        audio = np.repeat(audio.mean(axis=1, keepdims=True), 2, axis=1)
    wanted = audio[LEAD_SAMPLES:]
    if hear == "handed-over":
        file = io.BytesIO()
        bit_depth = spec_of(programme).bit_depth
        values = quantise(wanted, bit_depth, start_sample)
        soundfile.write(file, values << np.int32(32 - bit_depth), RATE_HZ, "PCM_24", format="WAV")
        wav = file.getvalue()
    else:
        wav = wav_float(wanted)
    return Block(wav, {"revision": programme.revision, "is_exact": is_exact, **block_readings(audio)})


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
        "momentary": _tenths(running.momentary_lufs),
        "short_term": _tenths(running.short_term_lufs),
        "peaks": [_tenths(pair) for pair in running.peak_dbfs],
        "quasi": [_tenths(pair) for pair in running.quasi_peak_dbfs],
        "true_peaks": _tenths(running.true_peak_dbtp),
        "correlation": [round(float(value), 2) for value in running.correlation],
    }


def heard_from(only: str, muted: str) -> Heard:
    """Which tracks sound, from lists of track ids as an address carries them."""
    only_tracks = frozenset(only.split(",")) if only else None
    return Heard(only_tracks, frozenset(muted.split(",")) if muted else frozenset())


def prediction_text(programme: Programme, spec: Any) -> tuple[str, bool, bool]:
    """What a fit to a specification will do: the sentence, whether it is likely to pass, whether it is exact."""
    plan = plan_of(programme)
    exact = FitResult.objects.filter(programme=programme, plan_key=plan_key(plan), spec_id=spec.spec_id).first()
    if exact is not None:
        return exact.sentence, exact.is_reached, True
    readings, dialogue_lufs, _ = _known_readings(programme, plan)
    prediction = predict(readings, spec, dialogue_lufs)
    return prediction_sentence(prediction), prediction is not None and prediction.is_likely, False


def path_of_clip(programme: Programme, clip_id: str, at_sample: int, hear: str) -> dict[str, Any]:
    """The level path of a clip at a moment: to the mix as balanced, or to what is handed over.

    Raises:
        EditRefused: no such clip.
    """
    master = _master(programme, plan_of(programme))[0] if hear == "handed-over" else Master()
    return path_at(programme, clip_id, at_sample, master)


def _master(programme: Programme, plan: Plan) -> tuple[Master, bool]:
    spec = spec_of(programme)
    exact = FitResult.objects.filter(programme=programme, plan_key=plan_key(plan), spec_id=spec.spec_id).first()
    if exact is not None:
        return master_of(exact), True
    readings, dialogue_lufs, _ = _known_readings(programme, plan)
    prediction = predict(readings, spec, dialogue_lufs)
    # While the fit is not known to the last bit, a ceiling stands in any case: nobody's ears are at stake.
    ceiling = spec.max_true_peak_dbtp
    return (Master(prediction.gain_db, ceiling) if prediction else Master(0.0, ceiling)), False


def _known_readings(programme: Programme, plan: Plan) -> tuple[Readings, float | None, bool]:
    exact = Verdict.objects.filter(programme=programme, plan_key=plan_key(plan)).first()
    if exact is not None:
        return readings_from_data(exact.figures), exact.figures["dialogue_lufs"], True
    return *_foretold(scene_of_programme(programme, plan)), False


@lru_cache(maxsize=2)
def _foretold(scene: Scene) -> tuple[Readings, float | None]:
    stems = scene.stems
    total = sum(stems.values(), np.zeros(len(scene.is_speech)))
    dialogue = None
    if Role.DIALOGUE in stems:
        dialogue = anchored_lufs(gating_block_powers(total), gating_block_powers(stems[Role.DIALOGUE]))
    # Peaks cannot be known from energies; they come with the exact figures.
    return readings_from(total, 0.0, 0.0), dialogue


def figures_of(programme: Programme, plan: Plan) -> dict[str, Any]:
    """Verdict, fit, horizon and clearance of a programme, as the pages show them."""
    spec = spec_of(programme)
    readings, dialogue_lufs, is_exact = _known_readings(programme, plan)
    verdict = judge(readings, spec, dialogue_lufs=dialogue_lufs)
    findings = verdict_data(verdict)
    if not is_exact:
        for finding in findings:
            if finding["key"] in ("true_peak_dbtp", "sample_peak_dbfs"):
                finding["state"] = "pending"
    scene = scene_of_programme(programme, plan)
    total = sum(scene.stems.values(), np.zeros(len(scene.is_speech)))
    places = np.linspace(0, max(0, len(total) - 1), min(HORIZON_POINTS, max(1, len(total))))
    fit_words, is_reached, is_fit_exact = prediction_text(programme, spec)
    return {
        **balance_state(programme, plan),
        "is_exact": is_exact,
        "is_passed": verdict.is_passed and is_exact,
        "findings": findings,
        "horizon": _tenths(short_term_contour_lufs(total, places)) if len(total) else [],
        "fit": {"sentence": fit_words, "is_reached": is_reached, "is_exact": is_fit_exact},
        "spec": {
            "id": spec.spec_id,
            "name": spec.name,
            "target_lufs": spec.target_for(2),
            "tolerance_lu": spec.tolerance_lu,
            "max_true_peak_dbtp": spec.max_true_peak_dbtp,
        },
    }


def _clip_data(clip: Clip, track: Track, stem_gain_db: float, level: ClipLevel | None) -> dict[str, Any]:
    in_mix = level.level_lufs if level is not None else None
    gains_db = clip.gain_db + track.gain_db + stem_gain_db
    return {
        "id": clip.clip_id,
        "track_id": track.track_id,
        "name": clip.name,
        "start_sample": clip.start_sample,
        "length_samples": clip.length_samples,
        "gain_db": clip.gain_db,
        "recorded_lufs": finite(in_mix - gains_db if in_mix is not None else None),
        "in_mix_lufs": finite(in_mix),
    }


def _tenths(levels: FloatArray) -> list[int]:
    return np.round(np.maximum(levels, _FLOOR_TENTHS / 10) * 10).astype(int).tolist()  # type: ignore[no-any-return]
