"""The plan as JSON data: the same values as timeline.model, with seconds for times and file names for sources.

The shape is published as docs/plan.schema.json and checked by recitant_io.plan.plan_file before it gets here.
"""

from collections.abc import Mapping
from fractions import Fraction
from itertools import pairwise
from typing import Any

from recitant_core.errors import PlanError
from recitant_core.gain.duck_rule import DuckAim, DuckKind, DuckRule, LiveKey, Room
from recitant_core.gain.ducking import DuckPoint, Points
from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.gain.trim import Trim, TrimScene
from recitant_core.ports import SampleSource
from recitant_core.processors.model import Chain, chain_data, chain_from_data
from recitant_core.timeline.model import Balanced, Clip, Duck, Master, Plan, Ride, Track
from recitant_core.units.channels import Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan, s_from_samples, samples_from_s
from recitant_core.units.roles import Role
from recitant_core.units.timecode import FRAME_RATES

PLAN_VERSION = 1


def plan_from_data(data: Mapping[str, Any], source_of_file: Mapping[str, SampleSource]) -> Plan:
    """The plan that this data describes.

    Args:
        data: valid under the schema.
        source_of_file: every file the data names.

    Raises:
        PlanError: an unknown frame rate, a clip that reaches outside its file, curve points out of order; ``field``
            tells where.
    """
    if data["frame_rate"] not in FRAME_RATES:
        raise PlanError("unknown_frame_rate", field="frame_rate", found=data["frame_rate"], known=list(FRAME_RATES))
    tracks = []
    for track_index, track in enumerate(data["tracks"]):
        clips = []
        for clip_index, clip in enumerate(track["clips"]):
            field = f"tracks[{track_index}].clips[{clip_index}]"
            clips.append(_clip(clip, field, source_of_file[clip["file"]]))
        tracks.append(
            Track(
                track_id=str(track_index),
                name=track["name"],
                role=Role(track["role"]),
                gain_db=float(track.get("gain_db", 0.0)),
                pan=float(track.get("pan", 0.0)),
                clips=tuple(clips),
                is_mono=bool(track.get("mono", False)),
                chain=_chain(track.get("chain", ()), f"tracks[{track_index}].chain"),
                ride=_ride(track.get("ride", {}), f"tracks[{track_index}].ride"),
                is_out=bool(track.get("out_of_mix", False)),
            )
        )
    given = {Role(role): stem for role, stem in data.get("stems", {}).items()}
    stems = {role: float(stem.get("gain_db", 0.0)) for role, stem in given.items()}
    master = data.get("master", {})
    ceiling = master.get("ceiling_dbtp")
    return Plan(
        data["title"],
        data["frame_rate"],
        tuple(tracks),
        stems,
        Master(float(master.get("gain_db", 0.0)), None if ceiling is None else float(ceiling)),
        tuple(_duck(duck, index, len(tracks)) for index, duck in enumerate(data.get("ducking", ()))),
        {r: _chain(stem["chain"], f"stems.{r}.chain") for r, stem in given.items() if stem.get("chain")},
        {r: _ride(stem["ride"], f"stems.{r}.ride") for r, stem in given.items() if "ride" in stem},
        _chain(master.get("chain", ()), "master.chain"),
        {r: _trim(stem["trim"], f"stems.{r}.trim") for r, stem in given.items() if stem.get("trim")},
        {r: _balanced(stem["balanced"]) for r, stem in given.items() if "balanced" in stem},
        float(data.get("programme_gain_db", 0.0)),
    )


def plan_to_data(plan: Plan, file_of_source: Mapping[str, str]) -> dict[str, Any]:
    """The data that gives this plan back."""
    return {
        "plan": PLAN_VERSION,
        "title": plan.title,
        "frame_rate": plan.frame_rate,
        "tracks": [
            {
                "name": track.name,
                "role": track.role.value,
                "gain_db": track.gain_db,
                "pan": track.pan,
                **({"mono": True} if track.is_mono else {}),
                **({"out_of_mix": True} if track.is_out else {}),
                **_strip_data(track.chain, track.ride),
                "clips": [_clip_data(clip, file_of_source) for clip in track.clips],
            }
            for track in plan.tracks
        ],
        "stems": {
            role.value: stem_data
            for role in plan.stems_set
            if (stem_data := _stem_data(plan, role)) != {"gain_db": 0.0} or role in plan.stem_gains_db
        },
        "master": {
            "gain_db": plan.master.gain_db,
            "ceiling_dbtp": plan.master.ceiling_dbtp,
            **_strip_data(plan.master_chain, Ride()),
        },
        **({"programme_gain_db": plan.programme_gain_db} if plan.programme_gain_db else {}),
        **({"ducking": [_duck_data(duck, plan) for duck in plan.ducks]} if plan.ducks else {}),
    }


