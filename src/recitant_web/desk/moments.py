"""Recordings of the same moment among those of a plan's speech tracks; see recitant_core.measure.moments."""

from recitant_core.measure.moments import Moment, Recorded, same_moments
from recitant_core.timeline.model import Plan
from recitant_web.programme.models import Programme, SourceState
from recitant_web.programme.queries import source_energy
from recitant_web.shared.caches import Cache

_found: Cache[tuple[Moment, ...]] = Cache("recordings of one moment", 1_000_000, lambda _found: 1_000)


def moments_of(programme: Programme, plan: Plan) -> tuple[Moment, ...]:
    """Pairs of recordings that hold the same moment, of clips in the mix; kept as long as these are the same."""
    keys = {clip.source_key for track in plan.tracks if track.role.is_speech for clip in track.in_mix}
    if len(keys) < 2:
        return ()
    ready = programme.sources.filter(state=SourceState.READY, sha256__in=keys).order_by("pk")
    clocks = dict(ready.values_list("sha256", "reference_samples"))

    def find() -> tuple[Moment, ...]:
        return same_moments([Recorded(key, source_energy(key), clock) for key, clock in clocks.items()])

    return _found.get_or_make(tuple(clocks.items()), find)
