"""Reads of the Arrange page: the whole timeline at first, and what an edit changed after it."""

from typing import Any

from django.db.models import Q

from recitant_core.errors import EditRefused, NotThere, RangeError
from recitant_core.measure.similarity import align
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, clips_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.sync import off_samples
from recitant_core.timeline.takes import in_order
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import FRAME_RATES, samples_from_timecode
from recitant_text.notices import alignment_words, is_alignment_sure, off_words
from recitant_text.steps import label_text
from recitant_web.desk.log import steps_beside
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.desk.models import Edit, EditState
from recitant_web.desk.models import Track as TrackRow
from recitant_web.programme.models import Programme, SourceState
from recitant_web.programme.queries import picture_data

HISTORY_STEPS = 60
MOST_ALIGNED_SAMPLES = 20 * 60 * RATE_HZ


def arrange_state(programme: Programme) -> dict[str, Any]:
    """Everything the Arrange page shows but waveforms; its queries do not grow with the programme."""
    plan = plan_of(programme)
    return {
        **_common(programme, plan),
        "clips": [_clip_data(clip, track, programme) for track in plan.tracks for clip in track.clips],
        "sources": sources_data(programme),
        "picture": picture_data(programme),
    }


def arrange_delta(programme: Programme, edits: list[Edit]) -> dict[str, Any]:
    """Rows that these edits changed, for a page that holds the state before them."""
    plan = plan_of(programme)
    touched = {str(c["id"]) for edit in edits for c in edit.changes if c["table"] == "clip"}
    present = {clip.clip_id: (track, clip) for track in plan.tracks for clip in track.clips}
    made = {str(c["id"]) for edit in edits for c in edit.changes if c["table"] == "clip" and "set" not in c}
    delta = {
        **_common(programme, plan),
        "changed": [
            _clip_data(present[i][1], present[i][0], programme) for i in sorted(touched, key=int) if i in present
        ],
        "removed": sorted(touched - present.keys(), key=int),
    }
    if made:
        # A new clip may be the first of its recording.
        delta["sources"] = sources_data(programme)
    return delta


def sources_data(programme: Programme) -> dict[str, Any]:
    """Every recording of a programme by key: what a clip needs to be drawn and snapped to."""
    ready = programme.sources.filter(state=SourceState.READY)
    over = Q(findings__contains=[{"code": "clipped"}]) | Q(findings__contains=[{"code": "over-full-scale"}])
    clipped = set(ready.filter(over).values_list("pk", flat=True))
    fields = ("pk", "sha256", "name", "n_channels", "length_samples", "speech", "role", "reference_samples")
    return {
        sha256: {
            "id": pk,
            "name": name,
            "n_channels": n_channels,
            "length_samples": length,
            "speech": [span[:2] for span in speech],
            "role": role,
            "reference_samples": reference,
            **({"is_clipped": True} if pk in clipped else {}),
        }
        for pk, sha256, name, n_channels, length, speech, role, reference in ready.values_list(*fields)
    }


def history(programme: Programme) -> list[dict[str, Any]]:
    """The newest steps of the log that can be gone to, newest first, each with whether it is in force."""
    steps = programme.edits.exclude(state=EditState.DROPPED).select_related("user").order_by("-pk")[:HISTORY_STEPS]
    return [
        {
            "id": step.pk,
            "label": label_text(step.label),
            "is_in_force": step.state == EditState.DONE,
            "made_at": step.made_at.isoformat(),
            "by": step.user.username if step.user else "",
        }
        for step in steps
    ]


