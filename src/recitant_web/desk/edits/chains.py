"""Edits of processors and rides on clips, tracks, stems and the master."""

from typing import Any, Literal

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.ride import recorded_ride
from recitant_core.processors.model import chain_from_data
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Plan, Ride
from recitant_core.timeline.strips import target_chain, target_ride, with_chain, with_ride
from recitant_text.chains import chain_difference
from recitant_text.steps import Label, label
from recitant_web.desk.edits.labels import target_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Points, TargetId, TargetIds

_MOST_RIDE_POINTS = 20_000


class SetChain(PlanEdit, frozen=True, kw_only=True, tag="chain"):
    """The whole chain of targets."""

    target: Literal["clip", "track", "stem", "master"]
    ids: TargetIds
    chain: list[Any]

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        target, ids = self.target, self.ids
        before = target_chain(plan, target, ids[0])
        chain = chain_from_data(self.chain)
        step = label("chain", what=target_fact(plan, target, ids), difference=chain_difference(before, chain))
        return with_chain(plan, target, ids, chain), step


class SetRide(PlanEdit, frozen=True, kw_only=True, tag="ride"):
    """The ride of a track or a stem: set, or recorded into what was there."""

    target: Literal["track", "stem"]
    id: TargetId
    mode: Literal["touch", "latch", "overwrite", "set"]
    is_first: bool = False
    points: Points

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        target, target_id = self.target, self.id
        before = target_ride(plan, target, target_id)
        points: list[tuple[int, float]] = self.points
        if any(not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB for _, gain_db in points):
            raise EditRefused("gain_out_of_range", found="a point", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)
        if self.mode == "set":
            made = points
            done = "set" if points else "cleared"
        else:
            if len(points) < 2:
                raise EditRefused("no_ride")
            made = recorded_ride(before.points, points, self.mode, plan.span.end_sample)
            done = "recorded"
        ride = Ride(tuple(CurvePoint(at, gain_db) for at, gain_db in made[:_MOST_RIDE_POINTS]), self.is_first)
        what = target_fact(plan, target, [target_id])
        step = label("ride", what=what, done=done, is_first=ride.is_first, has_points=bool(made))
        return with_ride(plan, target, target_id, ride), step
