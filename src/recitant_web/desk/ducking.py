"""Ducking that follows: after every step that could matter the curves are remade, as part of the same step."""

from typing import Any

from django.db import transaction

from recitant_core.gain.ducking import curve_change
from recitant_core.render.ducking_update import follow
from recitant_core.render.scene import BandEnergies, LoudnessScene, scene_of
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import FloatArray
from recitant_io.store.bands import stored_band_energy
from recitant_text.balance import followed_facts
from recitant_text.steps import label
from recitant_web.desk import models
from recitant_web.desk.energies import known_energies
from recitant_web.desk.log import carry_out_too, record
from recitant_web.desk.mapping.ducks import duck_changes
from recitant_web.desk.mapping.plans import keep_plan, plan_now
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.queries import conformed_folder, stored_source
from recitant_web.shared.caches import Cache

_bands: Cache[FloatArray] = Cache("band energies", 64_000_000)
_MATTERS = {"clip", "track", "stem", "duck", "source", "programme"}
_COSMETIC = {
    "name",
    "height_px",
    "position",
    "mended",
    "group",
    "is_picture_locked",
    "spec_id",
    "left_out",
    "speaker",
    "meter_zones",
    "title",
    "frame_rate",
    "picture_offset_samples",
    "new_fades",
    "shade",
}


def follow_step(programme: Programme, edit: models.Edit, after: object) -> None:
    """Remake the curves after a step, inside its transaction; what became of them stands in ``edit.said``."""
    plan = after if isinstance(after, Plan) else None
    if models.Duck.objects.filter(programme=programme).exists() and _matters(edit):
        plan = plan or plan_now(programme)
        made = _followed(programme, plan)
        changes, _, _ = duck_changes(programme, plan, made)
        if changes:
            pairs = zip(plan.ducks, made.ducks, strict=True)
            edit.said = followed_facts([curve_change(old.points, new.points) for old, new in pairs])
            carry_out_too(edit, changes)
        plan = made
    if isinstance(after, Plan) and plan is not None:
        keep_plan(programme, plan)


def follow_speech(source: Source) -> None:
    """Remake the curves after the speech of a recording was found anew; a step of its own where that changes any."""
    with transaction.atomic():
        programme = Programme.objects.select_for_update().get(pk=source.programme_id)
        plan = plan_now(programme)
        if not plan.ducks:
            return
        made = _followed(programme, plan)
        changes, _, _ = duck_changes(programme, plan, made)
        if changes:
            record(programme, None, label("ducking-followed", name=source.name[:120]), changes, is_followed=False)


def _followed(programme: Programme, plan: Plan) -> Plan:
    speech = speech_of(programme)
    scene = scene_of(plan, known_energies(plan), speech)
    return follow(scene, speech, programme.clearance_lu, bands_of(programme))


def scene_now(programme: Programme, plan: Plan) -> LoudnessScene:
    """Powers of words and of everything else of a programme, by hop."""
    return scene_of(plan, known_energies(plan), speech_of(programme))


def bands_of(programme: Programme) -> BandEnergies:
    """Energies in a band of any recording of a programme."""
    rows = programme.sources.values_list("sha256", "n_channels")
    channels = {sha256: n_channels for sha256, n_channels in rows if n_channels is not None}

    def band(key: str, centre_hz: float, width_octaves: float) -> FloatArray:
        return _bands.get_or_make(
            (key, centre_hz, width_octaves),
            lambda: stored_band_energy(
                conformed_folder(key), stored_source(key, channels[key]), centre_hz, width_octaves
            ),
        )

    return band


def _matters(edit: models.Edit) -> bool:
    return any(change["table"] in _MATTERS and _changes_sound(change) for change in edit.changes)


def _changes_sound(change: dict[str, Any]) -> bool:
    return "set" not in change or any(name not in _COSMETIC for name in change["set"])
