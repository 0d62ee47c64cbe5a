"""What files a delivery will hold: their names, forms and makers, and whether they can be made at all."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import Final

from recitant_core.delivery.orders.chapters import Chapter
from recitant_core.delivery.orders.orders import PARTS, Order
from recitant_core.delivery.orders.results import WrittenFile
from recitant_core.delivery.specification.form import Channels
from recitant_core.delivery.specification.names import file_name, require_apart
from recitant_core.errors import PlanError, RangeError
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import Talk
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import samples_from_timecode
from recitant_io.delivery.encodes import CodecCopy, Copy, SoundFileCopy
from recitant_io.formats.codecs import CODECS, checked_bit_rate, codec_by_name
from recitant_io.formats.film import FILM_FORMS, FilmCopy, FilmWanted, film_form
from recitant_io.formats.film_tracks import FilmSound
from recitant_io.formats.riff import FLOAT_BITS, Description
from recitant_io.formats.sound_file import SUFFIXES, SoundFileForm, require_container
from recitant_io.media.confined_pictures import picture_coding
from recitant_io.media.containers import chapter_data
from recitant_io.media.labels import Labels

STEM_BIT_DEPTH: Final = 24
CHECKSUMS: Final = "checksums.sha256"
OWN_NAMES: Final = ("report.json", "report.html", "report.pdf", CHECKSUMS)
"""Of every delivery, beside its sound."""
_RATE_WORDS: Final = {48_000: "48k", 44_100: "44k1"}
_REFERENCE_LETTERS: Final = 32


@dataclass(frozen=True)
class Origin:
    """Inputs of a delivery beside the mix."""

    version: str = ""
    """Of the programme, as file names and reports say it."""
    made_at: datetime | None = None
    film: FilmWanted | None = None
    """The picture, where a film is among the files."""
    chapters: tuple[Chapter, ...] = ()
    """Of the programme, in order; in whatever holds some."""
    talk: Talk | None = None
    """Where somebody speaks; None where nobody listened for it."""
    labels: Labels = field(default_factory=Labels)
    """Of compressed files, beside their title."""
    has_folders: bool = False
    """Whether the files of each specification stand in a folder of its name."""


@dataclass(frozen=True)
class Planned:
    """The files of one order, before anything is rendered."""

    plan: Plan
    """With the layout that the files have."""
    order: Order
    origin: Origin

    @property
    def writes_mix(self) -> bool:
        """Whether the mix goes straight into a file: at another rate it is a copy that is proved."""
        return "mix" in self.order.wanted.kinds and self.order.spec.form.rate_hz == RATE_HZ

    @property
    def parts(self) -> list[str]:
        """Mixes without some stems that are wanted."""
        return [kind for kind in self.order.wanted.kinds if kind in PARTS]

    def sound_path(self, folder: Path, role: str, bit_depth: int) -> Path:
        """Path of an uncompressed file; a pair takes its name from it."""
        shape = self.shape(role, bit_depth)
        return folder / self._name(role, SUFFIXES[shape.container], _RATE_WORDS[shape.form.rate_hz])

    def shape(self, role: str, bit_depth: int) -> SoundFileForm:
        """The form of an uncompressed file."""
        form = self.order.spec.form
        start = 0
        if form.start_timecode:
            start = samples_from_timecode(form.start_timecode, self.plan.frame_rate) * form.rate_hz // RATE_HZ
        title = f"{self.plan.title}, {role}" if self.plan.title else role
        unique = f"{self.plan.title} {self.origin.version} {self.origin.made_at} {self.order.spec.spec_id} {role}"
        description = Description(
            title,
            self.plan.title,
            sha256(unique.encode()).hexdigest()[:_REFERENCE_LETTERS],
            self.origin.made_at,
            start,
            self.plan.frame_rate,
        )
        n_channels, length = self.plan.layout.n_channels, self.plan.span.length_samples
        return SoundFileForm(n_channels, bit_depth, length, form, description)

    def written(self, kind: str, role: str, bit_depth: int, stem: str | None = None) -> list[WrittenFile]:
        """An uncompressed file, or a pair, as the report names it."""
        shape = self.shape(role, bit_depth)
        paths = shape.paths(self.sound_path(Path(), role, bit_depth))
        rate_hz = shape.form.rate_hz
        return [WrittenFile(kind, path.as_posix(), bit_depth, stem, shape.container, rate_hz=rate_hz) for path in paths]

    def copies(self, folder: Path) -> list[tuple[list[WrittenFile], Copy]]:
        """Files that are made of the finished mix, as the report names them, and their makers; the film last."""
        wanted, spec, n_channels = self.order.wanted, self.order.spec, self.plan.layout.n_channels
        found: list[tuple[list[WrittenFile], Copy]] = []
        if "mix" in wanted.kinds and not self.writes_mix:
            path, shape = self.sound_path(folder, "mix", spec.bit_depth), self.shape("mix", spec.bit_depth)
            found.append((self.written("mix", "mix", spec.bit_depth), SoundFileCopy(path, shape)))
        labels = replace(self.origin.labels, tags={"title": self.plan.title} | dict(self.origin.labels.tags))
        chapters = tuple(chapter_data(self.origin.chapters, 0, self.plan.span.length_samples))
        for codec_name, asked_kbps in wanted.codecs:
            codec = codec_by_name(codec_name)
            rate_kbps = checked_bit_rate(codec, asked_kbps)
            rate = _RATE_WORDS[RATE_HZ] if rate_kbps is None else f"{rate_kbps}k"
            name = self._name("mix", codec.suffix, rate, f"-{asked_kbps}k" if asked_kbps else "")
            file = WrittenFile("mix", name, STEM_BIT_DEPTH if codec.is_lossless else None, codec=codec.name)
            found.append(([file], CodecCopy(folder / name, codec, n_channels, asked_kbps, labels, chapters)))
        if self.origin.film is not None and "film" in wanted.kinds:
            found.append(self._film(folder, self.origin.film))
        return found

    def _film(self, folder: Path, film: FilmWanted) -> tuple[list[WrittenFile], Copy]:
        wanted, form = self.order.wanted, FILM_FORMS[film.suffix]
        rate_kbps = form.track.bit_rate_kbps
        if form.sound == "aac":
            # At the rate of an M4A file beside it: then the same packets serve both.
            rate_kbps = next(
                (checked_bit_rate(CODECS["m4a"], one) for name, one in wanted.codecs if name == "m4a"), rate_kbps
            )
        name = self._name("film", film.suffix, _RATE_WORDS[RATE_HZ] if rate_kbps is None else f"{rate_kbps}k")
        film = replace(film, language=self.order.spec.form.language, chapters=self.origin.chapters)
        copy = FilmCopy(
            folder / name,
            film,
            self.plan.layout.n_channels,
            self.plan.span.length_samples,
            rate_kbps,
            stems=self._stems_in_film(folder) if "stems" in wanted.film_tracks else (),
            has_original="original" in wanted.film_tracks,
            has_captions="captions" in wanted.film_tracks,
        )
        return [WrittenFile("film", name, None, codec=form.sound)], copy

    def _stems_in_film(self, folder: Path) -> tuple[FilmSound, ...]:
        form = self.order.spec.form
        begins_at = round(form.leader_s * RATE_HZ)
        return tuple(
            FilmSound(
                self.sound_path(folder, f"stem-{role.file_part}", STEM_BIT_DEPTH),
                role.label,
                form.language,
                begins_at,
            )
            for role in self.plan.roles
        )

    def names(self) -> list[str]:
        """Of every file; stems as they are named where none passes full scale."""
        bit_depth, wanted = self.order.spec.bit_depth, self.order.wanted
        found: list[WrittenFile] = []
        if self.writes_mix:
            found += self.written("mix", "mix", bit_depth)
        if "stems" in wanted.kinds:
            for role in self.plan.roles:
                found += self.written("stem", f"stem-{role.file_part}", STEM_BIT_DEPTH)
        for kind in self.parts:
            found += self.written(kind, kind, bit_depth)
        for files, _copy in self.copies(Path()):
            found += files
        return [file.file for file in found]

    def _name(self, role: str, suffix: str, rate: str, usual_rate: str = "") -> str:
        name = self._own_name(role, suffix, rate, usual_rate)
        return f"{self.order.spec.spec_id}/{name}" if self.origin.has_folders else name

    def _own_name(self, role: str, suffix: str, rate: str, usual_rate: str) -> str:
        spec, made_at = self.order.spec, self.origin.made_at
        if not spec.form.names:
            return f"{role}-{spec.spec_id}{usual_rate}{suffix}"
        facts = {
            "title": self.plan.title or "untitled",
            "version": self.origin.version,
            "spec": spec.spec_id,
            "role": role,
            "lang": spec.form.language,
            "date": made_at.strftime("%Y-%m-%d") if made_at else "",
            "rate": rate,
        }
        return file_name(spec.form.names, facts, suffix)


def stem_bit_depth(stem_peak_dbfs: float, rate_hz: int) -> int:
    """Whole numbers unless a stem alone passes full scale; another rate can lift its peaks by some tenths."""
    return STEM_BIT_DEPTH if stem_peak_dbfs < (-0.01 if rate_hz == RATE_HZ else -1.0) else FLOAT_BITS


def require_possible(planned: Sequence[Planned]) -> None:
    """Refuse files that cannot be made, before anything is rendered.

    Raises:
        PlanError: two files of one name, no picture for a film, one that the container does not take, a bit rate that a
            codec does not offer, more than an AIFF holds, or a start that the frame rate does not have.
            UnreadableMedia: a picture that cannot be read.
    """
    for one in planned:
        for name, bit_rate_kbps in one.order.wanted.codecs:
            checked_bit_rate(codec_by_name(name), bit_rate_kbps)
        form = one.order.spec.form
        try:
            if form.start_timecode:
                samples_from_timecode(form.start_timecode, one.plan.frame_rate)
        except RangeError as error:
            raise PlanError(
                "start_not_at_rate", field="form.start_timecode", found=form.start_timecode, rate=one.plan.frame_rate
            ) from error
        if one.order.wanted.kinds:
            require_container(one.shape("mix", STEM_BIT_DEPTH))
        if "film" in one.order.wanted.kinds:
            film = one.origin.film
            if film is None:
                raise PlanError("no_picture_for_film", field="files")
            film_form(Path(f"film{film.suffix}"), picture_coding(film.picture))
            if "stems" in one.order.wanted.film_tracks and not _can_be_tracks(one.order):
                raise PlanError("no_stems_for_film", field="files")
            if "captions" in one.order.wanted.film_tracks and not film.captions:
                raise PlanError("no_captions_for_film", field="files")
    require_apart([name for one in planned for name in one.names()], OWN_NAMES)


def _can_be_tracks(order: Order) -> bool:
    """Whether the stems of an order can be read as tracks of its film."""
    form = order.spec.form
    is_one_file = form.channels is not Channels.TWO_MONO
    return "stems" in order.wanted.kinds and form.rate_hz == RATE_HZ and is_one_file


def has_copies(planned: Planned) -> bool:
    """Whether any file is made of the finished mix."""
    return bool(planned.copies(Path()))


def is_mono(order: Order) -> bool:
    """Whether the files have one channel."""
    return order.spec.form.channels is Channels.MONO
