"""Reads of the list of programmes and of the room that a workspace takes."""

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from django.conf import settings
from django.db.models import F, Max, Q, QuerySet, TextField
from django.db.models.functions import Cast

from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_key
from recitant_text.fits import NO_VERDICT_WORDS, verdict_words
from recitant_web.delivery.models import Delivery
from recitant_web.desk.models import Clip, Edit, EditState, Version
from recitant_web.programme.models import Picture, Programme, Source, SourceState
from recitant_web.specifications.queries import specs_named

SORTS: Final = ("changed", "title", "length", "spec", "verdict", "findings")
_BYTES_A_SAMPLE: Final = 4


@dataclass(frozen=True)
class Row:
    """A programme as the list shows it."""

    programme: Programme
    length_samples: int
    spec_name: str
    verdict: dict[str, Any]
    """state: passes, squashed, fails, waits or none; words."""
    n_findings: int
    still: int | None
    """Number of its picture; None where it has none."""
    step: str
    """Name of the page where work stopped last."""


def rows(
    programmes: Iterable[Programme], words: str = "", sort: str = "changed", *, is_descending: bool = True
) -> list[Row]:
    """The programmes whose title or specification holds some words, in order; a few queries however many there are."""
    found = list(programmes)
    ids = [programme.pk for programme in found]
    in_mix = Clip.objects.filter(track__programme__in=ids, is_out=False, track__is_out=False)
    ends = in_mix.values_list("track__programme").annotate(end=Max(F("start_sample") + F("length_samples")))
    lengths = dict(ends)
    findings = _open_findings(ids)
    pictures = dict(Picture.objects.filter(programme__in=ids).values_list("programme_id", "pk"))
    sourced = set(Source.objects.filter(programme__in=ids).values_list("programme_id", flat=True))
    specs = specs_named((programme.workspace_id, programme.spec_id) for programme in found)
    made = [
        Row(
            programme,
            lengths.get(programme.pk) or 0,
            specs[programme.workspace_id, programme.spec_id].name,
            _verdict(programme, specs[programme.workspace_id, programme.spec_id], lengths.get(programme.pk) or 0),
            findings.get(programme.pk, 0),
            pictures.get(programme.pk),
            programme.last_page if programme.pk in sourced and programme.last_page else "intake",
        )
        for programme in found
    ]
    wanted = words.casefold()
    shown = [row for row in made if wanted in row.programme.title.casefold() or wanted in row.spec_name.casefold()]
    keys = {
        "changed": lambda row: row.programme.changed_at,
        "title": lambda row: row.programme.title.casefold(),
        "length": lambda row: row.length_samples,
        "spec": lambda row: row.spec_name,
        "verdict": lambda row: row.verdict["state"],
        "findings": lambda row: row.n_findings,
    }
    return sorted(shown, key=keys[sort if sort in keys else "changed"], reverse=is_descending)


def _verdict(programme: Programme, spec: Spec, length_samples: int) -> dict[str, Any]:
    judged = programme.judged
    if not length_samples:
        return {"state": "none", "words": NO_VERDICT_WORDS["none"]}
    if not judged or judged.get("revision") != programme.revision or judged.get("spec") != spec_key(spec):
        return {"state": "waits", "words": NO_VERDICT_WORDS["waits"]}
    return {"state": judged["state"], "words": verdict_words(judged)}


def _open_findings(ids: list[int]) -> dict[int, int]:
    mended: dict[int, set[str]] = {}
    for source_id, codes in Clip.objects.filter(track__programme__in=ids).values_list("source_id", "mended"):
        mended.setdefault(source_id, set()).update(codes)
    counted: dict[int, int] = {}
    ready = Source.objects.filter(programme__in=ids, state=SourceState.READY)
    for pk, programme_id, findings in ready.values_list("pk", "programme_id", "findings"):
        n = sum(
            one["severity"] != "note" and not mended.get(pk, set()) & {remedy["code"] for remedy in one["remedies"]}
            for one in findings
        )
        counted[programme_id] = counted.get(programme_id, 0) + n
    return counted


