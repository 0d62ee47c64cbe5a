"""Recordings heard for words in the background, and who speaks in them."""

import time
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from django.conf import settings
from django.db import transaction

from recitant_core.errors import EditRefused
from recitant_core.ports import Progress
from recitant_core.speakers.encoder import Single
from recitant_core.speakers.grouping import groups_of, named, voice_windows, with_speakers
from recitant_core.speech.corrections import corrected
from recitant_core.transcript.hearing import transcribe
from recitant_core.transcript.model import Word, is_doubtful
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_io.hearing.speech import speech_spans
from recitant_io.hearing.transcriber import WhisperTranscriber, transcriber
from recitant_io.hearing.voices import voice_vectors
from recitant_io.store.conform import stored_total_energy
from recitant_text.messages import Message, notice_message
from recitant_web.jobs.actions import require_turn, start_job
from recitant_web.jobs.queries import is_under_way
from recitant_web.programme.models import Programme, Source, SourceState
from recitant_web.programme.queries import conformed_folder, heard_speech, marks_from_data, stored_source
from recitant_web.transcript.models import Speaker, Transcript
from recitant_web.transcript.queries import words_from_data

HEAR = "transcript.hear"
MOST_TERMS = 500
MOST_TERM_LETTERS = 60
_KEPT_EVERY_S = 5.0
_VECTOR = 256
_FULL = 255.0


def model_now() -> WhisperTranscriber:
    """The model that hears words here.

    Raises:
        WordsUnavailable: there is none, or it cannot be loaded.
    """
    wanted = settings.RECITANT_WORDS_MODEL
    return transcriber(Path(wanted) if wanted else None)


def hear_recordings(programme: Programme, source_ids: Sequence[int], *, again: bool = False) -> int:
    """Have recordings heard for words; how many are.

    Args:
        again: also those that were heard already.
    """
    sources = programme.sources.filter(pk__in=source_ids, state=SourceState.READY)
    if not again:
        sources = sources.exclude(transcript__model__gt="")
    n_sent = 0
    require_turn(programme.workspace)
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=programme.pk)  # two presses at once are one
        for source in sources:
            payload: dict[str, object] = {"source_id": source.pk}
            if is_under_way(programme.workspace, HEAR, payload):
                continue
            job = start_job(programme.workspace, HEAR, payload, about=source.name, programme_number=programme.pk)
            Transcript.objects.update_or_create(source=source, defaults={"job": job})
            n_sent += 1
    return n_sent


def hear(source_id: int, progress: Progress) -> Message:
    """Hear one recording for words and voices, and tell apart who speaks in its programme.

    Raises:
        WordsUnavailable: no model, or none for the language of the programme.
    """
    source = Source.objects.select_related("programme__workspace").get(pk=source_id)
    programme = source.programme
    model = model_now()
    recording = stored_source(source.sha256, source.ready_n_channels)
    energy = stored_total_energy(conformed_folder(source.sha256))
    found_speech = heard_speech(source)
    if not source.is_listened:  # what is there is a first answer from energy alone
        found_speech = corrected(speech_spans(recording, energy), marks_from_data(source.speech_marks))
    speech = [span.span for span in found_speech]
    glossary = programme.workspace.glossary
    heard = transcribe(
        recording,
        speech,
        energy,
        model,
        programme.language,
        glossary,
        lambda share: progress(0.8 * share),
        _keeper_of_words_so_far(source),
    )
    windows = voice_windows(heard.words)
    vectors = voice_vectors(recording, windows, lambda share: progress(0.8 + 0.2 * share))
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=programme.pk)
        found, _ = Transcript.objects.select_for_update().get_or_create(source=source)
        found.words = [_row(word) for word in heard.words]
        found.language, found.model = heard.language, model.name[:120]
        found.is_doubtful = is_doubtful(heard.words, sum(span.length_samples for span in speech) / RATE_HZ)
        found.windows = [[span.start_sample, span.length_samples] for span in windows]
        found.voices = np.round(np.clip(vectors, 0.0, 1.0) * _FULL).astype(np.uint8).tobytes()
        found.stamp += 1
        found.save()
        _tell_apart(programme)
    return notice_message("words_heard")