def alignment(programme: Programme, clip_id: str, to_clip_id: str) -> dict[str, Any]:
    """Place at which one clip sounds in step with another, found by their sound.

    Raises:
        NotThere: one of them is not there.
    """
    known = clips_by_id(plan_of(programme))
    if clip_id not in known or to_clip_id not in known or clip_id == to_clip_id:
        raise NotThere()
    sources = sources_of_plan(programme)
    audio = []
    for clip in (known[to_clip_id][1], known[clip_id][1]):
        length = min(clip.length_samples, MOST_ALIGNED_SAMPLES)
        audio.append(sources[clip.source_key].read(clip.in_sample, length))
    found = align(*audio)
    clip, model = known[clip_id][1], known[to_clip_id][1]
    by = model.start_sample + found.offset_samples - clip.start_sample
    source = programme.sources.filter(sha256=clip.source_key).values_list("has_picture", flat=True)
    words = alignment_words(clip.name, model.name, by / RATE_HZ, found.confidence, moves_picture_sound=any(source))
    return {
        "by_samples": by,
        "confidence": found.confidence,
        "is_sure": is_alignment_sure(found.confidence) and not any(source),
        "words": words,
    }


def sample_of_timecode(programme: Programme, text: str) -> int:
    """The sample that a timecode names in a programme.

    Raises:
        EditRefused: it names none.
    """
    try:
        return samples_from_timecode(text, programme.frame_rate)
    except RangeError as error:
        raise EditRefused(error.code, **error.facts) from error


def _common(programme: Programme, plan: Plan) -> dict[str, Any]:
    markers = programme.markers.order_by("at_sample", "pk").values("id", "kind", "at_sample", "text")
    versions = programme.versions.order_by("-pk").values("id", "name", "revision")
    looks = TrackRow.objects.filter(programme=programme).values_list("pk", "height_px", "shade")
    look_of = {pk: {"height_px": height_px, "shade": shade} for pk, height_px, shade in looks}
    return {
        "revision": programme.revision,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "frame_rates": list(FRAME_RATES),
        "picture_offset_samples": programme.picture_offset_samples,
        "new_fades": programme.new_fades,
        "channels": list(plan.layout.channels),
        "least_clip_samples": LEAST_CLIP_SAMPLES,
        "length_samples": plan.span.length_samples,
        "all_samples": max((c.span.end_sample for t in plan.tracks for c in t.clips), default=0),
        "is_picture_locked": programme.is_picture_locked,
        "tracks": [_track_data(track, look_of) for track in plan.tracks],
        "markers": list(markers),
        "versions": list(versions),
        **steps_beside(programme),
    }


def _track_data(track: Track, look_of: dict[int, dict[str, int]]) -> dict[str, Any]:
    return {
        "id": track.track_id,
        "name": track.name,
        "role": track.role.value,
        "gain_db": track.gain_db,
        "is_mono": track.is_mono,
        "is_out": track.is_out,
        **look_of.get(int(track.track_id), {"height_px": 64, "shade": 0}),
    }


def _clip_data(clip: Clip, track: Track, programme: Programme) -> dict[str, Any]:
    data = {
        "id": clip.clip_id,
        "track": track.track_id,
        "source": clip.source_key,
        "name": clip.name,
        "start": clip.start_sample,
        "in": clip.in_sample,
        "length": clip.length_samples,
        "gain_db": clip.gain_db,
        "fade_in": [clip.fade_in_samples, clip.fade_in_shape.value],
        "fade_out": [clip.fade_out_samples, clip.fade_out_shape.value],
    }
    # What most clips do not have is left out: a thousand clips load in half the time.
    if clip.curve:
        data["curve"] = [[point.at_sample, point.gain_db] for point in clip.curve]
    off = off_samples(clip, programme.picture_offset_samples)
    if off is not None:
        data["sync"] = off_words(off, programme.frame_rate) if off else ""
    if clip.is_out:
        data["is_out"] = True
    if clip.group:
        data["group"] = clip.group
    if clip.routing.value != "as-recorded":
        data["routing"] = clip.routing.value
    if clip.mended:
        data["mended"] = list(clip.mended)
    if clip.takes:
        data["takes"] = [{"name": take.name, "source": take.source_key} for take in in_order(clip)]
        data["take"] = clip.take_index
    return data
