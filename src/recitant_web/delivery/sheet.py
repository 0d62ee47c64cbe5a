"""The delivery sheet of a programme: what leaves, in which form, and what of it is made for the state it is in now."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from recitant_core.delivery.orders.chapters import Chapter
from recitant_core.delivery.orders.orders import KINDS, Order, Wanted, WantedFile
from recitant_core.delivery.specification.model import Spec
from recitant_core.delivery.specification.spec_json import spec_from_data, spec_key
from recitant_io.formats.codecs import CODECS, wanted_files
from recitant_io.formats.film import film_suffix
from recitant_io.formats.spec_file import files_of
from recitant_text.report import KIND_WORDS, SHORT_KIND_WORDS, mix_as
from recitant_web.delivery.labels import labels_data
from recitant_web.delivery.models import Delivery, SheetLine
from recitant_web.desk.mapping.plans import key_of_programme
from recitant_web.programme.models import Picture, Programme
from recitant_web.specifications.queries import specs_named
from recitant_web.transcript.queries import cues_of_programme

MADE, OUT_OF_DATE, UNDER_WAY, WANTED, LEFT_OUT = "made", "out", "under-way", "wanted", "left-out"
_NEWEST: Final = 40


@dataclass(frozen=True)
class Column:
    """A kind of file that can be on a sheet."""

    name: str
    """Kind of the files, or their codec."""
    label: str
    words: str


@dataclass(frozen=True)
class Line:
    """A specification on the sheet, and the state of each of its files."""

    spec: Spec
    wanted: Wanted
    states: dict[WantedFile, str]
    """Of each file that is wanted: MADE, OUT_OF_DATE, UNDER_WAY or WANTED."""

    @property
    def to_make(self) -> Wanted:
        """Orders that are not made for the state that the programme is in."""
        files = [file for file in self.wanted.files if self.states[file] in (OUT_OF_DATE, WANTED)]
        if any("stems" in file.film_tracks for file in files):
            files.append(WantedFile("stems"))  # they are its tracks
        return Wanted.of(files)


def columns(programme: Programme) -> list[Column]:
    """Every kind of file that can be handed over."""
    has_picture = Picture.objects.filter(programme=programme).exists()
    kinds = [Column(kind, SHORT_KIND_WORDS[kind], KIND_WORDS[kind]) for kind in KINDS if kind != "film" or has_picture]
    return kinds + [Column(codec.name, codec.label, mix_as(codec.label)) for codec in CODECS.values()]


def lines_of(programme: Programme) -> list[Line]:
    """The sheet of a programme; what it is balanced for, where nobody wrote one."""
    rows = list(programme.sheet.values_list("spec_id", "files"))
    named = specs_named((programme.workspace_id, spec_id) for spec_id in [*dict(rows), programme.spec_id])
    specs = {spec_id: spec for (_, spec_id), spec in named.items()}
    if not rows:
        rows = [(programme.spec_id, files_of(specs[programme.spec_id]).text)]
    made = _Made(programme)
    found = []
    for spec_id, files in rows:
        wanted = wanted_files(files) if files else Wanted((), ())
        states = {file: made.state(specs[spec_id], file) for file in wanted.files}
        found.append(Line(specs[spec_id], wanted, states))
    return found


def spec_ids_on_sheet(programme: Programme) -> list[str]:
    """The specifications of the lines that somebody wrote."""
    return list(SheetLine.objects.filter(programme=programme).values_list("spec_id", flat=True))


def film_of(programme: Programme) -> dict[str, Any] | None:
    """Picture of the programme's film, as a delivery keeps it; None without one."""
    picture = Picture.objects.filter(programme=programme).first()
    if picture is None:
        return None
    return {
        "picture": picture.original_file,
        "suffix": film_suffix(picture.name),
        "offset_samples": programme.picture_offset_samples,
        "captions": [[cue.start_sample, cue.end_sample, cue.text] for cue in cues_of_programme(programme)],
    }


def chapters_of(programme: Programme) -> list[Chapter]:
    """The chapters of the programme, in order."""
    rows = programme.markers.filter(kind="chapter").order_by("at_sample", "pk").values_list("at_sample", "text")
    return [Chapter(at_sample, text) for at_sample, text in rows]


def chapter_rows(chapters: Sequence[Chapter]) -> list[list[Any]]:
    """Chapters as a delivery keeps them."""
    return [[one.at_sample, one.title] for one in chapters]


def orders_of(delivery: Delivery) -> list[Order]:
    """Orders of a delivery."""
    return [
        in_language(Order(spec_from_data(order["spec"]), wanted_files(order["files"])), order.get("language", ""))
        for order in delivery.orders
    ]


def in_language(order: Order, language: str) -> Order:
    """An order whose sound is in another language; the same for none."""
    form = replace(order.spec.form, language=language or order.spec.form.language)
    return replace(order, spec=replace(order.spec, form=form))


def _film_in(film: dict[str, Any] | None, file: WantedFile) -> dict[str, Any] | None:
    # Captions count where they are a track.
    is_kept = "captions" in file.film_tracks
    return film if film is None or is_kept else {name: value for name, value in film.items() if name != "captions"}


def _holds_chapters(file: WantedFile) -> bool:
    codec = CODECS.get(file.name)
    return file.is_film or (codec is not None and codec.holds_chapters)


def _holds_labels(file: WantedFile) -> bool:
    codec = CODECS.get(file.name)
    return codec is not None and codec.holds_labels


class _Made:
    """Files of the newest deliveries, against the programme as it is now."""

    def __init__(self, programme: Programme) -> None:
        self._key = key_of_programme(programme)
        self._film = film_of(programme)
        self._chapters = chapter_rows(chapters_of(programme))
        self._labels = labels_data(programme)
        self._deliveries = list(
            Delivery.objects.filter(programme=programme, span__isnull=True)
            .select_related("job")
            .defer("plan", "report")
            .order_by("-pk")[:_NEWEST]
        )

    def state(self, spec: Spec, file: WantedFile) -> str:
        """Of one file of a line."""
        was_made = False
        for delivery, order in self._orders(spec, file):
            is_open = delivery.job is not None and delivery.job.is_open
            is_done = delivery.job is not None and delivery.job.state == "done"
            is_now = (
                delivery.plan_key == self._key
                and spec_key(spec_from_data(order["spec"])) == spec_key(spec)
                and (not file.is_film or _film_in(delivery.film, file) == _film_in(self._film, file))
                and (not _holds_chapters(file) or delivery.chapters == self._chapters)
                and (not _holds_labels(file) or delivery.labels == self._labels)
            )
            if is_now and (is_open or is_done):
                return UNDER_WAY if is_open else MADE
            # A version in another language is nothing that an edit puts out of date.
            was_made = was_made or (is_done and not order.get("language"))
        return OUT_OF_DATE if was_made else WANTED

    def _orders(self, spec: Spec, file: WantedFile) -> Iterator[tuple[Delivery, dict[str, Any]]]:
        for delivery in self._deliveries:
            for order in delivery.orders:
                if order["spec"]["id"] != spec.spec_id or file.text in order.get("missed", ()):
                    continue
                if file in wanted_files(order["files"]).files:
                    yield delivery, order
