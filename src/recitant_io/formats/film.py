"""The film with its new sound: the picture copied bit for bit, sound tracks beside it, in step to the sample.

Held to: tests/io/test_film.py
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any, Final

import av
import numpy as np

from recitant_core.captions.rules import Cue
from recitant_core.delivery.orders.chapters import Chapter
from recitant_core.errors import PlanError, UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_io.formats.film_captions import CaptionTrack
from recitant_io.formats.film_tracks import CopiedSound, FilmSound, FilmTrack, TrackForm, film_track
from recitant_io.formats.sound_file import SoundFileForm, sound_writer
from recitant_io.media.containers import DAMAGED, chapter_data, open_container, picture_stream
from recitant_io.media.storage import storage_errors

ORIGINAL: Final = "Original sound"
"""Name of a track that came with the picture, where it has none of its own."""
_BIT_DEPTH: Final = 24
_FRAMES_AT_ONCE: Final = 32
_AHEAD_S: Final = Fraction(1, 2)  # sound is written this far before the picture, as players read it


@dataclass(frozen=True)
class FilmForm:
    """A container that a picture can be copied into, and the sound that goes with it."""

    muxer: str
    sound: str
    """Its codec, as files of a delivery name it."""
    track: TrackForm
    pictures: tuple[str, ...] | None = None
    """Codecs of pictures that it takes; None where the muxer itself refuses."""
    options: Mapping[str, str] | None = None
    """For the muxer."""


# At 48,000 parts a second the edit list says to the sample where the sound begins.
_MOV_OPTIONS: Final = {"movflags": "+faststart", "movie_timescale": str(RATE_HZ)}
_MP4_PICTURES: Final = ("h264", "hevc", "av1", "mpeg4", "vp9")
FILM_FORMS: Final = {
    ".mp4": FilmForm(
        "mp4", "aac", TrackForm("aac", "fltp", 320), ("h264", "hevc", "av1", "mpeg4", "vp9"), _MOV_OPTIONS
    ),
    ".mov": FilmForm("mov", "pcm", TrackForm("pcm_s24le", "s32", None), None, _MOV_OPTIONS),
    ".mkv": FilmForm("matroska", "flac", TrackForm("flac", "s32", None)),
    ".webm": FilmForm("webm", "opus", TrackForm("libopus", "flt", 256), ("vp8", "vp9", "av1")),
}


@dataclass(frozen=True)
class PictureTimes:
    """Begin and end of a picture, in its own clock, and its codec."""

    first_pts: int
    time_base: Fraction
    length_samples: int
    """At 48 kHz, rounded."""
    coding: str
    """As FFmpeg names it."""


def picture_times(path: Path) -> PictureTimes:
    """Begin and end of a container's picture.

    Raises:
        UnreadableMedia: no picture, damaged, or an edit list that begins inside a group of pictures: those frames
            could not be left out of a copy.
    """
    try:
        with path.open("rb") as file, open_container(file, path) as container:
            stream = _picture(container, path)
            first, end = None, 0
            for packet in container.demux(stream):
                if not packet.size or packet.pts is None:
                    continue
                if packet.is_discard:
                    raise UnreadableMedia("picture_cut_inside", file=path.name)
                first = packet.pts if first is None else min(first, packet.pts)
                end = max(end, packet.pts + (packet.duration or 0))
            if first is None:
                raise UnreadableMedia("no_picture", file=path.name)
            length_samples = round((end - first) * stream.time_base * RATE_HZ)
            return PictureTimes(first, Fraction(stream.time_base), length_samples, stream.codec_context.name)
    except DAMAGED as error:
        raise UnreadableMedia("damaged", file=path.name, at_s=None) from error


def film_form(path: Path, coding: str) -> FilmForm:
    """The form that a film's name asks for.

    Args:
        coding: of the picture, as FFmpeg names it.

    Raises:
        PlanError: no container of this name, or one that does not take such a picture.
    """
    form = FILM_FORMS.get(path.suffix.lower())
    if form is None:
        raise PlanError("no_film_form", field="film", found=path.suffix, known=", ".join(FILM_FORMS))
    if form.pictures is not None and coding not in form.pictures:
        raise PlanError("picture_not_for_form", field="film", coding=coding, form=path.suffix)
    return form


def write_film(
    picture: Path,
    sounds: Sequence[FilmSound | CopiedSound],
    path: Path,
    offset_samples: int = 0,
    chapters: Sequence[Chapter] = (),
    bit_rate_kbps: int | None = None,
    progress: Progress = no_progress,
    captions: Sequence[Cue] | None = None,
) -> None:
    """A film that appears under its name when it is whole; removed if the work fails.

    Sound is as long as the picture: what reaches beyond is cut off, what is missing is silence.

    Args:
        picture: whose first picture stream is copied.
        sounds: in order; the first is the one that players choose.
        path: its suffix says which container: .mp4, .mov, .mkv, .webm.
        offset_samples: where the picture's first frame lies in the programme.
        chapters: of the programme, in order.
        bit_rate_kbps: of the sound that is encoded; as the container has it if None.
        progress: told the share done; may raise Cancelled.
        captions: as a track, in order of their start; None for none. In the language of the first sound.

    Raises:
        PlanError: a container that does not take this picture. UnreadableMedia: a picture that cannot be copied.
        StorageFull: no room left.
    """
    times = picture_times(picture)
    form = film_form(path, times.coding)
    coding = form.track if bit_rate_kbps is None else replace(form.track, bit_rate_kbps=bit_rate_kbps)
    part = path.with_name(f".{path.name}.part")
    try:
        with (
            storage_errors(),
            ExitStack() as stack,
            picture.open("rb") as file,
            open_container(file, picture) as original,
            av.open(str(part), "w", format=form.muxer, options=dict(form.options or {})) as film,
        ):
            source = _picture(original, picture)
            copy = film.add_stream_from_template(source)
            copy.time_base = source.time_base
            tracks: list[FilmTrack] = [
                film_track(film, coding, one, offset_samples, times.length_samples, stack) for one in sounds
            ]
            if captions is not None:
                language = sounds[0].language
                tracks.append(CaptionTrack(film, captions, offset_samples, times.length_samples, language))
            film.set_chapters(chapter_data(chapters, offset_samples, times.length_samples))
            for packet in original.demux(source):
                if not packet.size:
                    continue
                at = packet.dts if packet.dts is not None else packet.pts
                at_s = (at - times.first_pts) * times.time_base
                for track in tracks:
                    track.write_until(at_s + _AHEAD_S)
                packet.pts = None if packet.pts is None else packet.pts - times.first_pts
                packet.dts = None if packet.dts is None else packet.dts - times.first_pts
                packet.stream = copy
                film.mux(packet)
                progress(min(1.0, float(at_s) * RATE_HZ / max(1, times.length_samples)))
            for track in tracks:
                track.finish()
        part.replace(path)
    except DAMAGED as error:
        raise UnreadableMedia("picture_not_copied", file=picture.name, form=path.suffix) from error
    finally:
        part.unlink(missing_ok=True)


def _picture(container: Any, path: Path) -> Any:
    found = picture_stream(container)
    if found is None:
        raise UnreadableMedia("no_picture", file=path.name)
    return found


def film_sound(path: Path, track: int = 0) -> Iterator[tuple[int, Audio]]:
    """The sound of a film as a player plays it: first sample after the picture's first frame, and float32 blocks."""
    times = picture_times(path)
    origin = times.first_pts * times.time_base
    with path.open("rb") as file, open_container(file, path) as container:
        stream = container.streams.audio[track]
        to_float = av.AudioResampler(format="flt", layout=stream.layout, rate=RATE_HZ)
        origin_samples, samples_a_tick = origin * RATE_HZ, stream.time_base * RATE_HZ
        is_whole = origin_samples.denominator == samples_a_tick.denominator == 1
        first, step = (int(origin_samples), int(samples_a_tick)) if is_whole else (origin_samples, samples_a_tick)
        for frame in container.decode(stream):
            at = round(frame.pts * step - first)
            if frame.format.name == "fltp" and frame.sample_rate == RATE_HZ:
                yield at, np.ascontiguousarray(frame.to_ndarray().T)
                continue
            for piece in to_float.resample(frame):
                yield at, piece.to_ndarray().reshape(-1, stream.channels).astype(np.float32, copy=False)


