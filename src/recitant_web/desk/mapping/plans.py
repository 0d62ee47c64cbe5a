"""Plans from rows, kept by revision."""

import hashlib
import json
import uuid
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

from django.db import transaction

from recitant_core.gain.duck_rule import DuckKind
from recitant_core.interchange.plan_json import plan_to_data, rule_from_data
from recitant_core.ports import SampleSource
from recitant_core.processors.model import chain_from_data
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.units.roles import Role
from recitant_web.desk import models
from recitant_web.desk.mapping.clips import COLUMNS, balanced_from_data, clip_of_values, clips_of_kept_rows
from recitant_web.desk.mapping.ducks import duck_of_row
from recitant_web.desk.mapping.strips import ride_from_data, trim_from_data
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import stored_source
from recitant_web.shared.caches import Cache


def plan_of(programme: Programme) -> Plan:
    """The plan of a programme at the revision of this row, which is brought up to date where others have moved on."""
    return _loaded(programme)[0]


def plan_of_rows(programme: Programme, rows: dict[str, Any]) -> Plan:
    """The plan that kept rows describe, as a version holds them; recordings that are gone are left out."""
    keys = dict(programme.sources.filter(n_channels__isnull=False).values_list("pk", "sha256"))
    by_track = clips_of_kept_rows(rows["clip"], keys)
    tracks = tuple(
        _track_of_row(row, tuple(by_track.get(row.pk, ())))
        for row in sorted((models.Track(**v) for v in rows["track"].values()), key=lambda row: (row.position, row.pk))
    )
    kept = rows.get("programme", {}).get(str(programme.pk), {})
    return _plan_of(
        programme,
        tracks,
        [models.Stem(**values) for values in rows["stem"].values()],
        [models.Duck(**values) for values in rows.get("duck", {}).values()],
        kept,
    )


def sources_of_plan(programme: Programme) -> dict[str, SampleSource]:
    """Every recording the plan names, ready to be read."""
    channels = _loaded(programme)[1]
    return {key: stored_source(key, n_channels) for key, n_channels in channels}


def plan_key(plan: Plan) -> str:
    """A hash of all that makes the sound of a plan: equal keys, equal bits."""
    # Of a rule that draws a curve only the curve sounds.
    heard = replace(
        plan,
        ducks=tuple(_sounding(duck) for duck in plan.ducks),
        tracks=tuple(replace(track, clips=(), is_out=False) for track in plan.tracks),
        stem_balanced={},
        stem_trims={
            role: tuple(replace(scene, is_kept=False) for scene in trim) for role, trim in plan.stem_trims.items()
        },
    )
    data = plan_to_data(heard, {}) | {"title": "", "frame_rate": ""}
    for index, track_data in enumerate(data["tracks"]):
        track_data["clips"] = f"{_PLACE} {index}"
    text = json.dumps(data, sort_keys=True)
    for index, track in enumerate(plan.tracks):
        text = text.replace(f'"{_PLACE} {index}"', _clips_text(track))
    return hashlib.sha256(text.encode()).hexdigest()


_PLACE = uuid.uuid4().hex  # what no name of a track holds


@lru_cache(maxsize=1_024)
def _clips_text(track: Track) -> str:
    """The clips of a track that are in the mix as JSON: an edit changes those of one track or two."""
    clips = tuple(_sounding_clip(clip) for clip in track.in_mix)
    alone = Plan("", "25", (Track("", "", track.role, clips=clips),))
    data = plan_to_data(alone, {clip.source_key: clip.source_key for clip in clips})["tracks"][0]["clips"]
    return json.dumps(data, sort_keys=True)


def key_of_programme(programme: Programme) -> str:
    """The plan_key of a programme's plan at its revision, worked out once."""
    plan = plan_of(programme)
    return _keys.get_or_make((programme.pk, programme.revision), lambda: plan_key(plan))


_keys: Cache[str] = Cache("keys of plans", 1_000_000)


def _sounding_clip(clip: Clip) -> Clip:
    # Who set a gain, and what was accepted, is not heard.
    return replace(clip, balanced=None, accepted=()) if clip.balanced is not None or clip.accepted else clip


def _sounding(duck: Duck) -> Duck:
    rule = duck.rule
    if rule.kind is DuckKind.CURVE:
        rule = replace(rule_from_data({}), room=rule.room, uses_level=rule.uses_level)
    points = tuple(replace(point, is_pinned=False) for point in duck.points)
    return replace(duck, rule=rule, points=points)


def _present(duck: Duck, tracks: tuple[Track, ...]) -> Duck | None:
    # What a duck names may have gone or become narration since: it comes back when that does.
    roles = {track.track_id: track.role for track in tracks}
    if duck.stem is None and roles.get(duck.track_id, Role.NARRATION) is Role.NARRATION:
        return None
    voices = {track_id for track_id, role in roles.items() if role.is_speech}
    keys = tuple(key for key in duck.rule.keys if key in voices)
    return duck if keys == duck.rule.keys else replace(duck, rule=replace(duck.rule, keys=keys))


