"""Handing over: the sheet, and jobs that fit, write, measure and report."""

import json
import re
import uuid
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.captions.rules import Cue
from recitant_core.delivery.orders.chapters import Chapter, time_from_text
from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.spec_json import spec_to_data
from recitant_core.errors import EditRefused, PlanError
from recitant_core.interchange.plan_json import plan_to_data
from recitant_core.ports import Progress
from recitant_core.timeline.excerpt import clips_alone, span_of_clips
from recitant_core.timeline.model import Master
from recitant_core.timeline.speech import Spans, Talk
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_io.delivery.delivery import deliver, planned_files
from recitant_io.delivery.planned import Origin
from recitant_io.formats.codecs import wanted_files
from recitant_io.formats.film import FilmWanted
from recitant_io.formats.spec_file import files_of
from recitant_io.media.storage import require_room
from recitant_io.store.premaster import BYTES_A_FRAME as BYTES_A_KEPT_FRAME
from recitant_text.messages import Message, delivered_message
from recitant_text.notices import notice
from recitant_text.report import report_data, report_files
from recitant_web.delivery.labels import keep_cover, labels_data, labels_of_delivery
from recitant_web.delivery.models import Delivery, SheetLine
from recitant_web.delivery.parts import Part, part_in, version_of, whole_of
from recitant_web.delivery.queries import plan_and_sources
from recitant_web.delivery.report import report_part
from recitant_web.delivery.sheet import chapter_rows, film_of, in_language, lines_of, orders_of, spec_ids_on_sheet
from recitant_web.delivery.spreading import drop_parts, mixed_of_parts
from recitant_web.desk.edits.clips import BackInSync
from recitant_web.jobs.actions import DELIVER, require_turn, start_job
from recitant_web.jobs.models import JobState
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.shared.media import drop, fetched, keep, media_path
from recitant_web.specifications.queries import spec_named

_BYTES_A_FRAME = 2 * 3
_LANGUAGE = re.compile("[a-z]{3}")


@transaction.atomic
def set_files(programme: Programme, spec_id: str, files: str) -> None:
    """The files that a line of the sheet is handed over as; a line that is not there is added.

    Raises:
        UnknownSpec: no such specification. PlanError: a word that names no file.
    """
    spec = spec_named(programme.workspace_id, spec_id)
    text = wanted_files(files).text if files.strip(" ,") else ""
    _write_first_line(programme)
    SheetLine.objects.update_or_create(programme=programme, spec_id=spec.spec_id, defaults={"files": text})


def add_line(programme: Programme, spec_id: str) -> None:
    """A further specification, with the files that it asks for.

    Raises:
        UnknownSpec: no such specification.
    """
    set_files(programme, spec_id, files_of(spec_named(programme.workspace_id, spec_id)).text)


@transaction.atomic
def switch_file(programme: Programme, spec_id: str, word: str) -> None:
    """Add a file to a line of the sheet, or leave it out.

    Raises:
        UnknownSpec: no such specification. PlanError: the word names no file.
    """
    named = wanted_files(word).files
    found = next((line for line in lines_of(programme) if line.spec.spec_id == spec_id), None)
    files = [] if found is None else found.wanted.files
    switched = [one for one in files if one not in named] + [one for one in named if one not in files]
    set_files(programme, spec_id, Wanted.of(switched).text)


@transaction.atomic
def set_film_tracks(programme: Programme, spec_id: str, tracks: Sequence[str]) -> None:
    """Tracks of a line's film beside its mix; stems are then among the files of the line.

    Raises:
        UnknownSpec: no such specification. PlanError: a word that names no track.
    """
    wanted = wanted_files(f"film:{'+'.join(tracks)}" if tracks else "film")
    line = next((line for line in lines_of(programme) if line.spec.spec_id == spec_id), None)
    if line is None or "film" not in line.wanted.kinds:
        return
    kinds = tuple(dict.fromkeys([*line.wanted.kinds, *(["stems"] if "stems" in tracks else [])]))
    set_files(programme, spec_id, replace(line.wanted, kinds=kinds, film_tracks=wanted.film_tracks).text)


@transaction.atomic
def remove_line(programme: Programme, spec_id: str) -> None:
    """Take a specification off the sheet; what was handed over for it stays."""
    _write_first_line(programme)
    SheetLine.objects.filter(programme=programme, spec_id=spec_id).delete()


def _write_first_line(programme: Programme) -> None:
    # What stands on a sheet that nobody wrote becomes its first line.
    if not spec_ids_on_sheet(programme):
        (line,) = lines_of(programme)
        SheetLine.objects.create(programme=programme, spec_id=line.spec.spec_id, files=line.wanted.text)


