"""What edits call clips in the log."""

from collections.abc import Collection

from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan
from recitant_core.units.roles import Role


def clip_count(n: int) -> str:
    """So many clips, in words."""
    return "1 clip" if n == 1 else f"{n} clips"


def clip_name(plan: Plan, clip_id: str) -> str:
    """Name of a clip."""
    known = clips_by_id(plan)
    return known[clip_id][1].name[:80] if clip_id in known else "a clip"


def clip_names(plan: Plan, ids: Collection[str]) -> str:
    """Name of one clip, number of several."""
    return clip_name(plan, next(iter(ids))) if len(ids) == 1 else clip_count(len(ids))


def target_name(plan: Plan, target: str, ids: Collection[str]) -> str:
    """Name of a clip, a track, a stem or the master; number of several.

    Args:
        ids: known to the plan.
    """
    first = next(iter(ids), "")
    if target == "master":
        return "Master"
    if len(ids) > 1:
        return f"{len(ids)} {target}s"
    if target == "stem":
        return f"{Role(first).label} stem"
    if target == "track":
        return next(t.name for t in plan.tracks if t.track_id == first)[:80]
    return clips_by_id(plan)[first][1].name[:80]
