"""Edits of gain: of clips, tracks and stems, and curves over time."""

from dataclasses import replace

from recitant_core.balance.performance import Spread
from recitant_core.balance.phrase_ride import MOST_RIDE_DB, RideLimits, curve_over, phrase_gains, weighted_median
from recitant_core.errors import EditRefused, NotThere
from recitant_core.render.clip_levels import heard_in_clip
from recitant_core.timeline import curve_edits, edits
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip, Plan
from recitant_core.units.clock import SampleSpan
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.sentences import gain_text
from recitant_text.steps import Label, label
from recitant_web.desk.edits.labels import clip_fact, clips_fact, target_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.energies import known_energies
from recitant_web.desk.levels import EvenOptions, evened_gains
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import ClipGains, Db, Id, Ids, LimitDb, Points, Samples, Share


class Level(PlanEdit, frozen=True, kw_only=True, tag="level"):
    """Clips with their groups louder or quieter."""

    ids: Ids
    by_db: Db

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        ids = edits.with_group(plan, self.ids)
        after = edits.set_clips(plan, ids, lambda clip: edits.levelled(clip, self.by_db))
        return after, label("levelled", by_db=float(self.by_db), what=clips_fact(plan, ids))


class Curve(PlanEdit, frozen=True, kw_only=True, tag="curve"):
    """The gain curve of clips."""

    ids: Ids
    points: Points

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(plan, self.ids, lambda clip: curve_edits.curve_with(clip, self.points))
        return after, label("curve" if self.points else "curve-cleared", what=clips_fact(plan, self.ids))


class MovePoint(PlanEdit, frozen=True, kw_only=True, tag="point"):
    """A point of a gain curve moved."""

    id: Id
    index: Samples
    at_sample: Samples
    gain_db: Db

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(
            plan,
            [self.id],
            lambda clip: curve_edits.curve_point_moved(clip, self.index, self.at_sample, self.gain_db),
        )
        return after, label("point-moved", what=clip_fact(plan, self.id), gain_db=float(self.gain_db))


class AddPoint(PlanEdit, frozen=True, kw_only=True, tag="point-add"):
    """A point on a gain curve where it runs."""

    id: Id
    at_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(plan, [self.id], lambda clip: curve_edits.curve_point_added(clip, self.at_sample))
        return after, label("point-added", what=clip_fact(plan, self.id))


class Draw(PlanEdit, frozen=True, kw_only=True, tag="draw"):
    """A stretch of a gain curve drawn."""

    id: Id
    points: Points

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(plan, [self.id], lambda clip: curve_edits.curve_drawn(clip, self.points))
        return after, label("curve-drawn", what=clip_fact(plan, self.id))


class ClearCurve(PlanEdit, frozen=True, kw_only=True, tag="curve-clear"):
    """Gain curves cleared in a range."""

    ids: Ids
    from_sample: Samples
    to_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""

        def cleared(clip: Clip) -> Clip:
            span = SampleSpan(self.from_sample - clip.start_sample, max(0, self.to_sample - self.from_sample))
            return curve_edits.curve_cleared(clip, span)

        return edits.set_clips(plan, self.ids, cleared), label("curve-cleared-in", what=clips_fact(plan, self.ids))


class Gains(PlanEdit, frozen=True, kw_only=True, tag="gains"):
    """Gains of many clips set."""

    gains: ClipGains

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        wanted: dict[str, float] = {str(clip_id): gain_db for clip_id, gain_db in self.gains}
        for gain_db in wanted.values():
            if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
                raise EditRefused(
                    "gain_out_of_range", found=gain_text(gain_db), least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB
                )
        after = edits.set_clips(plan, list(wanted), lambda clip: replace(clip, gain_db=round(wanted[clip.clip_id], 2)))
        return after, label("gains-set", n=len(wanted))


class EvenOut(PlanEdit, frozen=True, kw_only=True, tag="even-out"):
    """Clips evened out."""

    ids: Ids
    options: EvenOptions

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        chosen = self.options.chosen()
        steps = evened_gains(programme, plan, self.ids, chosen)
        if not steps:
            raise EditRefused("nothing_to_even")
        gains = {step.clip_id: step.gain_db for step in steps}
        after = edits.set_clips(plan, list(gains), lambda clip: replace(clip, gain_db=gains[clip.clip_id]))
        is_peak, strength = chosen.by == "peak", float(chosen.strength)
        return after, label("evened-out", n=len(gains), goal=float(chosen.goal), is_peak=is_peak, strength=strength)


class SetPhrase(PlanEdit, frozen=True, kw_only=True, tag="phrase"):
    """The gain of one phrase of a clip, by its curve."""

    id: Id
    start_sample: Samples
    length_samples: Samples
    gain_db: Db
    """Of clip and curve together."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        known = edits.clips_by_id(plan)
        span = SampleSpan(max(0, self.start_sample), max(1, self.length_samples))
        if self.id not in known or known[self.id][1].span.intersect(span) is None:
            raise NotThere()
        clip = known[self.id][1]
        middle = span.start_sample + span.length_samples // 2 - clip.start_sample
        by_db = round(self.gain_db - clip.gain_db - curve_edits.curve_level_db(clip, middle), 2)
        at = timecode_from_samples(span.start_sample, programme.frame_rate)
        after = edits.set_clips(plan, [self.id], lambda one: curve_edits.stretch_raised(one, span, by_db))
        return after, label("phrase-levelled", what=clip_fact(plan, self.id), by_db=by_db, at=at)


class RideClips(PlanEdit, frozen=True, kw_only=True, tag="ride-clips"):
    """A curve inside clips that brings phrases towards each other, in the pauses between them."""

    ids: Ids
    strength: Share
    most_db: LimitDb

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        speech, energies = speech_of(programme), known_energies(plan)
        known = edits.clips_by_id(plan)
        curves = {}
        kept = 1.0 - float(self.strength)
        limits = RideLimits(Spread(kept, MOST_RIDE_DB, MOST_RIDE_DB, kept), float(self.most_db))
        for clip_id in self.ids:
            if clip_id not in known:
                continue
            track, clip = known[clip_id]
            bare = replace(clip, curve=())
            spoken = heard_in_clip(bare, track, 0.0, energies[clip.sound_key], speech).phrases
            if len(spoken) < 2:
                continue
            middle = weighted_median([p.level_lufs for p in spoken], [p.n_hops for p in spoken])
            points = curve_over(spoken, phrase_gains(spoken, spoken, middle, limits), clip.length_samples)
            if points:
                curves[clip_id] = [(point.at_sample, point.gain_db) for point in points]
        if not curves:
            raise EditRefused("no_long_speech")
        after = edits.set_clips(plan, list(curves), lambda clip: curve_edits.curve_with(clip, curves[clip.clip_id]))
        return after, label("phrases-ridden", what=target_fact(plan, "clip", list(curves)))