@dataclass(frozen=True)
class DiskUse:
    """Bytes of a programme on disk, and those of them that nothing needs."""

    programme: Programme
    n_bytes: int
    unused: list[tuple[Source, int, str]]
    """Recordings without a clip: each with its bytes and the version that keeps it, empty for none."""
    deliveries: list[tuple[Delivery, int]]
    versions: list[Version]


def disk_use_of(programme: Programme) -> DiskUse:
    """Bytes of a programme on disk; shared recordings count with each that uses them."""
    sources = list(Source.objects.filter(programme=programme))
    used = keys_in_use(programme)
    varied = {source.varied_from_id for source in sources}
    unused = [
        (source, bytes_of_source(source), next(iter(versions_that_need(source)), ""))
        for source in sources
        if source.pk not in varied
        and source.sha256 not in used
        and source.state not in (SourceState.WAITING, SourceState.SPLIT)
        and not source.has_picture
    ]
    deliveries = [(one, _folder_bytes(one.folder)) for one in programme.deliveries.select_related("job")]
    files = {source.original_file: source.size_bytes for source in sources}
    copies = sum(_copy_bytes(source) for source in sources)
    picture = Picture.objects.filter(programme=programme).first()
    light = _file_bytes(picture.proxy_file) if picture is not None else 0
    total = sum(files.values()) + copies + light + sum(n_bytes for _, n_bytes in deliveries)
    return DiskUse(programme, total, unused, deliveries, list(Version.objects.filter(programme=programme)))


def bytes_of_source(source: Source) -> int:
    """Bytes of a recording as it came and of its working copy."""
    return source.size_bytes + _copy_bytes(source)


def _copy_bytes(source: Source) -> int:
    return (source.length_samples or 0) * (source.n_channels or 0) * _BYTES_A_SAMPLE


def mentions(source: Source) -> QuerySet[Edit]:
    """Steps of the log that can still be gone to and that a recording is part of."""
    steps = Edit.objects.filter(programme=source.programme_id).exclude(state=EditState.DROPPED)
    as_clip, as_take = f'"source_id": {source.pk}', f'"source_key": "{source.sha256}"'
    holds = Q(text__contains=as_clip) | Q(text__contains=as_take) | Q(text__contains='"source_id": [')
    near = steps.annotate(text=Cast("changes", TextField())).filter(holds)
    pattern = re.compile(rf'"source_id": (\[\d+, )?(\[)?{source.pk}\b|{re.escape(as_take)}')
    return steps.filter(pk__in=[edit.pk for edit in near if pattern.search(json.dumps(edit.changes))])


def versions_that_need(source: Source) -> list[str]:
    """Names of the versions that a recording is part of."""
    kept = Version.objects.filter(programme=source.programme_id)
    return [
        version.name
        for version in kept
        if any(
            clip.get("source_id") == source.pk or _holds_take(clip.get("takes", ()), source.sha256)
            for clip in version.rows.get("clip", {}).values()
        )
    ]


def keys_in_use(programme: Programme) -> set[str]:
    """Keys of the recordings that a clip sounds as, or holds as a take."""
    clips = Clip.objects.filter(track__programme=programme)
    held = clips.exclude(takes=[]).values_list("takes", flat=True)
    return set(clips.values_list("source__sha256", flat=True)) | {
        take["source_key"] for takes in held for take in takes
    }


def _holds_take(takes: Iterable[dict[str, Any]], sha256: str) -> bool:
    return any(take["source_key"] == sha256 for take in takes)


def _folder_bytes(relative: str) -> int:
    folder = Path(settings.MEDIA_ROOT) / relative
    return (
        sum(path.stat().st_size for path in folder.rglob("*") if path.is_file()) if relative and folder.is_dir() else 0
    )


def _file_bytes(relative: str) -> int:
    path = Path(settings.MEDIA_ROOT) / relative
    return path.stat().st_size if relative and path.is_file() else 0
