"""Facts of labels: clips, tracks, stems and ducks as the log names them."""

from collections.abc import Collection

from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Duck, Plan


def clip_fact(plan: Plan, clip_id: str) -> dict[str, str]:
    """A clip by its name."""
    known = clips_by_id(plan)
    return {"clip": known[clip_id][1].name[:80] if clip_id in known else ""}


def clips_fact(plan: Plan, ids: Collection[str]) -> dict[str, str] | dict[str, int]:
    """One clip by its name, several by their number."""
    return clip_fact(plan, next(iter(ids))) if len(ids) == 1 else {"clips": len(ids)}


def target_fact(plan: Plan, target: str, ids: Collection[str]) -> dict[str, str] | dict[str, int] | dict[str, bool]:
    """A clip, a track, a stem or the master; several by their number.

    Args:
        ids: known to the plan.
    """
    first = next(iter(ids), "")
    if target == "master":
        return {"master": True}
    if len(ids) > 1:
        return {f"{target}s": len(ids)}
    if target == "stem":
        return {"stem": first}
    if target == "track":
        return {"track": next(t.name for t in plan.tracks if t.track_id == first)[:80]}
    return clip_fact(plan, first)


def duck_fact(plan: Plan, duck: Duck) -> dict[str, str]:
    """The stem or track that a duck lowers."""
    if duck.stem is not None:
        return {"stem": duck.stem.value}
    return {"track": next((t.name for t in plan.tracks if t.track_id == duck.track_id), "")}
