"""The state of the Balance page."""

from dataclasses import dataclass, replace
from typing import Any

from recitant_core.balance.judgement import DENSE_SHARE, feel_of
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.errors import EditRefused
from recitant_core.gain.duck_rule import DuckAim, DuckKind
from recitant_core.gain.ducking import dips, travel_db_per_min
from recitant_core.gain.trim import trim_points
from recitant_core.measure.clearance import DEFAULT_ASKED_LU, STRICT_LU
from recitant_core.measure.clip_level import ClipLevel
from recitant_core.render.estimate import duck_gains_db
from recitant_core.render.following import Scene
from recitant_core.render.level_path import level_path
from recitant_core.timeline.model import Clip, Duck, Master, Plan, Role, Track
from recitant_core.timeline.speaking import speech_of_clip
from recitant_core.units.level import finite
from recitant_web.balance.clearance import figures_data, passages
from recitant_web.desk.bridge.ducks import duck_name, points_data, rule_data
from recitant_web.desk.bridge.plans import sources_of_plan
from recitant_web.desk.bridge.strips import trim_to_data
from recitant_web.desk.levels import levels_in_mix
from recitant_web.desk.log import steps_beside
from recitant_web.listening.balance_runs import is_run_open, run_data
from recitant_web.listening.figures import figures_of, likely_master
from recitant_web.listening.scene import standing
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_words.balance import dips_words, live_words, path_words, starting_points_data
from recitant_words.first_balance import judgement_shown


def desk_state(programme: Programme) -> dict[str, Any]:
    """Everything the Balance page shows but contours, as JSON data; its queries do not grow with the programme."""
    # Asked before anything else is read: what ends meanwhile counts as under way, so that the page asks once more and
    # never takes what stood before the end for the last word.
    under_way = work_under_way(programme)
    programme.refresh_from_db()
    snapshot = Snapshot(programme)
    plan, spec = snapshot.plan, snapshot.spec
    levels = levels_in_mix(plan, snapshot.energies, snapshot.speech)
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
                **_two_levels(plan, role, spec.aim_lufs(Role.DIALOGUE)),
                "tracks": [{"id": t.track_id, "name": t.name, "gain_db": t.gain_db} for t in tracks],
                "clips": [
                    _clip_data(c, t, stem_gain_db + plan.programme_gain_db, levels[c.clip_id][2])
                    for t in tracks
                    for c in t.clips
                ],
            }
        )
    return {
        "revision": programme.revision,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "length_samples": plan.span.length_samples,
        "programme_gain_db": plan.programme_gain_db,
        "staves": staves,
        **steps_beside(programme),
        **figures_of(snapshot),
        **balance_state(snapshot, under_way),
    }


def _two_levels(plan: Plan, role: Role, aim_lufs: float) -> dict[str, Any]:
    """Levels of a stem in the open and under speech, in LUFS of the mix, None without a rule that keeps them; its
    trim."""
    duck, trim = plan.duck_of_stem(role), plan.stem_trim(role)
    found: dict[str, Any] = {"lines": None, "trim": trim_to_data(trim)}
    found["trim_points"] = [[point.at_sample, point.gain_db] for point in trim_points(trim)]
    if duck is not None and duck.rule.kind is DuckKind.CURVE and duck.rule.aim is DuckAim.LEVELS:
        aim = aim_lufs + plan.programme_gain_db
        found["lines"] = {
            "duck_id": duck.duck_id,
            "aim_lufs": aim,
            "open_lufs": aim + duck.rule.open_lu,
            "under_lufs": aim + duck.rule.under_lu,
        }
    return found


def _clip_data(clip: Clip, track: Track, later_db: float, level: ClipLevel | None) -> dict[str, Any]:
    # later_db: gain of stem and programme behind the track's.
    in_mix = level.level_lufs if level is not None else None
    gains_db = clip.gain_db + track.gain_db + later_db
    curve = {"curve": [[point.at_sample, point.gain_db] for point in clip.curve]} if clip.curve else {}
    return curve | {
        "id": clip.clip_id,
        "track_id": track.track_id,
        "name": clip.name,
        "start_sample": clip.start_sample,
        "length_samples": clip.length_samples,
        "gain_db": clip.gain_db,
        "recorded_lufs": finite(in_mix - gains_db if in_mix is not None else None),
        "in_mix_lufs": finite(in_mix),
    }


@dataclass(frozen=True)
class UnderWay:
    """Work in the background that changes what the page shows."""

    is_listening: bool
    """Whether speech is looked for in dialogue."""
    is_balancing: bool


def work_under_way(programme: Programme) -> UnderWay:
    """What is under way at this moment."""
    unheard = programme.sources.filter(role="dialogue", is_listened=False, state="ready")
    return UnderWay(unheard.exists(), is_run_open(programme))


def balance_state(snapshot: Snapshot, under_way: UnderWay) -> dict[str, Any]:
    """Speech, ducking and clearance as the page shows them: estimated at once, measured once the stems are known.

    Args:
        under_way: before the snapshot was taken.
    """
    programme, plan, scene = snapshot.programme, snapshot.plan, snapshot.scene
    run = run_data(programme)
    turned = 10.0 ** (plan.programme_gain_db / 10.0)
    close = passages(snapshot)
    stems = snapshot.stems or {role: energy * turned for role, energy in scene.stems.items()}
    return {
        "judgement": judgement_shown(standing(snapshot)),
        "ducks": [_duck_data(duck, plan, scene) for duck in plan.ducks],
        "starting_points": starting_points_data(),
        "speech": [
            [span.start_sample, span.length_samples, span.confidence, clip.clip_id]
            for track in plan.tracks
            if track.role is Role.DIALOGUE
            for clip in track.clips
            for span in speech_of_clip(clip, snapshot.speech)
        ],
        "clearance": {
            "asked_lu": programme.clearance_lu,
            "usual_lu": DEFAULT_ASKED_LU,
            "strict_lu": STRICT_LU,
            "least_s": programme.least_passage_s,
            "passages": [one for one in close if not one["is_accepted"]],
            "accepted": [one for one in close if one["is_accepted"]],
            "is_exact": snapshot.stems is not None,
            "has_speech": bool(scene.speech),
            "is_listening": under_way.is_listening,
            **figures_data(speech_figures(stems, scene.is_speech)),
        },
        "balance_run": run and run | {"is_open": run["is_open"] or under_way.is_balancing},
    }


def _duck_data(duck: Duck, plan: Plan, scene: Scene) -> dict[str, Any]:
    found = dips(duck.points)
    travel_db = travel_db_per_min(duck.points, plan.span.length_samples)
    deepest_db = -min((dip.depth_db for dip in found), default=0.0)
    feel = feel_of(deepest_db, travel_db, is_dense=bool(scene.is_speech.mean() >= DENSE_SHARE))
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
        "comfort": dips_words(found, travel_db, feel),
        "is_restless": feel == "restless",
    }
    if duck.rule.kind is DuckKind.LIVE:
        gain_db = duck_gains_db(plan, scene.tracks)[duck.duck_id]
        data["comfort"] = live_words(float(gain_db.min(initial=0.0)))
    return data


def path_of_clip(programme: Programme, clip_id: str, at_sample: int, hear: str) -> dict[str, Any]:
    """The level path of a clip at a moment: to the mix as balanced, or to what is handed over.

    Raises:
        EditRefused: no such clip.
    """
    snapshot = Snapshot(programme)
    plan = snapshot.plan
    if not any(clip.clip_id == clip_id for track in plan.tracks for clip in track.clips):
        raise EditRefused("gone")
    master = likely_master(snapshot)[0] if hear == "handed-over" else Master()
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
