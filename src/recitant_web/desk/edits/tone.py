"""Recordings that edits make: room tone as long as it is needed, and a tone that covers words."""

import hashlib

from recitant_core.delivery.judging.figures import readings_data
from recitant_core.timeline.room_tone import ToneStretch, repeated_tone
from recitant_core.timeline.word_cuts import BLEEP_DBFS, BLEEP_HZ, bleep
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import MONO, ChannelLayout
from recitant_core.units.clock import RATE_HZ
from recitant_io.store.conform import conform_blocks
from recitant_text.names import TONE_OVER_WORDS, room_tone_of
from recitant_web.programme.models import Programme, Source, SourceKind, SourceState
from recitant_web.programme.queries import conformed_folder, conformed_name, stored_source
from recitant_web.shared.media import keep

_VERSION = 1
_STEP_SAMPLES = 10 * RATE_HZ  # lengths are rounded up, so that a trim by hand finds more of it


def tone_source(programme: Programme, stretch: ToneStretch, length_samples: int) -> tuple[str, int]:
    """Key of a recording with room tone of a length, and where in it the tone begins.

    Inside a transaction: a recording that had to be made is a row of the programme.
    """
    if stretch.span.length_samples >= length_samples:
        return stretch.model.source_key, stretch.span.start_sample
    length = -(-length_samples // _STEP_SAMPLES) * _STEP_SAMPLES
    origin = programme.sources.filter(sha256=stretch.model.source_key)[0]
    text = f"{origin.sha256} tone {_VERSION} {stretch.span.start_sample} {stretch.span.length_samples} {length}"
    key = hashlib.sha256(text.encode()).hexdigest()
    if not _is_there(programme, key):
        recording = stored_source(origin.sha256, origin.ready_n_channels)
        quiet = recording.read(stretch.span.start_sample, stretch.span.length_samples)
        _make(programme, origin, room_tone_of(origin.name), key, repeated_tone(quiet, length), recording.layout)
    return key, 0


def bleep_source(programme: Programme, like_key: str, length_samples: int) -> str:
    """Key of a recording with a tone of 1 kHz of at least a length.

    Inside a transaction, as tone_source.

    Args:
        like_key: of a recording whose role it takes.
    """
    length = -(-length_samples // _STEP_SAMPLES) * _STEP_SAMPLES
    key = hashlib.sha256(f"bleep {_VERSION} {BLEEP_HZ} {BLEEP_DBFS} {length}".encode()).hexdigest()
    if not _is_there(programme, key):
        origin = programme.sources.filter(sha256=like_key)[0]
        _make(programme, origin, TONE_OVER_WORDS, key, bleep(length), MONO)
    return key


def _is_there(programme: Programme, key: str) -> bool:
    return bool(programme.sources.filter(sha256=key).exists())


def _make(programme: Programme, origin: Source, name: str, key: str, audio: Audio, layout: ChannelLayout) -> None:
    _, readings = conform_blocks([audio], layout, conformed_folder(key), lambda _done: None)
    keep(conformed_name(key))
    Source.objects.create(
        programme=programme,
        name=name[:255],
        role=origin.role,
        kind=SourceKind.TONE,
        state=SourceState.READY,
        varied_from=origin,
        original_file=origin.original_file,
        sha256=key,
        n_channels=layout.n_channels,
        rate_hz=origin.rate_hz,
        coding=origin.coding,
        length_samples=len(audio),
        readings=readings_data(readings),
        is_listened=True,
    )
