"""What else can be heard in a stretch: untreated, without one processor, what it takes away, another version.

Every comparison is matched in loudness: louder sounds better.
"""

from dataclasses import replace
from typing import Any, Final

import numpy as np

from recitant_core.errors import EditRefused, NotThere
from recitant_core.measure.meter import measure
from recitant_core.processors.model import Chain, Processor
from recitant_core.render.inspection import heard_of
from recitant_core.render.mix import render_mix
from recitant_core.render.paths import Audibility
from recitant_core.timeline.edits import clips_by_id, set_clips
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Plan
from recitant_core.timeline.strips import target_chain, target_ride, with_chain, without_chains
from recitant_core.timeline.takes import with_take
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from recitant_web.desk.energies import known_source
from recitant_web.desk.mapping.plans import lengths_of_plan, plan_key, plan_of, plan_of_rows
from recitant_web.listening.drafts import draft
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache

_matches: Cache[float] = Cache("matches in loudness", 200_000)
_MATCHED_SAMPLES = 30 * RATE_HZ
_MOST_MATCH_DB = 24.0


def plan_instead(programme: Programme, instead: dict[str, Any]) -> Plan:
    """The plan that is heard instead of the programme's own.

    Args:
        instead: ``how``: "untreated" (the chain of a target off), "bypass" or "taken" (one processor of it off, or
            only what it takes away), "band" (one ``band`` of a processor alone: low, middle or high), "ridden" (a fader
            moved by ``gain_db``), "draft" (a chain by its name), "page" (every chain and ride off), "version", "take"
            (another take of a clip, by its ``index``); with ``target``, ``id``, ``index``, ``draft``, ``version_id``
            and ``at_sample`` (of the match), as needed.

    Raises:
        EditRefused: what it names is not there.
    """
    plan = plan_of(programme)
    how = str(instead.get("how"))
    target, target_id, index = str(instead.get("target")), str(instead.get("id")), int(instead.get("index", 0))
    match how:
        case "version":
            other = _version(programme, instead.get("version_id"))
        case "page":
            other = without_chains(plan)
        case "take":
            other = _with_take(programme, plan, target_id, index)
        case "ridden":
            other = _ridden(plan, target, target_id, instead.get("gain_db"))
        case "draft":
            other = with_chain(plan, target, [target_id], draft(str(instead.get("draft", ""))))
        case "band":
            chain = _band_alone(target_chain(plan, target, target_id), index, str(instead.get("band")))
            other = with_chain(plan, target, [target_id], chain)
        case _:
            chain = _other_chain(target_chain(plan, target, target_id), how, index)
            other = with_chain(plan, target, [target_id], chain)
    return other if how in _UNMATCHED else _matched(plan, other, instead)


_UNMATCHED: Final = ("ridden", "draft", "band", "taken")


def _version(programme: Programme, version_id: Any) -> Plan:
    version = programme.versions.filter(pk=version_id).first()
    if version is None:
        raise NotThere()
    return plan_of_rows(programme, version.rows)


def _with_take(programme: Programme, plan: Plan, clip_id: str, index: int) -> Plan:
    found = clips_by_id(plan).get(clip_id)
    if found is None:
        raise NotThere()
    made = with_take(found[1], index, lengths_of_plan(programme))
    return set_clips(plan, [clip_id], lambda _: made)


def _other_chain(chain: Chain, how: str, index: int) -> Chain:
    if how == "untreated":
        return ()
    if not 0 <= index < len(chain):
        raise EditRefused("no_such_processor")
    if how == "taken":
        # What comes after would only blur what is taken away; make-up gain is not part of it.
        return (*chain[:index], replace(_without_make_up(chain[index]), outputs_difference=True, is_bypassed=False))
    return (*chain[:index], replace(chain[index], is_bypassed=True), *chain[index + 1 :])


def _band_alone(chain: Chain, index: int, band: str) -> Chain:
    is_there = 0 <= index < len(chain) and chain[index].kind == "three-band" and band in ("low", "middle", "high")
    if not is_there:
        raise EditRefused("no_such_processor")
    return (*chain[:index], replace(chain[index], band_alone=band, is_bypassed=False))


def heard_instead(programme: Programme, instead: dict[str, Any], heard: Audibility) -> Audibility:
    """Solo and mute while something else is heard: a band or what is taken away alone, all else as asked."""
    if instead.get("how") not in ("taken", "band"):
        return heard
    return heard_of(plan_of(programme), str(instead.get("target")), str(instead.get("id")))


def _ridden(plan: Plan, target: str, target_id: str, gain_db: object) -> Plan:
    """Preview of a ride that is being recorded: one fader offset."""
    by_db = gain_db if isinstance(gain_db, int | float) else 0.0
    by_db = min(MOST_GAIN_DB, max(LEAST_GAIN_DB, float(by_db)))
    target_ride(plan, target, target_id)
    if target == "stem":
        role = Role(target_id)
        return replace(plan, stem_gains_db=plan.stem_gains_db | {role: plan.stem_gain_db(role) + by_db})
    tracks = tuple(replace(t, gain_db=t.gain_db + by_db) if t.track_id == target_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks)


def match_db(plan: Plan, other: Plan, target: str, target_id: str, at_sample: int) -> float:
    """By how much another plan must be raised to be as loud, around a place; 0 where it cannot be measured.

    The loudness is that of the target: of a clip's track, a track, a stem, or of the whole mix.
    """
    place = at_sample // (5 * RATE_HZ)
    key = (plan_key(plan), plan_key(other), target, target_id, place)
    return _matches.get_or_make(key, lambda: _match_db(plan, other, target, target_id, place))


def _match_db(plan: Plan, other: Plan, target: str, target_id: str, place: int) -> float:
    at = place * 5 * RATE_HZ
    if target == "clip":
        clip = clips_by_id(plan)[target_id][1]
        middle = min(max(at, clip.start_sample), clip.span.end_sample)
        span = SampleSpan(middle - _MATCHED_SAMPLES // 2, _MATCHED_SAMPLES).intersect(clip.span) or clip.span
    else:
        span = SampleSpan(max(0, at - _MATCHED_SAMPLES // 2), _MATCHED_SAMPLES)
    levels = [_level(one, target, target_id, span) for one in (plan, other)]
    if any(level is None or not np.isfinite(level) for level in levels):
        return 0.0
    found = float(levels[0] or 0.0) - float(levels[1] or 0.0)
    return min(_MOST_MATCH_DB, max(-_MOST_MATCH_DB, found))


def _level(plan: Plan, target: str, target_id: str, span: SampleSpan) -> float | None:
    heard = heard_of(plan, target, target_id)
    sources = {key: known_source(key) for key in {c.source_key for track in plan.tracks for c in track.clips}}
    return measure(render_mix(plan, sources, span, heard), plan.layout).integrated_lufs


def _matched(plan: Plan, other: Plan, instead: dict[str, Any]) -> Plan:
    target, target_id = str(instead.get("target", "")), str(instead.get("id", ""))
    by_db = match_db(plan, other, target, target_id, int(instead.get("at_sample", 0)))
    if abs(by_db) < 0.05:
        return other
    gain = Processor("gain").with_values(gain_db=round(by_db, 2))
    if target in ("clip", "track", "stem") and instead.get("how") in ("untreated", "bypass", "take"):
        return with_chain(other, target, [target_id], (*target_chain(other, target, target_id), gain))
    return replace(other, master_chain=(*other.master_chain, gain))


def _without_make_up(processor: Processor) -> Processor:
    return processor.with_values(make_up_db=0.0) if processor.kind == "compressor" else processor