def hand_over_range(programme: Programme, made_by: str, start: str, end: str) -> Delivery:
    """A delivery of a stretch, of all that the sheet asks for but films, which show the whole picture.

    Args:
        start: as chapters.time_from_text reads it.
        end: of the stretch.

    Raises:
        PlanError: no times, nothing sounds between them, or nothing is asked for; else as hand_over.
    """
    start_sample, end_sample = time_from_text(start), time_from_text(end)
    if end_sample <= start_sample:
        raise PlanError("range_backwards", field="range")
    span = SampleSpan(start_sample, end_sample - start_sample)
    return hand_over(programme, _orders_without_film(programme), made_by, part_in(whole_of(programme), span))


def hand_over_clips(programme: Programme, made_by: str, clip_ids: Sequence[str]) -> Delivery:
    """A delivery of some clips alone, from the first to the last of them, as hand_over_range.

    Raises:
        PlanError: none of them is in the mix, or nothing is asked for; else as hand_over.
    """
    whole = whole_of(programme)
    span = span_of_clips(whole.plan, clip_ids)
    names = tuple(clip.name for track in whole.plan.tracks for clip in track.in_mix if clip.clip_id in clip_ids)
    alone = replace(whole, plan=clips_alone(whole.plan, clip_ids), clip_names=names)
    return hand_over(programme, _orders_without_film(programme), made_by, part_in(alone, span))


def hand_over_version(programme: Programme, made_by: str, version_id: str, language: str) -> Delivery:
    """A delivery of a kept version, with all that the sheet asks for: another language, a shorter cut.

    Args:
        language: of its sound, three letters after ISO 639-2; empty for that of each specification.

    Raises:
        EditRefused: no such version. PlanError: no such letters, nothing is asked for; else as hand_over.
    """
    if language and not _LANGUAGE.fullmatch(language):
        raise PlanError("not_a_language", field="language", found=language[:20])
    orders = [Order(line.spec, line.wanted) for line in lines_of(programme) if line.wanted.files]
    if not orders:
        raise PlanError("no_files_asked", field="files")
    return hand_over(programme, orders, made_by, replace(version_of(programme, version_id), language=language))


def _orders_without_film(programme: Programme) -> list[Order]:
    orders = []
    for line in lines_of(programme):
        kinds = tuple(kind for kind in line.wanted.kinds if kind != "film")
        orders.append(Order(line.spec, replace(line.wanted, kinds=kinds, film_tracks=())))
    orders = [order for order in orders if order.wanted.files]
    if not orders:
        raise PlanError("no_files_asked", field="files")
    return orders


def hand_over_sheet(programme: Programme, made_by: str = "", *, everything: bool = False) -> Delivery:
    """A delivery of what the sheet asks for and is not made for this state, or of all that it asks for.

    Raises:
        PlanError: nothing is asked for, or all of it is made; else as hand_over.
    """
    lines = lines_of(programme)
    orders = [Order(line.spec, line.wanted if everything else line.to_make) for line in lines]
    orders = [order for order in orders if order.wanted.files]
    if not orders:
        asked = any(line.wanted.files for line in lines)
        raise PlanError("nothing_out_of_date" if asked else "no_files_asked", field="files")
    return hand_over(programme, orders, made_by)


def hand_over(programme: Programme, orders: Sequence[Order], made_by: str = "", part: Part | None = None) -> Delivery:
    """A delivery in the background.

    Args:
        made_by: name of the user.
        part: what is handed over; the programme as it is now if None.

    Raises:
        PlanError: nothing to mix, two files of one name, or a film without a picture. StorageFull: no room.
    """
    part = whole_of(programme) if part is None else part
    plan, span = part.plan, part.span
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    root = Path(settings.MEDIA_ROOT)
    root.mkdir(parents=True, exist_ok=True)
    film = film_of(programme) if any("film" in order.wanted.kinds for order in orders) else None
    spoken = [in_language(order, part.language) for order in orders]
    planned = planned_files(plan, spoken, Origin(str(programme.revision), None, _film(film)))
    around_s = max(order.spec.form.leader_s + order.spec.form.tail_s for order in orders)
    n_frames = plan.span.length_samples + round(RATE_HZ * around_s)
    n_films = sum("film" in order.wanted.kinds for order in orders)
    picture_bytes = n_films * fetched(str(film["picture"])).stat().st_size if film is not None else 0
    bytes_a_frame = _BYTES_A_FRAME * sum(len(one.names()) for one in planned) + BYTES_A_KEPT_FRAME
    require_room(root, notice("the_delivery"), n_frames * bytes_a_frame + picture_bytes)
    keys = {key: key for track in plan.tracks for key in track.source_keys}
    asked: dict[str, Any] = {
        "orders": [
            {"spec": spec_to_data(order.spec), "files": order.wanted.text, "language": part.language}
            for order in orders
        ],
        "film": film,
        "name": part.name,
        "chapters": chapter_rows(part.chapters),
        "span": None if span is None else [span.start_sample, span.length_samples],
        "clips": list(part.clip_names),
        "labels": labels_data(programme),
        "plan_key": part.key,
    }
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=programme.pk)  # one order after another
        under_way = _same_under_way(programme, asked)
        if under_way is not None:
            return under_way
        require_turn(programme.workspace, DELIVER)
        delivery = Delivery.objects.create(
            programme=programme,
            revision=programme.revision,
            **asked,
            made_by=made_by,
            plan=plan_to_data(plan, keys),
            talk=_talk_data(part.talk),
            folder=f"deliveries/{programme.pk}/{uuid.uuid4().hex}",
        )
        keep_cover(delivery)
        delivery.job = start_job(
            programme.workspace,
            DELIVER,
            {"delivery_id": delivery.pk},
            about=part.name or programme.title,
            programme_number=programme.pk,
        )
        delivery.save(update_fields=["job"])
    return delivery