def rule_from_data(data: Mapping[str, Any]) -> DuckRule:
    """A ducking rule from its fields by name; what is missing is as the rule has it by itself.

    Raises:
        PlanError: an unknown word or a number out of range.
    """
    try:
        room = Room(**data.get("room", {}))
        live = LiveKey(**data.get("live", {}))
        plain = {name: value for name, value in data.items() if name not in ("room", "live", "kind", "aim", "keys")}
        kind, aim = DuckKind(data.get("kind", "curve")), DuckAim(data.get("aim", "clearance"))
        rule = DuckRule(kind=kind, aim=aim, keys=tuple(map(str, data.get("keys", ()))), room=room, live=live, **plain)
    except (TypeError, ValueError) as error:
        raise PlanError("duck_rule", field="rule", message=str(error)[:200]) from error
    for name, low, high in RULE_LIMITS:
        part: object = rule
        for step in name.split("."):
            part = getattr(part, step)
        if part is not None and not (isinstance(part, int | float) and low <= part <= high):
            raise PlanError("duck_number", field=name, found=str(part)[:40], low=low, high=high)
    return rule


def rule_to_data(rule: DuckRule) -> dict[str, Any]:
    """The fields of a rule that differ from a plain one, as JSON data."""
    plain = DuckRule()
    data: dict[str, Any] = {}
    for name, value in vars(rule).items():
        if value != getattr(plain, name):
            if isinstance(value, Room | LiveKey):
                base = type(value)()
                data[name] = {part: v for part, v in vars(value).items() if v != getattr(base, part)}
            else:
                data[name] = list(value) if isinstance(value, tuple) else value
    return data


RULE_LIMITS: tuple[tuple[str, float, float], ...] = (
    ("depth_db", 0.0, 60.0),
    ("clearance_lu", 0.0, 40.0),
    ("over_lu", 0.0, 40.0),
    ("open_lu", -60.0, 20.0),
    ("under_lu", -60.0, 20.0),
    ("least_confidence", 0.0, 1.0),
    ("lead_in_s", 0.0, 10.0),
    ("hold_s", 0.0, 10.0),
    ("recovery_s", 0.0, 20.0),
    ("bridge_s", 0.0, 60.0),
    ("floor_db", -60.0, 0.0),
    ("least_change_db", 0.1, 12.0),
    ("slope_db_per_s", 1.0, 1000.0),
    ("room.centre_hz", 100.0, 8000.0),
    ("room.width_octaves", 0.2, 5.0),
    ("room.most_db", 0.0, 24.0),
    ("live.threshold_dbfs", -90.0, 0.0),
    ("live.ratio", 1.0, 50.0),
    ("live.attack_ms", 1.0, 2000.0),
    ("live.hold_ms", 0.0, 5000.0),
    ("live.release_ms", 5.0, 10000.0),
)
"""Least and most of every number of a rule."""


def _duck(data: Mapping[str, Any], index: int, n_tracks: int) -> Duck:
    rule = rule_from_data(data.get("rule", {}))
    points = _duck_points(data.get("points", ()), f"ducking[{index}].points")
    room_points = _duck_points(data.get("room_points", ()), f"ducking[{index}].room_points")
    if "stem" in data:
        if Role(data["stem"]).kind is Role.NARRATION:
            raise PlanError("duck_of_narration", field=f"ducking[{index}].stem")
        return Duck(str(index), Role(data["stem"]), "", rule, points, room_points)
    if not data["track"] < n_tracks:
        raise PlanError("duck_track", field=f"ducking[{index}].track", n_tracks=n_tracks)
    return Duck(str(index), None, str(data["track"]), rule, points, room_points)


def _duck_points(data: Any, field: str) -> Points:
    points = tuple(
        DuckPoint(_samples(at_s), float(gain_db), bool(pinned and pinned[0])) for at_s, gain_db, *pinned in data
    )
    if any(a.at_sample >= b.at_sample for a, b in pairwise(points)):
        raise PlanError("curve_out_of_order", field=field)
    return points


