"""Edits of ducking, of speech and of what the programme asks for in clearance: what each does to plan or rows."""

from dataclasses import replace
from typing import Any

from recitant_core.errors import EditRefused
from recitant_core.gain.duck_drawing import deepened, point_added, point_moved, point_removed, released
from recitant_core.gain.ducking import STARTING_POINTS, DuckRule
from recitant_core.interchange.plan_json import rule_from_data
from recitant_core.speech.marking import SpeechMark, mark_laid
from recitant_core.timeline import edits
from recitant_core.timeline.model import Duck, Plan, Role
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.timecode import timecode_from_samples
from recitant_web.desk.bridge import duck_fields, marks_from_data, marks_to_data
from recitant_web.desk.log import Change, changes_back
from recitant_web.desk.models import Clip, Edit, EditState
from recitant_web.programme.models import Programme
from recitant_words.sentences import gain_text, signed

Data = dict[str, Any]
LEAST_SPEECH_SAMPLES = RATE_HZ // 20


def rule_data(rule: DuckRule) -> dict[str, Any]:
    """Every field of a rule, as the page shows it."""
    data = {name: value for name, value in vars(rule).items() if name not in ("room", "live", "keys")}
    return data | {"room": dict(vars(rule.room)), "live": dict(vars(rule.live)), "keys": list(rule.keys)}