def _keeper_of_words_so_far(source: Source) -> Callable[[Sequence[Word]], None]:
    """Keeps words while the rest is being transcribed, so that people read on; nothing where all were there before."""
    kept_at_s = time.monotonic()
    is_first_time = not Transcript.objects.filter(source=source).exclude(model="").exists()

    def keep(words: Sequence[Word]) -> None:
        nonlocal kept_at_s
        if not is_first_time or time.monotonic() - kept_at_s < _KEPT_EVERY_S:
            return
        kept_at_s = time.monotonic()
        rows = [_row(word) for word in words]
        with transaction.atomic():
            found, _ = Transcript.objects.select_for_update().get_or_create(source=source)
            # Without the name of a model it counts as not heard: what stops here is heard from the start again.
            found.words, found.stamp = rows, found.stamp + 1
            found.save(update_fields=["words", "stamp"])

    return keep


def tell_apart(programme: Programme) -> None:
    """Tell apart anew who speaks in all recordings of a programme; corrections by hand stay."""
    with transaction.atomic():
        _tell_apart(Programme.objects.select_for_update().get(pk=programme.pk))


def keep_glossary(programme: Programme, text: str) -> list[str]:
    """Keep the names and terms of a workspace, one a line; they come back as they are kept.

    Raises:
        EditRefused: too many, or one too long.
    """
    terms = list(dict.fromkeys(" ".join(line.split()) for line in text.splitlines() if line.strip()))
    if len(terms) > MOST_TERMS:
        raise EditRefused("too_many_terms", most=MOST_TERMS)
    for term in terms:
        if len(term) > MOST_TERM_LETTERS:
            raise EditRefused("term_too_long", term=f"{term[:30]}…", most=MOST_TERM_LETTERS)
    programme.workspace.glossary = terms
    programme.workspace.save(update_fields=["glossary"])
    return terms


def _tell_apart(programme: Programme) -> None:
    # All recordings together: who speaks in one is known in the others. Names stay with whose voice is nearest.
    transcripts = list(Transcript.objects.filter(source__programme=programme).exclude(model="").order_by("pk"))
    vectors = [_vectors(one) for one in transcripts]
    together = np.concatenate(vectors) if vectors else np.zeros((0, _VECTOR), np.float32)
    if not len(together):
        return
    groups = groups_of(together, programme.n_speakers)
    known = [row for row in Speaker.objects.filter(programme=programme).order_by("pk") if row.voice]
    voices = np.array([row.voice for row in known]) if known else np.zeros((0, _VECTOR))
    ids = []
    for group, same in zip(groups, named(groups, voices), strict=True):
        row = known[same] if same is not None else Speaker(programme=programme)
        row.voice = [round(float(value), 4) for value in group]
        if same is None:
            row.name = f"Speaker {Speaker.objects.filter(programme=programme).count() + 1}"
        row.save()
        ids.append(str(row.pk))
    for transcript, mine in zip(transcripts, vectors, strict=True):
        windows = [SampleSpan(start, length) for start, length in transcript.windows]
        words = with_speakers(words_from_data(transcript.words), windows, mine, groups, ids)
        rows = [_row(word) for word in words]
        if rows != transcript.words:
            transcript.words, transcript.stamp = rows, transcript.stamp + 1
            transcript.save(update_fields=["words", "stamp"])


def _vectors(transcript: Transcript) -> Single:
    flat = np.frombuffer(bytes(transcript.voices), np.uint8).reshape(-1, _VECTOR).astype(np.float32)
    return np.asarray(flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-6), dtype=np.float32)


def _row(word: Word) -> list[object]:
    return [word.text, word.start_sample, word.end_sample, word.confidence, int(word.speaker or 0)]
