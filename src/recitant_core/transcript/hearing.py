"""A recording transcribed: stretches of speech given to a model one by one."""

from collections.abc import Callable, Sequence
from itertools import chain
from typing import Final

import numpy as np

from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.transcript.chunks import chunks_of
from recitant_core.transcript.edges import at_sound
from recitant_core.transcript.glossary import with_glossary
from recitant_core.transcript.model import Transcript, Word
from recitant_core.transcript.transcriber import Transcriber
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan, samples_from_s
from recitant_core.units.threads import in_order

PAD_S: Final = 0.2
"""Sound before and after a stretch of speech that the model hears too."""
_LEAST_WORD_S: Final = 0.03


def transcribe(
    source: SampleSource,
    speech: Sequence[SampleSpan],
    energy: FloatArray,
    transcriber: Transcriber,
    language: str = "",
    glossary: Sequence[str] = (),
    progress: Progress = no_progress,
    so_far: Callable[[Sequence[Word]], None] = lambda _words: None,
) -> Transcript:
    """Words of a recording, where somebody speaks in it.

    Args:
        source: the recording.
        speech: where somebody speaks, in order.
        energy: float64 (hops,), 10 ms energies of the recording.
        language: ISO 639-1 code; empty for whatever the first stretch turns out to be.
        glossary: names and terms that occur.
        so_far: told all words up to here after each stretch, as the model wrote them.

    Raises:
        Cancelled: ``progress`` stopped it. WordsUnavailable: the model cannot hear this language.
    """
    whole = SampleSpan(0, source.length_samples)
    pad = samples_from_s(PAD_S)
    chunks = [part for chunk in chunks_of(speech, energy) if (part := chunk.widen(pad, pad).intersect(whole))]
    total = sum(chunk.length_samples for chunk in chunks)
    words: list[Word] = []
    done = 0

    def hear(chunk: SampleSpan) -> Transcript:
        return transcriber.hear(mono_of(source, chunk), language, glossary)

    # The first stretch says which language it is; the rest is heard on all cores.
    first = [hear(chunk) for chunk in chunks[:1]]
    language = language or next((found.language for found in first), "")
    for chunk, found in zip(chunks, chain(first, in_order(hear, chunks[1:])), strict=True):
        words += _inside([word.moved(chunk.start_sample) for word in found.words], chunk)
        done += chunk.length_samples
        so_far(words)
        progress(done / total)
    placed = at_sound(_in_order(words), energy)
    return Transcript(with_glossary(placed, glossary), language if words else "")


def mono_of(source: SampleSource, span: SampleSpan) -> FloatArray:
    """The side of a recording that carries more of the voice, float64 (frames,).

    A sum would cancel a voice whose polarity is reversed on one side.
    """
    audio = source.read(span.start_sample, span.length_samples).astype(np.float64)
    if audio.shape[1] == 1:
        return audio[:, 0]
    power = (audio**2).mean(axis=0)
    total = audio.mean(axis=1)
    return total if (total**2).mean() >= 0.5 * power.max() else audio[:, int(np.argmax(power))]


def _inside(words: Sequence[Word], span: SampleSpan) -> list[Word]:
    least = samples_from_s(_LEAST_WORD_S)
    kept = []
    for word in words:
        start = max(word.start_sample, span.start_sample)
        end = max(min(word.end_sample, span.end_sample), start + least)
        if word.text.strip() and start < span.end_sample:
            kept.append(Word(word.text.strip(), start, end, word.confidence, word.speaker))
    return kept


def _in_order(words: Sequence[Word]) -> list[Word]:
    # A word ends where the next begins at the latest: models let them overlap by a few hundredths.
    found = sorted(words, key=lambda word: word.start_sample)
    kept: list[Word] = []
    for at, word in enumerate(found):
        end = min(word.end_sample, found[at + 1].start_sample) if at + 1 < len(found) else word.end_sample
        kept.append(Word(word.text, word.start_sample, max(end, word.start_sample + 1), word.confidence, word.speaker))
    return kept
