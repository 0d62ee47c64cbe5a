"""What the Words page has done besides edits: hearing, listening, importing, exporting."""

import json

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_core.timeline.words import turns_in_programme
from recitant_io.media.caption_files import MOST_BYTES, captions_text
from recitant_io.media.confined import read_captions
from recitant_text.transcripts import transcript_data, transcript_markdown, transcript_text
from recitant_web.desk.edits.captions import imported_captions
from recitant_web.desk.log import lock, record
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.people import names_of_people
from recitant_web.jobs.actions import ask_cancel
from recitant_web.jobs.models import Job
from recitant_web.listening.lost import ask_listening
from recitant_web.programme.models import Programme
from recitant_web.transcript.actions import hear_recordings, keep_glossary, model_now, tell_apart
from recitant_web.transcript.queries import cues_of_programme, words_of
from recitant_web.words.forms import HearWords, KeepGlossary, ListenToMix, StopWork, TellApart, Work
from recitant_web.words.queries import speech_sources

TEXT_FORMS = {"txt": "text/plain", "md": "text/markdown", "json": "application/json"}
CAPTION_FORMS = {"srt": "application/x-subrip", "vtt": "text/vtt", "ttml": "application/ttml+xml"}
MOST_PEOPLE = 20
MOST_CAPTION_BYTES = MOST_BYTES


def do_work(programme: Programme, asked: Work) -> None:
    """Begin, or stop, what is asked for.

    Raises:
        EditRefused: nothing to hear, or values that cannot be. WordsUnavailable: no model.
    """
    match asked:
        case HearWords():
            _hear(programme, asked)
        case ListenToMix():
            ask_listening(programme)
        case KeepGlossary():
            keep_glossary(programme, asked.text)
        case TellApart():
            _set(programme, n_speakers=_people(asked.n_speakers))
            tell_apart(programme)
        case StopWork():
            mine = Job.objects.filter(workspace=programme.workspace, state__in=("waiting", "working"))
            ids = set(programme.sources.values_list("pk", flat=True))
            for job in mine.filter(kind__in=("transcript.hear", "listening.words")):
                if job.payload.get("programme_id") == programme.pk or job.payload.get("source_id") in ids:
                    ask_cancel(job)


def _hear(programme: Programme, asked: HearWords) -> None:
    language = asked.language.lower()
    if language and not (len(language) in (2, 3) and language.isascii() and language.isalpha()):
        raise EditRefused("not_a_language_code", found=asked.language)
    model_now()
    _set(programme, language=language, n_speakers=_people(asked.n_speakers))
    ids = speech_sources(programme, plan_of(programme))
    if not ids:
        raise EditRefused("nothing_to_hear")
    hear_recordings(programme, ids, again=asked.is_again)


def _people(n_speakers: int | None) -> int | None:
    if n_speakers is not None and not 1 <= n_speakers <= MOST_PEOPLE:
        raise EditRefused("how_many_speak", most=MOST_PEOPLE)
    return None if n_speakers is None else int(n_speakers)


def _set(programme: Programme, **fields: object) -> None:
    Programme.objects.filter(pk=programme.pk).update(**fields)
    programme.refresh_from_db()


def import_captions(programme: Programme, user: User, name: str, data: bytes, revision: int) -> None:
    """All captions as a file has them, as one step that can be undone.

    Raises:
        CaptionError: a file that cannot be read. StaleRevision: someone else was faster.
    """
    cues = read_captions(data, name)
    with transaction.atomic():
        locked = lock(programme, revision)
        label, changes, made = imported_captions(locked, cues, name)
        record(locked, user, label, changes, made)


def exported(programme: Programme, form: str) -> tuple[str, str]:
    """Text or captions in a form; and its media type.

    Raises:
        MalformedRequest: no such form. EditRefused: no captions yet.
    """
    if form in CAPTION_FORMS:
        cues = cues_of_programme(programme)
        if not cues:
            raise EditRefused("no_captions_yet")
        return captions_text(cues, form, programme.language or "en"), CAPTION_FORMS[form]
    if form not in TEXT_FORMS:
        raise MalformedRequest("malformed", field="form")
    plan = plan_of(programme)
    spoken = turns_in_programme(plan, words_of(programme))
    turns, names = [one.turn for one in spoken], names_of_people(programme, plan, spoken)
    if form == "json":
        clips = {clip.clip_id: clip.name for track in plan.tracks for clip in track.clips}
        data = transcript_data(turns, names, [[clips[clip_id] for clip_id in one.clip_ids] for one in spoken])
        return json.dumps(data, ensure_ascii=False, indent=1), TEXT_FORMS[form]
    if form == "md":
        return transcript_markdown(turns, names, programme.title), TEXT_FORMS[form]
    return transcript_text(turns, names), TEXT_FORMS[form]
