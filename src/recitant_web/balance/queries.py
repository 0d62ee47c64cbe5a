"""The state of the Balance page."""

from dataclasses import dataclass, replace
from typing import Any

from recitant_core.balance.judgement import DENSE_SHARE, Judgement, feel_of
from recitant_core.balance.plausibility import doubts
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.errors import NotThere
from recitant_core.gain.duck_rule import DuckKind
from recitant_core.gain.ducking import dips, travel_db_per_min
from recitant_core.measure.clearance import DEFAULT_ASKED_LU, STRICT_LU
from recitant_core.render.estimate import duck_gains_db
from recitant_core.render.level_path import level_path
from recitant_core.render.scene import LoudnessScene
from recitant_core.timeline.model import Duck, Master, Plan
from recitant_core.units.level import finite
from recitant_text.balance import dips_words, live_words, path_words, starting_points_data
from recitant_text.first_balance import doubt_data
from recitant_text.standing import judgement_shown
from recitant_web.balance.clearance import figures_data, passages
from recitant_web.balance.staves import speech_rows, staves
from recitant_web.desk.log import steps_beside
from recitant_web.desk.mapping.ducks import duck_name, points_data, rule_data
from recitant_web.desk.mapping.plans import sources_of_plan
from recitant_web.desk.moments import moments_of
from recitant_web.listening.balance_runs import is_run_open, run_data
from recitant_web.listening.figures import figures_of, horizon_of, likely_master, spec_data
from recitant_web.listening.lost import lost_in
from recitant_web.listening.scene import standing
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import picture_span
from recitant_web.shared.caches import Cache
from recitant_web.shared.states import State


@dataclass(frozen=True)
class UnderWay:
    """Work in the background that changes what the page shows."""

    is_listening: bool
    """Whether speech is looked for in dialogue."""
    is_balancing: bool


def work_under_way(programme: Programme) -> UnderWay:
    """Jobs of the programme at this moment."""
    unheard = programme.sources.filter(role__in=["narration", "dialogue"], is_listened=False, state="ready")
    return UnderWay(unheard.exists(), is_run_open(programme))


def desk_state(programme: Programme) -> State:
    """Everything the Balance page shows but contours, as JSON data; its queries do not grow with the programme."""
    # Asked before anything else is read: what ends meanwhile counts as under way, so that the page asks once more and
    # never takes what stood before the end for the last word.
    under_way = work_under_way(programme)
    programme.refresh_from_db()
    snapshot = Snapshot(programme)
    figures = _figures(snapshot)
    clearance = figures["clearance"] | _asked(snapshot, under_way)
    return _settings(snapshot, under_way) | figures_of(snapshot) | figures | {"clearance": clearance}


def desk_state_soon(programme: Programme, held: State) -> State:
    """The state after an edit with the figures of the state that a page holds: they say which revision they are of."""
    under_way = work_under_way(programme)
    programme.refresh_from_db()
    snapshot = Snapshot(programme)
    clearance = held["clearance"] | _asked(snapshot, under_way)
    return held | _settings(snapshot, under_way) | {"clearance": clearance}


def _settings(snapshot: Snapshot, under_way: UnderWay) -> State:
    """Fields that an edit changes directly; figures of the mix and of the balance follow from them."""
    programme, plan = snapshot.programme, snapshot.plan
    run = run_data(programme)
    return {
        "revision": programme.revision,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "length_samples": plan.span.length_samples,
        "programme_gain_db": plan.programme_gain_db,
        "staves": staves(snapshot),
        "speech": speech_rows(snapshot),
        "ducks": [_duck_data(duck, plan) for duck in plan.ducks],
        "starting_points": starting_points_data(),
        "balance_run": run and run | {"is_open": run["is_open"] or under_way.is_balancing},
        "channels": list(snapshot.plan.layout.channels),
        "spec": spec_data(snapshot.spec, snapshot.plan.layout),
        **steps_beside(programme),
    }


def _asked(snapshot: Snapshot, under_way: UnderWay) -> State:
    """Clearance that the programme asks for, and whether speech is still looked for."""
    programme = snapshot.programme
    return {
        "asked_lu": programme.clearance_lu,
        "usual_lu": DEFAULT_ASKED_LU,
        "strict_lu": STRICT_LU,
        "least_s": programme.least_passage_s,
        "is_listening": under_way.is_listening,
        "lost": lost_ranges(snapshot),
    }


def lost_ranges(snapshot: Snapshot) -> list[list[Any]]:
    """Start, end and text of each word that is lost in the mix of now; empty where it was not listened to."""
    found = lost_in(snapshot.programme, snapshot.key)
    if found is None:
        return []
    return [
        [one.word.start_sample, one.word.end_sample, one.word.text] for passage in found[1] for one in passage.words
    ]


