"""Reads of speech, clearance and ducking for the Balance page."""

from collections import OrderedDict
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from django.conf import settings

from recitant_core.balance.closeness import diagnoses
from recitant_core.balance.first_balance import exact_energies
from recitant_core.balance.speech_figures import SpeechFigures, speech_figures
from recitant_core.errors import EditRefused
from recitant_core.gain.ducking import STARTING_POINTS, DuckKind, comfort, dips
from recitant_core.measure.clearance import (
    DEFAULT_ASKED_LU,
    HOP_SAMPLES,
    STRICT_LU,
    ClosePassage,
    close_passages,
)
from recitant_core.ports import SampleSource
from recitant_core.render.estimate import duck_gains_db, given_way_db
from recitant_core.render.following import Scene, rendered_clearance_lu
from recitant_core.render.level_path import level_path
from recitant_core.timeline.model import Duck, Master, Plan, Role
from recitant_core.timeline.speaking import speech_of_clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import finite
from recitant_io.stem_levels import stem_levels
from recitant_web.desk.bridge import plan_key, plan_of, points_data, sources_of_plan, spec_of, speech_of
from recitant_web.desk.duck_edits import duck_name, rule_data
from recitant_web.desk.following import scene_now
from recitant_web.desk.models import BalanceRun
from recitant_web.desk.sounds import known_energies, missing_chains
from recitant_web.programme.models import Programme
from recitant_words.balance import comfort_words, diagnosis_data, path_words
from recitant_words.balance_report import speech_data
from recitant_words.sentences import signed

MOST_DIAGNOSED = 60
_CLEAR_TENTHS = 400  # no bar is drawn higher: 40 LU are clear enough
_NOBODY_SPEAKS = -1_000
_scenes: "OrderedDict[tuple[int, int, int], Scene]" = OrderedDict()
_scenes_lock = Lock()
_KEPT_SCENES = 2


def scene_of_programme(programme: Programme, plan: Plan) -> Scene:
    """What sounds against what, kept for the newest revisions."""
    speech = speech_of(programme)
    speaking = hash(tuple((k, tuple(spans)) for k, spans in sorted(speech.items())))
    # Chains that were rendered meanwhile make another scene.
    key = (programme.pk, programme.revision, speaking, missing_chains(plan))
    with _scenes_lock:
        found = _scenes.get(key)
    if found is None or found.plan is not plan:
        found = scene_now(programme, plan)
        with _scenes_lock:
            _scenes[key] = found
            while len(_scenes) > _KEPT_SCENES:
                _scenes.popitem(last=False)
    return found


def balance_state(programme: Programme, plan: Plan) -> dict[str, Any]:
    """Speech, ducking and clearance as the page shows them: estimated at once, measured once the stems are known."""
    stems = exact_stems(plan)
    scene = scene_of_programme(programme, plan)
    speech = speech_of(programme)
    energies = known_energies(plan)
    asked = programme.clearance_lu
    all_close = close_passages(scene.own_clearance, asked, programme.least_passage_s)
    found = []
    if len(all_close) <= MOST_DIAGNOSED:
        diagnosed = diagnoses(scene, plan, energies, speech, spec_of(programme), asked, programme.least_passage_s)
        found = [diagnosis_data(one) for one in diagnosed]
    else:
        found = [_plain_passage(p, asked) for p in all_close]
    if stems is not None:
        measured = close_passages(rendered_clearance_lu(stems, scene.is_speech), asked, programme.least_passage_s)
        found = _as_measured(found, measured)
    figures = figures_data(speech_figures(stems or scene.stems, scene.is_speech))
    waiting = programme.sources.filter(role="dialogue", is_listened=False, state="ready").count()
    return {
        "ducks": [_duck_data(duck, plan, scene) for duck in plan.ducks],
        "starting_points": list(STARTING_POINTS),
        "speech": [
            [span.start_sample, span.length_samples, span.confidence, clip.clip_id]
            for track in plan.tracks
            if track.role is Role.DIALOGUE
            for clip in track.clips
            for span in speech_of_clip(clip, speech)
        ],
        "clearance": {
            "asked_lu": asked,
            "usual_lu": DEFAULT_ASKED_LU,
            "strict_lu": STRICT_LU,
            "least_s": programme.least_passage_s,
            "passages": found,
            "is_exact": stems is not None,
            "has_speech": bool(scene.speech),
            "is_listening": waiting > 0,
            **figures,
        },
        "balance_run": _run_data(programme),
    }


