"""A mix listened to as a listener would: which words of the dialogue are lost in it."""

import hashlib
from typing import Any

from django.db import transaction

from recitant_core.errors import EditRefused
from recitant_core.ports import Progress
from recitant_core.transcript.lost import (
    Count,
    HeardWords,
    LostPassage,
    Understood,
    WordState,
    counted,
    heard_as_listener,
    lost_passages,
)
from recitant_core.transcript.model import Word
from recitant_core.units.arrays import FloatArray
from recitant_io.hearing.listener import dialogue_alone, listening_chunks, whole_mix
from recitant_text.messages import Message, notice_message
from recitant_web.desk.mapping.plans import sources_of_plan
from recitant_web.jobs.actions import start_job
from recitant_web.jobs.queries import is_under_way
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.transcript.actions import model_now
from recitant_web.transcript.models import Listening

LISTEN_FOR_WORDS = "listening.words"


def ask_listening(programme: Programme) -> None:
    """Have the mix of a programme listened to for lost words, unless it is under way.

    Raises:
        EditRefused: nobody speaks in it. WordsUnavailable: there is no model.
    """
    if not Snapshot(programme).talk.spans:
        raise EditRefused("nobody_speaks")
    model_now()
    payload: dict[str, object] = {"programme_id": programme.pk}
    with transaction.atomic():
        Programme.objects.select_for_update().get(pk=programme.pk)  # two presses at once are one
        if not is_under_way(programme.workspace, LISTEN_FOR_WORDS, payload):
            job = start_job(
                programme.workspace,
                LISTEN_FOR_WORDS,
                payload,
                about=programme.title,
                programme_number=programme.pk,
            )
            Listening.objects.update_or_create(programme=programme, defaults={"job": job})


def listen_for_words(programme_id: int, progress: Progress) -> Message:
    """Listen to the mix and to its dialogue alone, as it is when the work begins.

    Raises:
        WordsUnavailable: no model, or none for the language. Cancelled: ``progress`` stopped it.
    """
    programme = Programme.objects.get(pk=programme_id)
    snapshot = Snapshot(programme)
    plan, key = snapshot.plan, snapshot.key
    model = model_now()
    kept, _ = Listening.objects.get_or_create(programme=programme, defaults={"model": model.name[:120]})
    known = _kept_chunks(kept) if kept.model == model.name[:120] else {}
    sources = sources_of_plan(programme)
    alone, mix = dialogue_alone(plan, sources), whole_mix(plan, sources)
    chunks = listening_chunks(alone, snapshot.talk.spans)
    language = programme.language or "en"
    heard = HeardWords(known, lambda dry, wet: _hash_of(language, dry, wet))
    words = heard_as_listener(alone, mix, chunks, model, language, progress, heard)
    fields = {
        "plan_key": key,
        "model": model.name[:120],
        "words": [_row(one) for one in words],
        "chunks": {name: [_row(one) for one in found] for name, found in heard.used.items()},
    }
    Listening.objects.filter(pk=kept.pk).update(**fields)
    return notice_message("mix_listened_to")


def understood_words(programme: Programme, key: str) -> tuple[list[Understood], bool]:
    """Words of the mix as heard last, and whether that is a certain mix; empty where it was never listened to.

    Args:
        key: of that mix; see Snapshot.key.
    """
    found = Listening.objects.filter(programme=programme).exclude(plan_key="").values_list("words", "plan_key").first()
    if found is None:
        return [], False
    rows, heard_key = found
    return [_understood(row) for row in rows], heard_key == key


def lost_in(programme: Programme, key: str) -> tuple[Count, list[LostPassage]] | None:
    """Lost words of a mix; None where it was not listened to, or cannot be judged."""
    words, is_of_mix = understood_words(programme, key)
    count = counted(words)
    return (count, lost_passages(words)) if is_of_mix and count.can_judge else None


def _hash_of(language: str, *audio: FloatArray) -> str:
    found = hashlib.blake2b(language.encode(), digest_size=12)
    for one in audio:
        found.update(one.astype("<f4").tobytes())
    return found.hexdigest()


def _kept_chunks(kept: Listening) -> dict[str, list[Understood]]:
    return {name: [_understood(row) for row in rows] for name, rows in kept.chunks.items()}


def _row(one: Understood) -> list[Any]:
    word = one.word
    return [word.text, word.start_sample, word.end_sample, word.confidence, one.state.value, one.heard_as]


def _understood(row: list[Any]) -> Understood:
    text, start, end, confidence, state, heard_as = row
    return Understood(Word(text, start, end, confidence), WordState(state), heard_as)
