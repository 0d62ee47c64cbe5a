"""Films that take their sound from an M4A file of the same delivery: AAC is slow to encode, so it is encoded once.

Held to: tests/io/test_film.py
"""

from collections.abc import Sequence
from dataclasses import replace

from recitant_core.delivery.fitting.trial import Rendered
from recitant_core.delivery.orders.results import WrittenFile
from recitant_core.delivery.specification.model import Spec
from recitant_core.timeline.model import Plan
from recitant_io.delivery.encodes import CodecCopy, Copy, ProvedCopy, proved
from recitant_io.formats.film import FILM_FORMS, FilmCopy

PlannedCopy = tuple[list[WrittenFile], Copy]
_CODEC = "m4a"


def rows_of(copies: Sequence[PlannedCopy]) -> list[list[PlannedCopy]]:
    """Copies in rows: those of a row are made one after another, since the later ones take from the first."""
    rows: list[list[PlannedCopy]] = []
    encoded: list[PlannedCopy] | None = None
    for files, copy in copies:
        if encoded is not None and isinstance(copy, FilmCopy) and _can_share(copy):
            encoded.append((files, copy))
            continue
        rows.append([(files, copy)])
        if isinstance(copy, CodecCopy) and copy.codec.name == _CODEC and encoded is None:
            encoded = rows[-1]
    return rows


def _can_share(film: FilmCopy) -> bool:
    # A picture that begins before the programme would need sound that the file does not have.
    return FILM_FORMS[film.wanted.suffix].sound == "aac" and film.offset_samples >= 0


def film_of_encoded(
    plan: Plan, known: Rendered, spec: Spec, film: FilmCopy, encoded: CodecCopy, of_file: ProvedCopy
) -> ProvedCopy | None:
    """A film with the packets of an M4A file; None where its peaks or its times are not those of that file.

    Args:
        plan: of the mix.
        encoded: the file, at the bit rate of the film.
        of_file: what it plays back as.

    Raises:
        PlanError, UnreadableMedia, StorageFull: as the film does.
    """
    copy = replace(film, encoded=encoded.path)
    copy.write(())
    found = proved(plan, known, spec, copy, of_file.mix, of_file.master)
    # Its loudness may be another where the picture shows less than the whole programme, or more.
    highest_dbtp = max(spec.max_true_peak_dbtp, of_file.decoded.readings.true_peak_dbtp)
    is_as_good = found.decoded.readings.true_peak_dbtp <= highest_dbtp
    return found if is_as_good and found.decoded.shift_samples == of_file.decoded.shift_samples else None
