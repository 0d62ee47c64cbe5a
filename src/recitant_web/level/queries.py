"""The state of the Level page."""

from collections.abc import Sequence
from typing import Any

from recitant_core.balance.even_out import EvenOut
from recitant_core.processors.model import MOST_PROCESSORS, chain_data
from recitant_core.units.level import finite
from recitant_text.chains import kinds_data, starting_points_data
from recitant_web.desk.levels import evened_gains, measure_peaks
from recitant_web.desk.log import steps_beside
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.mapping.strips import ride_to_data
from recitant_web.level.presets import presets
from recitant_web.level.sheet import sheet
from recitant_web.listening.figures import figures_of, spec_data
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import zones_of

_PEAKS_S = 0.4


def level_state(programme: Programme) -> dict[str, Any]:
    """Everything the Level page shows but the chosen processor."""
    snapshot = Snapshot(programme)
    return _settings(snapshot) | figures_of(snapshot)


def level_state_soon(programme: Programme, held: dict[str, Any]) -> dict[str, Any]:
    """The state after an edit with the figures of the state that a page holds: they say which revision they are of."""
    return held | _settings(Snapshot(programme))


def _settings(snapshot: Snapshot) -> dict[str, Any]:
    """Fields that an edit changes directly; the figures of the mix follow from them."""
    programme, plan, spec = snapshot.programme, snapshot.plan, snapshot.spec
    return {
        "revision": programme.revision,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "length_samples": plan.span.length_samples,
        "clips": sheet(snapshot),
        "tracks": [
            {
                "id": t.track_id,
                "name": t.name,
                "role": t.role.value,
                "letter": t.role.letter,
                "gain_db": t.gain_db,
                "pan": t.pan,
                "is_mono": t.is_mono,
                "chain": chain_data(t.chain),
                "ride": ride_to_data(t.ride),
            }
            for t in plan.tracks
        ],
        "stems": [
            {
                "id": role.value,
                "name": f"{role.label} stem",
                "role": role.value,
                "letter": role.letter,
                "gain_db": plan.stem_gain_db(role),
                "aim_lufs": spec.aim_lufs(role),
                "chain": chain_data(plan.stem_chain(role)),
                "ride": ride_to_data(plan.stem_ride(role)),
            }
            for role in plan.roles
        ],
        "master": {"chain": chain_data(plan.master_chain)},
        "clip_chains": {
            clip.clip_id: chain_data(clip.chain) for track in plan.tracks for clip in track.clips if clip.chain
        },
        "presets": presets(programme),
        "versions": list(programme.versions.order_by("-pk").values("id", "name")),
        "zones": zones_of(programme),
        "channels": list(plan.layout.channels),
        "spec": spec_data(spec, plan.layout),
        **steps_beside(programme),
    }


def page_data() -> dict[str, Any]:
    """Data that no edit changes: kinds of processors, starting points."""
    return {"kinds": kinds_data(), "starting_points": starting_points_data(), "most_processors": MOST_PROCESSORS}


def evened_data(programme: Programme, ids: Sequence[str], chosen: EvenOut) -> list[dict[str, Any]]:
    """Gains that evening out would set, clip by clip."""
    steps = evened_gains(programme, plan_of(programme), ids, chosen)
    return [
        {
            "id": step.clip_id,
            "change_db": step.change_db,
            "gain_db": step.gain_db,
            "noise_lufs": finite(step.noise_lufs),
            "peak_db": finite(step.peak_db),
            "held_by": step.held_by,
        }
        for step in steps
    ]


def peaks_of_clips(programme: Programme) -> dict[str, Any]:
    """Peaks of clips with all their gains, as many as are known after a second; how many are left."""
    plan = plan_of(programme)
    by_clip, left = measure_peaks(plan, _PEAKS_S)
    gains = {
        clip.clip_id: clip.gain_db + track.gain_db + plan.stem_gain_db(track.role)
        for track in plan.tracks
        for clip in track.clips
    }

    def raised(level: float | None, clip_id: str) -> float | None:
        return None if level is None else level + gains[clip_id]

    peaks = {clip_id: [raised(one, clip_id) for one in pair] for clip_id, pair in by_clip.items()}
    return {"revision": programme.revision, "peaks": peaks, "left": left}
