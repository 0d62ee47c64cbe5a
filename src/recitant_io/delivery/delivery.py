"""Deliveries on disk: for each order mix, stems, mixes without speech, compressed copies and the film, and texts."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from types import MappingProxyType

from recitant_core.balance.stem_meter import StemMeter
from recitant_core.delivery.fitting.downmix import DownmixedPeak, downmixed, downmixed_segment
from recitant_core.delivery.fitting.fit import Fit, fit
from recitant_core.delivery.fitting.trial import MixStore, Rendered, render_once
from recitant_core.delivery.judging.quality import QualityCheck, dropout_check, length_check
from recitant_core.delivery.orders.orders import Order
from recitant_core.delivery.orders.results import Delivered, MissedFile, WrittenFile
from recitant_core.errors import MediaError, PlanError, RecitantError
from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.render.mix import MasteredSegment, MixedSegment, mixed_segments
from recitant_core.render.scene import talk_clearance_lu
from recitant_core.timeline.model import Master, Plan
from recitant_core.timeline.speech import Talk
from recitant_core.units.channels import MONO
from recitant_core.units.threads import at_once, results_at_once
from recitant_io.delivery.encodes import CodecCopy, ProvedCopy, decoded_data, write_proved
from recitant_io.delivery.planned import CHECKSUMS, Origin, Planned, has_copies, is_mono, require_possible
from recitant_io.delivery.quality_checks import quality_checks_of
from recitant_io.delivery.shared_sound import PlannedCopy, film_of_encoded, rows_of
from recitant_io.delivery.writing import Writing
from recitant_io.formats.film import FilmCopy
from recitant_io.formats.pdf import write_pdf
from recitant_io.media.storage import storage_errors
from recitant_io.store.conform import file_hash
from recitant_io.store.premaster import premaster

_RENDERED, _FITTED, _WRITTEN, _LOOKED_AT = 0.28, 0.6, 0.8, 0.87  # shares of the work done then
Mixed = Callable[[], Iterable[MixedSegment]]
"""Gives the segments of a plan in order, as often as it is asked."""
Reports = Callable[[Sequence[Delivered]], Mapping[str, str]]


def planned_files(plan: Plan, orders: Sequence[Order], origin: Origin) -> list[Planned]:
    """Files of each order.

    Raises:
        PlanError, UnreadableMedia: one that cannot be made; see planned.require_possible.
    """
    mono = replace(plan, layout=MONO)
    found = [Planned(mono if is_mono(order) else plan, order, origin) for order in orders]
    require_possible(found)
    return found


def deliver(
    plan: Plan,
    sources: Sources,
    orders: Sequence[Order],
    folder: Path,
    progress: Progress = no_progress,
    reports: Reports = lambda _done: {},
    starts: Mapping[str, Master] = MappingProxyType({}),
    origin: Origin = Origin(),  # noqa: B008  it is frozen
    mixed: Mixed | None = None,
) -> list[Delivered]:
    """Fit a plan to the specification of each order and write its files, checksums and reports.

    The programme is rendered twice, whatever the number of orders: once to be measured and tried, once for all files.
    The stems carry the gain of their mix and add up to it as it is before its last limiter. They are 24 bit, or 32 bit
    float where a stem alone passes full scale. Mixes without some stems go through the gain and the limiter of the
    mix. Copies of the finished mix are played back, measured and made anew until they keep the ceiling.

    Args:
        plan: its own master is replaced.
        sources: every source the plan names.
        orders: at least one; no two of them with the same names of files.
        folder: made if missing; files of the same names are replaced when the new ones are whole.
        progress: told the share done; may raise Cancelled.
        reports: texts to write beside them, by file name, from what every order came to.
        starts: the master to try first, by id of the specification, where the same mix was fitted before.
        origin: what names, descriptions and films need besides.
        mixed: the segments of the plan where they were rendered before; rendered here if None.

    Raises:
        PlanError: nothing to mix, or a file that cannot be made. StorageFull: no room. UnreadableMedia: a source or the
            picture turns out damaged.
    """
    # over eight parameters: what is mixed, for whom, and what is known of it already
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    planned = planned_files(plan, orders, origin)  # before anything is rendered
    segments = mixed or partial(mixed_segments, plan, sources)
    with premaster(folder, plan.layout) as store:
        if origin.has_folders:
            for order in orders:
                (folder / order.spec.spec_id).mkdir(exist_ok=True)
        known, mono = _rendered(plan, segments, store, orders, origin.talk, partial(_part, progress, 0.0, _RENDERED))
        jobs = [_Job(one, mono if is_mono(one.order) else known) for one in planned]
        fits = results_at_once(
            [partial(_fitted, job, starts) for job in jobs],
            lambda share: progress(_RENDERED + (_FITTED - _RENDERED) * share),
        )
        end = _LOOKED_AT if any(map(has_copies, planned)) else 1.0
        written = _write(plan, segments, jobs, fits, folder, partial(_part, progress, _FITTED, _WRITTEN))
        checks = results_at_once(
            [
                partial(quality_checks_of, job.planned.plan, job.known, found, one.sounds())
                for job, found, one in zip(jobs, fits, written, strict=True)
            ],
            partial(_part, progress, _WRITTEN, end),
        )
        done = [replace(one.delivered(), quality_checks=tuple(seen)) for one, seen in zip(written, checks, strict=True)]
        done = _with_copies(jobs, done, folder, partial(_part, progress, end, 1.0))
    done = _sealed(done, folder)
    texts = reports(done)
    _write_texts(folder, {CHECKSUMS: checksums(done), **texts})
    if "report.html" in texts:
        write_pdf(texts["report.html"], folder / "report.pdf")
    return done


@dataclass(frozen=True)
class _Job:
    """An order under way."""

    planned: Planned
    known: Rendered
    """In the layout of its files."""


def _rendered(
    plan: Plan,
    segments: Mixed,
    store: MixStore,
    orders: Sequence[Order],
    talk: Talk | None,
    progress: Progress,
) -> tuple[Rendered, Rendered]:
    """The plan rendered as it is, and downmixed where an order wants that."""
    peak = DownmixedPeak() if any(map(is_mono, orders)) else None
    wants_clearance = talk is not None and any(order.spec.least_clearance_lu is not None for order in orders)
    stems = StemMeter(plan) if wants_clearance else None

    def hear(segment: MasteredSegment) -> None:
        if peak is not None:
            peak.feed(segment)
        if stems is not None:
            stems.feed(segment.stems)

    known = render_once(plan, {}, store, progress, hear, () if talk is None else talk.spans, segments())
    if stems is not None and talk is not None:
        known = replace(known, clearance_lu=talk_clearance_lu(stems.energies(), talk))
    return known, known if peak is None else downmixed(plan, known, peak.factor)[1]


def _fitted(job: _Job, starts: Mapping[str, Master], progress: Progress) -> Fit:
    spec = job.planned.order.spec
    # An earlier fit is that of the stereo mix.
    start = None if is_mono(job.planned.order) else starts.get(spec.spec_id)
    return fit(job.planned.plan, job.known, spec, progress, start)


def _part(progress: Progress, first: float, last: float, share: float) -> None:
    progress(first + (last - first) * share)


def _write(
    plan: Plan, segments: Mixed, jobs: Sequence[_Job], fits: Sequence[Fit], folder: Path, progress: Progress
) -> list[Writing]:
    with ExitStack() as stack:
        writing = [Writing(job.planned, job.known, found, folder, stack) for job, found in zip(jobs, fits, strict=True)]
        wants_mono = [is_mono(job.planned.order) for job in jobs]
        for segment in segments():
            mono = downmixed_segment(segment) if any(wants_mono) else segment
            # Every file of every order takes its part of the same stems, side by side.
            at_once(
                work
                for one, is_downmixed in zip(writing, wants_mono, strict=True)
                for work in one.works(mono if is_downmixed else segment)
            )
            progress(segment.span.end_sample / plan.span.length_samples)
        for one in writing:
            one.end()
    return writing


def _with_copies(jobs: Sequence[_Job], done: Sequence[Delivered], folder: Path, progress: Progress) -> list[Delivered]:
    found = list(done)
    rows = [
        (index, row)
        for index, job in enumerate(jobs)
        for row in rows_of(job.planned.copies(folder))  # each is made one after another, rows side by side
    ]
    works = [partial(_proved_row, jobs[index], done[index], row) for index, row in rows]
    for (index, row), results in zip(rows, results_at_once(works, progress) if works else [], strict=True):
        for (files, copy), made in zip(row, results, strict=True):
            one = found[index]
            if isinstance(made, RecitantError):
                word = copy.codec.name if isinstance(copy, CodecCopy) else files[0].kind
                missed = [MissedFile(word, file.file, made) for file in files]
                found[index] = replace(one, missed=(*one.missed, *missed))
            else:
                found[index] = replace(
                    one, files=(*one.files, *made[0]), quality_checks=(*one.quality_checks, *made[1])
                )
    return found


_Made = tuple[list[WrittenFile], list[QualityCheck]]


def _proved_row(
    job: _Job, one: Delivered, row: Sequence[PlannedCopy], progress: Progress
) -> list[_Made | RecitantError]:
    """The files of each copy and what was looked at in them; or why they could not be made, which stops no other."""
    plan, spec, found = (
        replace(job.planned.plan, master=one.fit.trial.master),
        one.fit.spec,
        list[_Made | RecitantError](),
    )
    encoded: tuple[CodecCopy, ProvedCopy] | None = None
    for index, (files, copy) in enumerate(row):
        tell = partial(_part, progress, index / len(row), (index + 1) / len(row))
        try:
            proved = None
            if encoded is not None and isinstance(copy, FilmCopy):
                proved = film_of_encoded(plan, job.known, spec, copy, *encoded)
            if proved is None:
                proved = write_proved(plan, job.known, spec, copy, tell)
            length = copy.expected_samples(plan.span.length_samples)
        except (PlanError, MediaError) as error:
            found.append(error)
            continue
        if isinstance(copy, CodecCopy):
            encoded = copy, proved
        name = files[0].file
        checks = [
            length_check(name, proved.decoded.length_samples, length),
            dropout_check(name, proved.energies_in, proved.decoded.energies),
        ]
        data = decoded_data(proved, plan.master)
        found.append(([replace(file, decoded=data) for file in files], checks))
    return found


def _sealed(done: Sequence[Delivered], folder: Path) -> list[Delivered]:
    def sealed(file: WrittenFile, _progress: Progress) -> WrittenFile:
        path = folder / file.file
        return replace(file, sha256=file_hash(path), size_bytes=path.stat().st_size)

    files = iter(results_at_once([partial(sealed, file) for one in done for file in one.files], no_progress))
    return [replace(one, files=tuple(next(files) for _ in one.files)) for one in done]


def checksums(done: Sequence[Delivered]) -> str:
    """A line for each file, its SHA-256 and its name, as the common command line tools check them."""
    return "".join(f"{file.sha256}  {file.file}\n" for one in done for file in one.files)


def _write_texts(folder: Path, texts: Mapping[str, str]) -> None:
    with storage_errors():
        for name, text in texts.items():
            part = folder / f".{name}.part"
            part.write_text(text, encoding="utf-8")
            part.replace(folder / name)
