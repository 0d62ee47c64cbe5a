"""Words of recordings and who speaks them, by local models."""

from collections.abc import Mapping, Sequence

import numpy as np

from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.speakers.encoder import Single
from recitant_core.speakers.grouping import groups_of, voice_windows, with_speakers
from recitant_core.transcript.hearing import transcribe
from recitant_core.transcript.model import Transcript, Word
from recitant_core.transcript.transcriber import Transcriber
from recitant_io.hearing.speech import speech_spans
from recitant_io.hearing.voices import voice_vectors
from recitant_io.store.hop_energies import source_hop_energies


def recording_words(
    source: SampleSource,
    transcriber: Transcriber,
    language: str = "",
    glossary: Sequence[str] = (),
    progress: Progress = no_progress,
) -> Transcript:
    """Words of one recording; see transcribe.

    Raises:
        WordsUnavailable: the model cannot hear this language. Cancelled: ``progress`` stopped it.
    """
    energy = source_hop_energies(source).sum(axis=1)
    spans = [span.span for span in speech_spans(source, energy)]
    return transcribe(source, spans, energy, transcriber, language, glossary, progress)


def speakers_told_apart(
    words: Mapping[str, tuple[Word, ...]], sources: Mapping[str, SampleSource], n_speakers: int | None = None
) -> dict[str, tuple[Word, ...]]:
    """Words of some recordings with speakers ``1``, ``2`` and so on, the one who speaks most first.

    Args:
        n_speakers: None where it is to be estimated.

    Raises:
        WordsUnavailable: the model of voices is not installed.
    """
    windows = {key: voice_windows(mine) for key, mine in words.items()}
    vectors: dict[str, Single] = {key: voice_vectors(sources[key], spans) for key, spans in windows.items()}
    together = [one for one in vectors.values() if len(one)]
    if not together:
        return dict(words)
    groups = groups_of(np.concatenate(together), n_speakers)
    ids = [str(number) for number in range(1, len(groups) + 1)]
    return {key: with_speakers(mine, windows[key], vectors[key], groups, ids) for key, mine in words.items()}