def figures_data(figures: SpeechFigures) -> dict[str, Any]:
    """Figures of speech as JSON data."""
    return {
        "speech_share": figures.speech_share,
        "dialogue_lufs": finite(figures.dialogue_lufs),
        "stems": [
            {
                "role": role.value,
                "in_speech_lufs": finite(level),
                "outside_lufs": finite(figures.outside_speech_lufs[role]),
            }
            for role, level in figures.in_speech_lufs.items()
        ],
    }


def clearance_contour(programme: Programme, plan: Plan, span: SampleSpan, step_hops: int) -> dict[str, Any]:
    """Clearance along a view: the least of every step, in tenths of LU; one value stands for "nobody speaks"."""
    clear = _best_clearance(scene_of_programme(programme, plan), plan)
    first = max(0, span.start_sample // HOP_SAMPLES)
    part = clear[first : span.end_sample // HOP_SAMPLES + 1]
    is_speech = scene_of_programme(programme, plan).is_speech[first : first + len(part)]
    steps = -(-len(part) // step_hops)
    padded = np.full(steps * step_hops, np.inf)
    padded[: len(part)] = part
    spoken = np.zeros(steps * step_hops, bool)
    spoken[: len(part)] = is_speech
    least = padded.reshape(steps, step_hops).min(axis=1)
    tenths = np.round(np.clip(least * 10, -300, _CLEAR_TENTHS)).astype(int)
    tenths[~spoken.reshape(steps, step_hops).any(axis=1)] = _NOBODY_SPEAKS
    return {"from_sample": first * HOP_SAMPLES, "tenths": tenths.tolist()}


def giving_way(programme: Programme, plan: Plan) -> dict[str, FloatArray]:
    """Gain in dB at each hop of every track that gives way, by its id."""
    if not plan.ducks:
        return {}
    scene = scene_of_programme(programme, plan)
    gains = duck_gains_db(plan, scene.tracks)
    lowered = {track.track_id: given_way_db(plan, track, gains) for track in plan.tracks}
    return {track_id: gain_db for track_id, gain_db in lowered.items() if gain_db is not None}


def path_at(programme: Programme, clip_id: str, at_sample: int, master: Master) -> dict[str, Any]:
    """The level path of a clip at a moment, with its words.

    Raises:
        EditRefused: no such clip.
    """
    plan = plan_of(programme)
    if not any(clip.clip_id == clip_id for track in plan.tracks for clip in track.clips):
        raise EditRefused("gone")
    found = level_path(replace(plan, master=master), sources_of_plan(programme), clip_id, at_sample)
    return {
        "at_sample": at_sample,
        "recorded_lufs": finite(found.recorded_lufs),
        "lines": [
            {"code": line.code, "name": path_words(line.code), "gain_db": finite(line.gain_db)} for line in found.lines
        ],
        "output_lufs": finite(found.output_lufs),
        "silent": path_words(f"silent-{found.silent_because}") if found.silent_because else "",
    }


def checked(programme: Programme, start_sample: int, length_samples: int) -> str:
    """What a passage came to after a remedy: the sentence that says so."""
    plan = plan_of(programme)
    clear = scene_of_programme(programme, plan).own_clearance
    part = clear[start_sample // HOP_SAMPLES : -(-(start_sample + length_samples) // HOP_SAMPLES)]
    least = float(part.min(initial=np.inf))
    if not np.isfinite(least):
        return "Checked: nothing stands against speech there any more."
    if least >= programme.clearance_lu - 0.05:
        return f"Checked: speech stands {signed(least)} LU clear there now."
    missing = programme.clearance_lu - least
    left = close_passages(part, programme.clearance_lu, programme.least_passage_s)
    if not left:
        return f"Checked: clear but for moments too short to count (the closest {signed(least)} LU)."
    return f"Checked: {signed(least)} LU there now, {signed(missing)} LU still missing."


@lru_cache(maxsize=4)
def _stems_of_key(key: str) -> dict[Role, FloatArray]:
    found = stem_levels(stem_levels_folder(), key)
    if found is None:
        raise KeyError(key)  # not kept as an answer: it may be there the next time
    return found


def exact_stems(plan: Plan) -> dict[Role, FloatArray] | None:
    """Energies of the stems as rendered, float64 (hops,) each; None until they were."""
    try:
        return _stems_of_key(plan_key(plan))
    except KeyError:
        return None


def stem_levels_folder() -> Path:
    """Where the energies of rendered stems are kept."""
    return Path(settings.MEDIA_ROOT) / "stem-levels"


def _best_clearance(scene: Scene, plan: Plan) -> FloatArray:
    stems = exact_stems(plan)
    return scene.own_clearance if stems is None else rendered_clearance_lu(stems, scene.is_speech)


def report_part(programme: Programme, plan: Plan, sources: dict[str, SampleSource]) -> dict[str, Any]:
    """What a report says of speech, ducking and clearance, and of the first balance that is in force.

    Args:
        plan: what is delivered; it may be of an earlier revision.
        sources: every recording it names.
    """
    stems = exact_stems(plan_of(programme)) if plan_key(plan_of(programme)) == plan_key(plan) else None
    run = _run_data(programme)
    actions = [step for step in run["steps"] if step["is_in_force"]] if run is not None else []
    return speech_data(
        plan,
        speech_of(programme),
        stems or exact_energies(plan, sources),
        programme.clearance_lu,
        programme.least_passage_s,
        actions,
    )


def _as_measured(found: list[dict[str, Any]], exact: list[ClosePassage]) -> list[dict[str, Any]]:
    # The estimate tells the cause, the rendered stems whether it is so, and by how much.
    kept = []
    for passage in found:
        span = SampleSpan(passage["start_sample"], passage["length_samples"])
        meant = [e.least_lu for e in exact if e.span.intersect(span) is not None]
        if meant:
            kept.append(passage | {"least_lu": round(min(meant), 1)})
    return kept


def _plain_passage(passage: Any, asked_lu: float) -> dict[str, Any]:
    least = signed(passage.least_lu)
    return {
        "start_sample": passage.span.start_sample,
        "length_samples": passage.span.length_samples,
        "least_lu": round(passage.least_lu, 1),
        "mean_lu": round(passage.mean_lu, 1),
        "cause": "",
        "title": f"{passage.span.length_samples / RATE_HZ:.1f} s of speech too close",
        "sentence": f"At its closest speech is {least} LU above the rest; you asked for {asked_lu:g}.",
        "cures": [],
    }


def _duck_data(duck: Duck, plan: Plan, scene: Scene) -> dict[str, Any]:
    found = dips(duck.points)
    calm = comfort(duck.points, scene.speech, duck.rule.least_change_db)
    data = {
        "id": duck.duck_id,
        "name": duck_name(plan, duck),
        "stem": duck.stem.value if duck.stem is not None else "",
        "track_id": duck.track_id,
        "role": next((t.role.value for t in plan.tracks if duck.acts_on(t)), ""),
        "rule": rule_data(duck.rule),
        "points": points_data(duck.points),
        "room_points": points_data(duck.room_points),
        "n_dips": len(found),
        "n_pinned": sum(1 for dip in found if dip.is_pinned),
        "comfort": comfort_words(calm, found),
        "is_restless": calm.judgement == "pumping",
    }
    if duck.rule.kind is DuckKind.LIVE:
        gain_db = duck_gains_db(plan, scene.tracks)[duck.duck_id]
        data["comfort"] = f"live key, down to {signed(float(gain_db.min(initial=0.0)))} dB"
    return data


def _run_data(programme: Programme) -> dict[str, Any] | None:
    run = BalanceRun.objects.filter(programme=programme).select_related("job").order_by("-pk").first()
    if run is None:
        return None
    job = run.job
    in_force = set(
        programme.edits.filter(pk__in=[s["edit_id"] for s in run.steps if s.get("edit_id")], state="done").values_list(
            "pk", flat=True
        )
    )
    edit_ids = [step["edit_id"] for step in run.steps if step.get("edit_id")]
    newest = programme.edits.filter(state="done").order_by("-pk").values_list("pk", flat=True).first()
    undo_to = None
    if edit_ids and newest == edit_ids[-1] and in_force == set(edit_ids):
        before = programme.edits.filter(state="done", pk__lt=edit_ids[0]).order_by("-pk")
        undo_to = before.values_list("pk", flat=True).first() or 0
    return {
        "id": run.pk,
        "undo_to": undo_to,
        "job_id": job.pk if job else None,
        "is_open": bool(job and job.is_open),
        "share": job.share if job else 1.0,
        "sentence": job.sentence if job else "",
        "choices": run.choices,
        "steps": [step | {"is_in_force": step.get("edit_id") in in_force} for step in run.steps],
    }
