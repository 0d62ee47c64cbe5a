"""What a plan sounds like: recordings by hash, and 10 ms energies, through chains where there are some."""

from pathlib import Path

from django.conf import settings

from recitant_core.ports import SampleSource
from recitant_core.processors.model import active
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.arrays import FloatArray
from recitant_io.plan.plan_energies import chained_tracks
from recitant_io.store.chained import TimeBudget, chained_energy
from recitant_web.programme.models import Source
from recitant_web.programme.queries import source_energy, stored_source
from recitant_web.shared.caches import Cache

_recordings: Cache[SampleSource] = Cache("recordings by hash", 2_000_000)
_RENDERING_S = 0.35  # what an answer may wait for chains; the background job renders the rest


def known_energies(plan: Plan, budget: TimeBudget | None = None) -> dict[str, FloatArray]:
    """The 10 ms energies of every recording a plan names, through its clips' chains, and of tracks through theirs.

    Args:
        budget: how long to render what is not known yet, and how much was left; some tenths of a second if None.
    """
    budget = budget or TimeBudget(_RENDERING_S)
    folder = Path(settings.MEDIA_ROOT) / "chained"
    clips: dict[str, list[Clip]] = {}
    for track in plan.tracks:
        for clip in track.clips:
            clips.setdefault(clip.sound_key, []).append(clip)
    found = {}
    for key, mine in clips.items():
        recorded = source_energy(mine[0].source_key)
        is_chained = key != mine[0].source_key
        source = known_source(mine[0].source_key) if is_chained else None
        found[key] = recorded if source is None else chained_energy(folder, source, mine, recorded, budget)
    for key in {mine[0].source_key for mine in clips.values()}:
        found.setdefault(key, source_energy(key))
    names = {c.source_key for track in plan.tracks if active(track.chain) for c in track.clips}
    return found | chained_tracks(folder, plan, {key: known_source(key) for key in names}, found, budget)


def missing_chains(plan: Plan) -> int:
    """Number of segments of chains still to be rendered before estimates hold them all."""
    budget = TimeBudget(0.0)
    if any(clip.chain for track in plan.tracks for clip in track.clips) or any(track.chain for track in plan.tracks):
        known_energies(plan, budget)
    return budget.missing


def known_source(sha256: str) -> SampleSource:
    """A recording by its hash alone; whichever programme has it, its samples are the same."""
    return _recordings.get_or_make(sha256, lambda: _recording(sha256))


def _recording(sha256: str) -> SampleSource:
    found = Source.objects.filter(sha256=sha256, n_channels__isnull=False).only("n_channels")[0]
    return stored_source(sha256, found.ready_n_channels)