def original_sounds(picture: Path) -> list[CopiedSound]:
    """Every sound track that came with a picture, to be copied beside it with its name and language."""
    times = picture_times(picture)
    with picture.open("rb") as file, open_container(file, picture) as container:
        n_tracks = len(container.streams.audio)
    origin_s = times.first_pts * times.time_base
    return [CopiedSound(picture, index, origin_s, name=ORIGINAL) for index in range(n_tracks)]


@dataclass(frozen=True)
class FilmWanted:
    """Picture of the film of a delivery, and its place in the programme."""

    picture: Path
    suffix: str
    """Of the film's name: which container."""
    offset_samples: int = 0
    """Where the picture's first frame lies in the programme."""
    chapters: tuple[Chapter, ...] = ()
    """Of the programme, in order."""
    language: str = "und"
    """Of the sound, three letters after ISO 639-2."""
    captions: tuple[Cue, ...] = ()
    """Of the programme, in order of their start."""


def film_suffix(name: str) -> str:
    """The container for a film whose picture came in a file of this name: the same where it can be, else Matroska."""
    suffix = Path(name).suffix.lower()
    return suffix if suffix in FILM_FORMS else ".mkv"


@dataclass(frozen=True)
class FilmCopy:
    """A film whose sound is a mix. Implements copies.Copy."""

    path: Path
    wanted: FilmWanted
    n_channels: int
    length_samples: int
    """Of the mix."""
    bit_rate_kbps: int | None = None
    """Of its sound; as its container has it if None."""
    encoded: Path | None = None
    """An M4A file of the very mix that is written: its packets are copied, since AAC is slow to encode."""
    stems: tuple[FilmSound, ...] = ()
    """As further tracks."""
    has_original: bool = False
    """Whether the sound that came with the picture follows as further tracks."""
    has_captions: bool = False
    """Whether the captions are a track."""
    delay_samples: int = 0

    @property
    def offset_samples(self) -> int:
        """Sample of the mix at the picture's first frame."""
        return self.wanted.offset_samples

    def write(self, blocks: Iterable[Audio]) -> None:
        """Make the film.

        Args:
            blocks: of the mix; not read where it is encoded already.

        Raises:
            PlanError, UnreadableMedia: a picture that cannot be copied. StorageFull: no room left.
        """
        if self.encoded is not None:
            self._write(CopiedSound(self.encoded, is_filled=True, language=self.wanted.language))
            return
        sound = self.path.with_name(f".{self.path.name}.wav")
        try:
            with sound_writer(sound, SoundFileForm(self.n_channels, _BIT_DEPTH, self.length_samples)) as file:
                for block in blocks:
                    file.write_audio(block)
            self._write(FilmSound(sound, language=self.wanted.language))
        finally:
            sound.unlink(missing_ok=True)

    def _write(self, mix: FilmSound | CopiedSound) -> None:
        wanted = self.wanted
        original = original_sounds(wanted.picture) if self.has_original else []
        sounds = [mix, *self.stems, *original]
        captions = wanted.captions if self.has_captions else None
        places = (wanted.offset_samples, wanted.chapters, self.bit_rate_kbps)
        write_film(wanted.picture, sounds, self.path, *places, captions=captions)

    def expected_samples(self, length_samples: int) -> int:  # noqa: ARG002  a film is as long as its picture
        """Length of the picture, in samples."""
        return picture_times(self.wanted.picture).length_samples

    def played(self) -> Iterator[Audio]:
        """Blocks from the picture's first frame to its last, float32 (frames, channels)."""
        left, at_sample, waiting = picture_times(self.path).length_samples, 0, list[Audio]()
        for start, block in film_sound(self.path):
            part = block[max(0, at_sample - start) :][:left]
            at_sample += len(part)
            left -= len(part)
            if len(part):
                waiting.append(part)
            # Frames of a codec are short: what measures them is quicker with half a second at a time.
            if len(waiting) >= _FRAMES_AT_ONCE:
                yield np.concatenate(waiting)
                waiting.clear()
        if waiting:
            yield np.concatenate(waiting)