def plan_now(programme: Programme) -> Plan:
    """The plan as the rows have it inside this transaction, which nobody else sees yet."""
    return _read(programme)[0]


Loaded = tuple[Plan, frozenset[tuple[str, int]]]
"""A plan, and key and number of channels of every recording that it names."""
_CLIP_BYTES = 1_500
_plans: Cache[Loaded] = Cache(
    "plans", 64_000_000, lambda loaded: 4_096 + _CLIP_BYTES * sum(len(track.clips) for track in loaded[0].tracks)
)


def _loaded(programme: Programme) -> Loaded:
    # A revision never changes once it is written, so its plan may be kept.
    found = _plans.get((programme.pk, programme.revision))
    while found is None:
        # Without a lock: rows read between two equal revisions belong to that revision, since an edit writes its rows
        # and the new revision in one transaction. A row that others have moved past is brought up to date.
        before = _revision(programme)
        if before != programme.revision:
            programme.refresh_from_db()
        read = _read(programme)
        if _revision(programme) == programme.revision:
            found = read
            _plans.put((programme.pk, programme.revision), found)
    return found


def _revision(programme: Programme) -> int:
    return Programme.objects.values_list("revision", flat=True).get(pk=programme.pk)


def keep_plan(programme: Programme, after: Plan) -> None:
    """Remember the plan that an edit made, once it is committed, so that nobody has to read it again.

    Args:
        programme: at its new revision, inside the transaction that made it.
        after: with the ids of rows, and only with recordings that the plan before it named too.
    """
    before = _plans.get((programme.pk, programme.revision - 1))
    if before is not None:
        pk, revision = programme.pk, programme.revision
        transaction.on_commit(lambda: _plans.put((pk, revision), (after, before[1])))


def _read(programme: Programme) -> Loaded:
    rows = models.Clip.objects.filter(track__programme=programme).order_by("start_sample", "pk")
    by_track: dict[int, list[Clip]] = {}
    channels = set()
    # Columns, not rows as objects: a programme of a thousand clips is read in a quarter of the time.
    fields = ("pk", "track_id", "source__sha256", "source__n_channels", *COLUMNS)
    for pk, track_id, key, n_channels, *values in rows.values_list(*fields):
        by_track.setdefault(track_id, []).append(clip_of_values(pk, key, values))
        channels.add((key, n_channels))
    tracks = tuple(
        _track_of_row(row, tuple(by_track.get(row.pk, ())))
        for row in models.Track.objects.filter(programme=programme).order_by("position", "pk")
    )
    stems = list(models.Stem.objects.filter(programme=programme))
    ducks = list(models.Duck.objects.filter(programme=programme).order_by("pk"))
    plan = _plan_of(programme, tracks, stems, ducks, vars(programme))
    return plan, frozenset(channels)


def _track_of_row(row: "models.Track", clips: tuple[Clip, ...]) -> Track:
    chain, ride = chain_from_data(row.chain), ride_from_data(row.ride)
    return Track(
        str(row.pk), row.name, Role(row.role), row.gain_db, row.pan, clips, row.is_mono, chain, ride, row.is_out
    )


def _plan_of(
    programme: Programme,
    tracks: tuple[Track, ...],
    stems: "list[models.Stem]",
    ducks: "list[models.Duck]",
    settings: Mapping[str, Any],
) -> Plan:
    balanced = {Role(stem.role): balanced_from_data(stem.balanced) for stem in stems}
    return Plan(
        programme.title,
        programme.frame_rate,
        tracks,
        {Role(stem.role): stem.gain_db for stem in stems if stem.gain_db},
        ducks=tuple(duck for row in ducks if (duck := _present(duck_of_row(row), tracks)) is not None),
        stem_chains={Role(stem.role): chain_from_data(stem.chain) for stem in stems if stem.chain},
        stem_rides={Role(stem.role): ride_from_data(stem.ride) for stem in stems if stem.ride},
        master_chain=chain_from_data(settings.get("master_chain", [])),
        stem_trims={Role(stem.role): trim_from_data(stem.trim) for stem in stems if stem.trim},
        stem_balanced={role: found for role, found in balanced.items() if found is not None},
        programme_gain_db=settings.get("programme_gain_db", 0.0),
    )


def lengths_of_plan(programme: Programme) -> dict[str, int]:
    """Length in samples of every recording that a clip of the programme can hold."""
    rows = programme.sources.filter(length_samples__isnull=False).values_list("sha256", "length_samples")
    return {sha256: length_samples for sha256, length_samples in rows if length_samples is not None}