def _same_under_way(programme: Programme, asked: dict[str, Any]) -> Delivery | None:
    """A delivery of the very same that waits or is being made: a second press asks for nothing more."""
    states = (JobState.WAITING, JobState.WORKING)
    for delivery in programme.deliveries.filter(job__state__in=states, plan_key=asked["plan_key"]).order_by("pk"):
        if all(_as_kept(getattr(delivery, name)) == _as_kept(value) for name, value in asked.items()):
            return delivery
    return None


def _as_kept(value: Any) -> Any:
    """A value as a row gives it back: tuples are lists there."""
    return json.loads(json.dumps(value))


def _talk_data(talk: Talk) -> dict[str, Any]:
    return {
        name: [[span.start_sample, span.length_samples] for span in getattr(talk, name)] for name in ("spans", "over")
    }


def _talk(data: dict[str, Any]) -> Talk | None:
    if not data:
        return None
    spans, over = (Spans(SampleSpan(*span) for span in data[name]) for name in ("spans", "over"))
    return Talk(spans, over)


def _film(film: dict[str, Any] | None) -> FilmWanted | None:
    if film is None:
        return None
    captions = tuple(Cue(*row) for row in film.get("captions", ()))
    picture = fetched(film["picture"])
    return FilmWanted(picture, film["suffix"], film["offset_samples"], captions=captions)


def make_delivery(delivery_id: int, progress: Progress) -> Message:
    """Write the files of a delivery; done twice it writes the same files again."""
    delivery = Delivery.objects.select_related("programme").get(pk=delivery_id)
    orders = orders_of(delivery)
    plan, sources = plan_and_sources(delivery)
    more = report_part(delivery.programme, plan, sources) | {
        "version": str(delivery.revision),
        "made_at": f"{delivery.made_at:%Y-%m-%d %H:%M} UTC",
        "made_by": delivery.made_by,
    }
    # What the exact fit of this very mix found before is tried first.
    snapshot = Snapshot(delivery.programme, plan)
    keys = {order.spec.spec_id: snapshot.fit_key(order.spec) for order in orders}
    found = {spec_id: snapshot.fits[key] for spec_id, key in keys.items() if key in snapshot.fits}
    done = deliver(
        plan,
        sources,
        orders,
        media_path(delivery.folder),
        progress,
        lambda ready: report_files(plan, ready, more),
        {spec_id: Master(fit.gain_db, fit.ceiling_dbtp) for spec_id, fit in found.items()},
        Origin(
            str(delivery.revision),
            delivery.made_at,
            _film(delivery.film),
            tuple(Chapter(at_sample, title) for at_sample, title in delivery.chapters),
            _talk(delivery.talk),
            labels_of_delivery(delivery),
        ),
        mixed_of_parts(delivery, plan),
    )
    keep(delivery.folder, is_final=False)
    drop_parts(delivery)
    delivery.report = report_data(plan, done) | more
    for order, delivered in zip(delivery.orders, done, strict=True):
        missed = {one.name for one in delivered.missed}
        order["missed"] = [file.text for file in wanted_files(order["files"]).files if file.name in missed]
    delivery.save(update_fields=["report", "orders"])
    passed = sum(delivered.verdict.is_passed for delivered in done)
    n_missed = sum(len(delivered.missed) for delivered in done)
    return delivered_message(passed, len(done), n_missed)


def put_back_in_sync(programme: Programme, user: User) -> None:
    """Move every clip that is tied to the picture back to where the picture has it.

    Raises:
        EditRefused: all are there.
    """
    BackInSync(revision=programme.revision).carry_out(programme, user)


def name_delivery(delivery: Delivery, name: str) -> None:
    """A name by which people know it; none takes it away."""
    delivery.name = " ".join(name.split())[:80]
    delivery.save(update_fields=["name"])


def remove_delivery(delivery: Delivery) -> None:
    """Remove a delivery with its files.

    Raises:
        EditRefused: it is being written.
    """
    if delivery.job is not None and delivery.job.is_open:
        raise EditRefused("delivery_under_way")
    folder = delivery.folder
    delivery.delete()
    if folder:
        drop(folder)