def _duck_data(duck: Duck, plan: Plan) -> dict[str, Any]:
    ids = [track.track_id for track in plan.tracks]
    rule = rule_to_data(duck.rule)
    if duck.rule.keys:
        rule["keys"] = [str(ids.index(key)) for key in duck.rule.keys if key in ids]
    data: dict[str, Any] = {"rule": rule, "points": duck_points_data(duck.points)}
    if duck.room_points:
        data["room_points"] = duck_points_data(duck.room_points)
    if duck.stem is not None:
        return {"stem": duck.stem.value, **data}
    return {"track": ids.index(duck.track_id), **data}


def duck_points_data(points: Points) -> list[list[Any]]:
    """Points as [seconds, dB], with true behind them where they are pinned."""
    return [[s_from_samples(p.at_sample), p.gain_db, *([True] if p.is_pinned else [])] for p in points]


def _clip(data: Mapping[str, Any], field: str, source: SampleSource) -> Clip:
    in_sample = _samples(data.get("in_s", 0.0))
    if in_sample >= source.length_samples:
        file_s = s_from_samples(source.length_samples)
        raise PlanError("in_after_end", field=f"{field}.in_s", file=data["file"], file_s=file_s)
    length_s = data.get("length_s")
    length = source.length_samples - in_sample if length_s is None else _samples(length_s)
    if in_sample + length > source.length_samples:
        file_s = s_from_samples(source.length_samples)
        asked_s = s_from_samples(in_sample + length)
        raise PlanError("past_end", field=f"{field}.length_s", file=data["file"], file_s=file_s, asked_s=asked_s)
    points = tuple(CurvePoint(_samples(at_s), float(gain_db)) for at_s, gain_db in data.get("curve", ()))
    if any(a.at_sample >= b.at_sample for a, b in pairwise(points)):
        raise PlanError("curve_out_of_order", field=f"{field}.curve")
    if len(data.get("dc_offset", ())) not in (0, source.layout.n_channels):
        raise PlanError("dc_channels", field=f"{field}.dc_offset", n_channels=source.layout.n_channels)
    return Clip(
        clip_id=field,
        source_key=source.key,
        start_sample=_samples(data.get("at_s", 0.0)),
        in_sample=in_sample,
        length_samples=length,
        gain_db=float(data.get("gain_db", 0.0)),
        fade_in_samples=min(length, _samples(data.get("fade_in_s", 0.0))),
        fade_out_samples=min(length, _samples(data.get("fade_out_s", 0.0))),
        curve=points,
        fade_in_shape=FadeShape(data.get("fade_in_shape", "equal-power")),
        fade_out_shape=FadeShape(data.get("fade_out_shape", "equal-power")),
        routing=Routing(data.get("routing", "as-recorded")),
        reversed_channels=tuple(sorted(data.get("reversed_channels", ()))),
        dc_offset=tuple(map(float, data.get("dc_offset", ()))),
        chain=_chain(data.get("chain", ()), f"{field}.chain"),
        is_room_tone=bool(data.get("room_tone", False)),
        balanced=_balanced(data["balanced"]) if "balanced" in data else None,
        accepted=_spans(data.get("accepted", ())),
        is_out=bool(data.get("out_of_mix", False)),
        sync_sample=None if data.get("sync_s") is None else _samples(data["sync_s"]),
        name=data["file"].replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0],
    )


def _clip_data(clip: Clip, file_of_source: Mapping[str, str]) -> dict[str, Any]:
    data: dict[str, Any] = {
        "file": file_of_source[clip.source_key],
        "at_s": s_from_samples(clip.start_sample),
        "in_s": s_from_samples(clip.in_sample),
        "length_s": s_from_samples(clip.length_samples),
        "gain_db": clip.gain_db,
        "fade_in_s": s_from_samples(clip.fade_in_samples),
        "fade_out_s": s_from_samples(clip.fade_out_samples),
    }
    # Settings that most clips do not have are left out, so that a plan stays easy to read.
    return data | {name: value for name, value in _clip_settings(clip).items() if value is not None}