def _figures(snapshot: Snapshot) -> State:
    """Clearance, feel of the dips and judgement: estimated at once, measured once the stems are known."""
    programme = snapshot.programme
    asked = (programme.clearance_lu, programme.least_passage_s)
    key = (snapshot.moment, snapshot.key, snapshot.fit_key(snapshot.spec), asked, snapshot.stems is not None)
    return _kept.get_or_make(key, lambda: _figures_of_balance(snapshot))


_doubts: Cache[list[State]] = Cache("doubts", 2_000_000, lambda _found: 2_000)


def _doubts_of(snapshot: Snapshot) -> list[State]:
    """Doubts about the programme as it lies there; kept as long as nothing but levels changes."""
    plan, picture = snapshot.plan, picture_span(snapshot.programme)
    places = tuple(
        (track.role, track.is_out, clip.clip_id, clip.source_key, clip.span, clip.in_sample, clip.is_out)
        + (clip.name, clip.sync_sample, clip.is_room_tone)
        for track in plan.tracks
        for clip in track.clips
    )
    *_, speaking, _ = snapshot.moment

    def find() -> list[State]:
        moments = moments_of(snapshot.programme, plan)
        return [doubt_data(one) for one in doubts(plan, snapshot.speech, picture, moments)]

    key = (snapshot.programme.pk, speaking, picture, hash(places))
    found = _doubts.get_or_make(key, find)
    return list(found)


_kept: Cache[State] = Cache("figures of balances", 16_000_000, lambda _found: 64_000)


def _figures_of_balance(snapshot: Snapshot) -> State:
    plan, scene = snapshot.plan, snapshot.scene
    turned = 10.0 ** (plan.programme_gain_db / 10.0)
    close = passages(snapshot)
    stems = snapshot.stems or {role: energy * turned for role, energy in scene.stems.items()}
    judgement = standing(snapshot)
    return {
        "horizon": horizon_of(snapshot),
        "doubts": _doubts_of(snapshot),
        "judgement": judgement_shown(judgement),
        "feels": {duck.duck_id: _feel(duck, plan, scene, judgement) for duck in plan.ducks},
        "clearance": {
            "passages": [one for one in close if not one["is_accepted"]],
            "accepted": [one for one in close if one["is_accepted"]],
            "is_exact": snapshot.stems is not None,
            "has_speech": bool(scene.speech),
            **figures_data(speech_figures(stems, scene.is_speech)),
        },
    }


def _feel(duck: Duck, plan: Plan, scene: LoudnessScene, judgement: Judgement) -> State:
    """Restlessness of a duck's dips: a sentence, and whether there are too many moves."""
    if duck.rule.kind is DuckKind.LIVE:
        gain_db = duck_gains_db(plan, scene.tracks)[duck.duck_id]
        return {"words": live_words(float(gain_db.min(initial=0.0))), "is_restless": False}
    found = dips(duck.points)
    stem = None if duck.stem is None else judgement.stems.get(duck.stem)
    if stem is not None:
        # One truth: the dips of a stem move as "How it stands" counts it.
        travel_db, feel = stem.travel_db, stem.feel
    else:
        travel_db = travel_db_per_min(duck.points, plan.span.length_samples)
        deepest_db = -min((dip.depth_db for dip in found), default=0.0)
        feel = feel_of(deepest_db, travel_db, is_dense=bool(scene.is_speech.mean() >= DENSE_SHARE))
    return {"words": dips_words(found, travel_db, feel), "is_restless": feel == "restless"}


def _duck_data(duck: Duck, plan: Plan) -> State:
    found = dips(duck.points)
    return {
        "id": duck.duck_id,
        "name": duck_name(plan, duck),
        "stem": duck.stem.value if duck.stem is not None else "",
        "track_id": duck.track_id,
        "role": next((t.role.value for t in plan.tracks if duck.acts_on(t)), ""),
        "rule": rule_data(duck.rule),
        "points": points_data(duck.points),
        "room_points": points_data(duck.room_points),
        "n_pinned": sum(1 for dip in found if dip.is_pinned),
    }


def path_of_clip(programme: Programme, clip_id: str, at_sample: int, hear: str) -> dict[str, Any]:
    """The level path of a clip at a moment: to the mix as balanced, or to what is handed over.

    Raises:
        NotThere: no such clip.
    """
    snapshot = Snapshot(programme)
    plan = snapshot.plan
    if not any(clip.clip_id == clip_id for track in plan.tracks for clip in track.clips):
        raise NotThere()
    master = likely_master(snapshot, snapshot.spec)[0] if hear == "handed-over" else Master()
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