def _add(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    rule = STARTING_POINTS.get(data["start"], DuckRule())
    if data["target"] == "stem":
        role = _role(data["id"])
        if plan.duck_of_stem(role) is not None:
            raise EditRefused("duck_there")
        duck, name = Duck(f"{edits.NEW}duck", role, "", rule), f"{role.value} stem"
    else:
        track = next((t for t in plan.tracks if t.track_id == data["id"]), None)
        if track is None or track.role is Role.DIALOGUE:
            raise EditRefused("gone")
        if plan.duck_of_track(track.track_id) is not None:
            raise EditRefused("duck_there")
        duck, name = Duck(f"{edits.NEW}duck", None, track.track_id, rule), track.name
    return replace(plan, ducks=(*plan.ducks, duck)), f"{name} gives way to speech"


def _remove(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck(plan, data["id"])
    ducks = tuple(d for d in plan.ducks if d is not duck)
    return replace(plan, ducks=ducks), f"{duck_name(plan, duck)} no longer gives way to speech"


def _set_rule(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck(plan, data["id"])
    patch = data["rule"]
    if "start" in patch:
        start = STARTING_POINTS.get(str(patch["start"]))
        if start is None:
            raise EditRefused("gone")
        rule = replace(start, keys=duck.rule.keys, room=duck.rule.room, live=duck.rule.live)
        return _with(plan, replace(duck, rule=rule)), f"{duck_name(plan, duck)} dips as for {patch['start']}"
    now = rule_data(duck.rule)
    for name, value in patch.items():
        if name in ("room", "live") and isinstance(value, dict):
            now[name] = now[name] | value
        else:
            now[name] = value
    voices = {track.track_id for track in plan.tracks if track.role is Role.DIALOGUE}
    if not set(now["keys"]) <= voices:
        raise EditRefused("gone")
    return _with(plan, replace(duck, rule=rule_from_data(now))), f"ducking rule of {duck_name(plan, duck)}"


def _point(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck_with_point(plan, data)
    points = point_moved(duck.points, data["index"], data["at_sample"], data["gain_db"])
    where = f"{gain_text(points[data['index']].gain_db)} dB"
    return _with(plan, replace(duck, points=points)), f"dip of {duck_name(plan, duck)} drawn to {where}"


def _add_point(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck(plan, data["id"])
    points = point_added(duck.points, data["at_sample"])
    return _with(plan, replace(duck, points=points)), f"point on the curve of {duck_name(plan, duck)}"


def _remove_point(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck_with_point(plan, data)
    points = point_removed(duck.points, data["index"])
    return _with(plan, replace(duck, points=points)), f"point off the curve of {duck_name(plan, duck)}"


def _release(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    duck = _duck(plan, data["id"])
    span = SampleSpan(data["from_sample"], max(0, data["to_sample"] - data["from_sample"]))
    points = released(duck.points, span)
    if points == duck.points:
        return plan, ""
    return _with(plan, replace(duck, points=points)), f"dip of {duck_name(plan, duck)} released"


def _cure(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    span = SampleSpan(max(0, data["start_sample"]), max(1, data["length_samples"]))
    at = timecode_from_samples(span.start_sample, programme.frame_rate)
    match data["code"]:
        case "raise-clip" | "lower-clip":
            known = edits.clips_by_id(plan)
            if data["target_id"] not in known:
                raise EditRefused("gone")
            by_db = abs(data["by_db"]) * (1.0 if data["code"] == "raise-clip" else -1.0)
            name = known[data["target_id"]][1].name
            after = edits.set_clips(plan, [data["target_id"]], lambda clip: edits.levelled(clip, by_db))
            return after, f"{name} {gain_text(by_db)} dB for clearance at {at}"
        case "deepen":
            duck = _duck(plan, data["target_id"])
            points = deepened(duck.points, span, abs(data["by_db"]), duck.rule)
            words = f"{duck_name(plan, duck)} dips {signed(abs(data['by_db']))} dB further at {at}"
            return _with(plan, replace(duck, points=points)), words
        case _:
            return _add(programme, plan, {"target": "stem", "id": data["target_id"], "start": ""})


def _mark_speech(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    clip = Clip.objects.filter(pk=data["id"], track__programme=programme).select_related("source").first()
    if clip is None:
        raise EditRefused("gone")
    first = max(data["from_sample"], clip.start_sample)
    last = min(data["to_sample"], clip.start_sample + clip.length_samples)
    if last - first < LEAST_SPEECH_SAMPLES:
        raise EditRefused("speech_span")
    shift = clip.in_sample - clip.start_sample
    source = clip.source
    mark = SpeechMark(first + shift, last - first, data["is_speech"])
    marks = marks_to_data(mark_laid(marks_from_data(source.speech_marks), mark))
    change = {"table": "source", "id": source.pk, "set": {"speech_marks": [source.speech_marks, marks]}}
    what = "speech marked" if data["is_speech"] else "no speech marked"
    return f"{what} in {clip.name[:120]}", [change], []


def _ask(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    if not (0.0 <= data["asked_lu"] <= 40.0 and 0.1 <= data["least_s"] <= 10.0):
        raise EditRefused("clearance_range")
    wanted = {"clearance_lu": round(data["asked_lu"], 1), "least_passage_s": round(data["least_s"], 2)}
    changed = {n: [getattr(programme, n), v] for n, v in wanted.items() if getattr(programme, n) != v}
    changes = [{"table": "programme", "id": programme.pk, "set": changed}] if changed else []
    return f"{data['asked_lu']:g} LU of clearance asked for", changes, []


def _step_back(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    edit = Edit.objects.filter(pk=data["edit_id"], programme=programme, state=EditState.DONE).first()
    if edit is None:
        raise EditRefused("no_such_edit")
    return f"took back: {edit.label}", changes_back(edit), []


def duck_name(plan: Plan, duck: Duck) -> str:
    """What gives way, in words."""
    if duck.stem is not None:
        return duck.stem.value
    return next((t.name for t in plan.tracks if t.track_id == duck.track_id), "track")


def _duck(plan: Plan, duck_id: str) -> Duck:
    found = next((duck for duck in plan.ducks if duck.duck_id == duck_id), None)
    if found is None:
        raise EditRefused("no_duck")
    return found


def _duck_with_point(plan: Plan, data: Data) -> Duck:
    duck = _duck(plan, data["id"])
    if not 0 <= data["index"] < len(duck.points):
        raise EditRefused("gone")
    return duck


def _with(plan: Plan, duck: Duck) -> Plan:
    ducks = tuple(duck if d.duck_id == duck.duck_id else d for d in plan.ducks)
    if all(duck_fields(a) == duck_fields(b) for a, b in zip(ducks, plan.ducks, strict=True)):
        return plan
    return replace(plan, ducks=ducks)


def _role(text: str) -> Role:
    if text not in (Role.MUSIC.value, Role.EFFECTS.value, Role.AMBIENCE.value):
        raise EditRefused("duck_of_dialogue", field="stem")
    return Role(text)


DUCK_PLAN_EDITS = {
    "duck-add": _add,
    "duck-remove": _remove,
    "duck-rule": _set_rule,
    "duck-point": _point,
    "duck-point-add": _add_point,
    "duck-point-remove": _remove_point,
    "duck-release": _release,
    "cure": _cure,
}
BALANCE_ROW_EDITS = {"speech": _mark_speech, "clearance": _ask, "step-back": _step_back}