def _clip_settings(clip: Clip) -> dict[str, Any]:
    """Settings of a clip that a plan names only where they differ from the usual; None where they do not."""
    curve = [[s_from_samples(point.at_sample), point.gain_db] for point in clip.curve]
    shapes = {"fade_in_shape": clip.fade_in_shape, "fade_out_shape": clip.fade_out_shape}
    accepted = [[s_from_samples(s.start_sample), s_from_samples(s.end_sample)] for s in clip.accepted]
    return {
        "curve": curve or None,
        **{name: None if shape is FadeShape.EQUAL_POWER else shape.value for name, shape in shapes.items()},
        "routing": None if clip.routing is Routing.AS_RECORDED else clip.routing.value,
        "reversed_channels": list(clip.reversed_channels) or None,
        "dc_offset": list(clip.dc_offset) if any(clip.dc_offset) else None,
        "chain": _chain_data(clip.chain) or None,
        "room_tone": clip.is_room_tone or None,
        "out_of_mix": clip.is_out or None,
        "sync_s": None if clip.sync_sample is None else s_from_samples(clip.sync_sample),
        "balanced": None if clip.balanced is None else _balanced_data(clip.balanced),
        "accepted": accepted or None,
    }


def _stem_data(plan: Plan, role: Role) -> dict[str, Any]:
    data: dict[str, Any] = {
        "gain_db": plan.stem_gain_db(role),
        **_strip_data(plan.stem_chain(role), plan.stem_ride(role)),
    }
    if plan.stem_trim(role):
        data["trim"] = [
            [s_from_samples(scene.start_sample), scene.gain_db, *([True] if scene.is_kept else [])]
            for scene in plan.stem_trim(role)
        ]
    if role in plan.stem_balanced:
        data["balanced"] = _balanced_data(plan.stem_balanced[role])
    return data


def _trim(data: Any, field: str) -> Trim:
    trim = tuple(TrimScene(_samples(at_s), float(gain_db), bool(kept and kept[0])) for at_s, gain_db, *kept in data)
    if any(a.start_sample >= b.start_sample for a, b in pairwise(trim)):
        raise PlanError("curve_out_of_order", field=field)
    return trim


def _balanced(data: Any) -> Balanced:
    from_db, to_db, *made = data
    return Balanced(float(from_db), float(to_db), bool(made and made[0]))


def _balanced_data(balanced: Balanced) -> list[Any]:
    return [balanced.from_db, balanced.to_db, *([True] if balanced.is_curve_made else [])]


def _spans(data: Any) -> tuple[SampleSpan, ...]:
    return tuple(SampleSpan(_samples(start), _samples(end) - _samples(start)) for start, end in data)


def _chain(data: Any, field: str) -> Chain:
    # Curves count in seconds here, in samples inside.
    def counted(one: Any) -> Any:
        if not isinstance(one, Mapping) or not isinstance(one.get("curves", {}), Mapping):
            return one
        curves = {
            name: [[_samples(at_s), value] for at_s, value in points] for name, points in one.get("curves", {}).items()
        }
        return {**one, "curves": curves} if curves else one

    return chain_from_data([counted(one) for one in data], field)


def _chain_data(chain: Chain) -> list[dict[str, Any]]:
    found = chain_data(chain)
    for one in found:
        for points in one.get("curves", {}).values():
            for point in points:
                point[0] = s_from_samples(point[0])
    return found


def _ride(data: Mapping[str, Any], field: str) -> Ride:
    points = tuple(CurvePoint(_samples(at_s), float(gain_db)) for at_s, gain_db in data.get("points", ()))
    if any(a.at_sample >= b.at_sample for a, b in pairwise(points)):
        raise PlanError("curve_out_of_order", field=f"{field}.points")
    return Ride(points, bool(data.get("before_processors", False)))


def _strip_data(chain: Chain, ride: Ride) -> dict[str, Any]:
    data: dict[str, Any] = {"chain": _chain_data(chain)} if chain else {}
    if ride.points:
        data["ride"] = {"points": [[s_from_samples(p.at_sample), p.gain_db] for p in ride.points]}
        if ride.is_first:
            data["ride"]["before_processors"] = True
    return data


def _samples(time_s: float) -> int:
    # Decimal seconds as they were written, not the nearest binary fraction: 0.1 s is 4,800 samples.
    return samples_from_s(Fraction(str(time_s))) if time_s < 1e9 else round(time_s) * RATE_HZ
