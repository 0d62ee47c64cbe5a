"""Reads of the Intake page."""

from dataclasses import dataclass, replace
from typing import Any

from django.db.models import Count, Q

from recitant_core.timeline.sync import out_of_sync
from recitant_core.units.roles import Role
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.findings import finding_shown, role_reasons
from recitant_text.notices import off_words
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Clip, Track
from recitant_web.jobs.queries import notes_of
from recitant_web.programme.models import Picture, Programme, Source, SourceKind, SourceState

# Nobody brought these in: the program made them, or they came out of the library.
_MADE_HERE = (SourceKind.VARIED, SourceKind.TONE, SourceKind.LIBRARY)


@dataclass(frozen=True)
class Row:
    """A source with what its clips make of it."""

    source: Source
    mended: frozenset[str]
    findings: list[dict[str, Any]]
    """With their words: recitant_text.findings.finding_shown."""
    open_findings: list[dict[str, Any]]
    """Findings that matter and that no remedy was applied for."""
    reasons: list[str]
    """Why it is taken for its role."""
    n_clips: int
    is_take: bool = False
    """Whether a clip that sounds as another recording holds it."""
    note: str = ""
    """What its job waits for; empty where it does not wait."""
    off: str = ""
    """How far a clip of it that is tied to the picture lies off; empty where none does."""


def rows(programme: Programme) -> list[Row]:
    """Every source with its clips' settings, three queries however many there are.

    First what is under way or was refused, which a long list would hide at its end; then in the order they came.
    """
    sources = programme.sources.exclude(kind__in=_MADE_HERE).select_related("job")
    found = sorted(sources, key=lambda one: one.state not in (SourceState.WAITING, SourceState.REFUSED))
    mended: dict[int, set[str]] = {}
    n_clips: dict[int, int] = {}
    held: set[str] = set()
    offs = _offs(programme)
    fields = ("source_id", "mended", "takes")
    for source_id, codes, takes in Clip.objects.filter(track__programme=programme).values_list(*fields):
        mended.setdefault(source_id, set()).update(codes)
        n_clips[source_id] = n_clips.get(source_id, 0) + 1
        held |= {take["source_key"] for take in takes}
    notes = notes_of(one.job for one in found if one.job is not None and one.state == SourceState.WAITING)
    made = [
        _row(one, frozenset(mended.get(one.pk, ())), n_clips.get(one.pk, 0), offs, is_take=one.sha256 in held)
        for one in found
    ]
    return [replace(one, note=notes.get(one.source.job_id, "")) if one.source.job_id in notes else one for one in made]


def row(programme: Programme, source: Source) -> Row:
    """One source with what its clips make of it."""
    clips = list(Clip.objects.filter(track__programme=programme, source=source).values_list("mended", flat=True))
    return _row(source, frozenset(code for codes in clips for code in codes), len(clips), _offs(programme))


def _offs(programme: Programme) -> dict[str, str]:
    """By recording: how far a clip of it lies off the picture that it is tied to."""
    off = out_of_sync(plan_of(programme), programme.picture_offset_samples)
    return {clip.source_key: off_words(samples, programme.frame_rate) for clip, samples in off}


def _row(source: Source, mended: frozenset[str], n_clips: int, offs: dict[str, str], *, is_take: bool = False) -> Row:
    findings = [finding_shown(finding) for finding in source.findings]
    open_findings = [
        finding
        for finding in findings
        if finding["severity"] != "note" and not mended & {remedy["code"] for remedy in finding["remedies"]}
    ]
    reasons, off = role_reasons(source.role_reasons), offs.get(source.sha256, "")
    return Row(source, mended, findings, open_findings, reasons, n_clips, is_take, off=off)


def offered_place(programme: Programme, source: Source) -> tuple[int, str] | None:
    """Place of a file that carries a time of day, in samples and as timecode; None where it carries none.

    Counted from the picture's own time of day, or from midnight where there is no picture with one.
    """
    if source.reference_samples is None:
        return None
    picture = Picture.objects.filter(programme=programme).first()
    origin = picture.reference_samples if picture is not None and picture.reference_samples is not None else 0
    at = source.reference_samples - origin
    if not 0 <= at < 24 * 3600 * 48_000:
        return None
    return at, timecode_from_samples(at, programme.frame_rate)


def is_busy(programme: Programme) -> bool:
    """Whether a file is on its way in, or still being listened to."""
    waiting = Q(state=SourceState.WAITING) | Q(state=SourceState.READY, is_listened=False)
    counted = programme.sources.aggregate(n=Count("pk", filter=waiting))
    picture = Picture.objects.filter(programme=programme).select_related("job").first()
    is_lightening = picture is not None and picture.job is not None and not picture.proxy_file and picture.job.is_open
    return bool(counted["n"]) or is_lightening


def take_role(programme: Programme, track_id: int) -> str:
    """Role of a take recorded to a track: the track's, or narration."""
    found = Track.objects.filter(programme=programme, pk=track_id).values_list("role", flat=True).first()
    return found or Role.NARRATION.value


def alike(programme: Programme, source: Source) -> dict[str, int]:
    """By code of each remedy of a recording: how many others it is offered for and was not applied to."""
    found: dict[str, int] = {}
    codes = {remedy["code"] for finding in source.findings for remedy in finding["remedies"]}
    if not codes:
        return found
    for other in rows(programme):
        offered = {remedy["code"] for finding in other.source.findings for remedy in finding["remedies"]}
        if other.source.pk != source.pk and other.n_clips:
            for code in (codes & offered) - other.mended:
                found[code] = found.get(code, 0) + 1
    return found
