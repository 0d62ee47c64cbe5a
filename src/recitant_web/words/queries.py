"""The state of the Words page."""

from operator import itemgetter
from pathlib import Path
from typing import Any, Final

from django.conf import settings

from recitant_core.balance.closeness import diagnoses_of_lost
from recitant_core.captions.rules import all_broken
from recitant_core.delivery.specification.model import Spec
from recitant_core.errors import EditRefused, WordsUnavailable
from recitant_core.render.accepted import accepted_spans, is_accepted
from recitant_core.timeline.model import Clip, Plan
from recitant_core.timeline.people import NUMBERED
from recitant_core.timeline.words import SpokenTurn, turns_in_programme
from recitant_core.transcript.fillers import LONG_PAUSE_S, Superfluous, fillers_of, pauses_of
from recitant_core.transcript.lost import LostPassage, counted, lost_passages
from recitant_core.transcript.model import Word
from recitant_core.transcript.spelling import plain, plain_words
from recitant_core.transcript.topics import proposed_chapters
from recitant_core.units.roles import Role
from recitant_core.units.timecode import frame_rate
from recitant_io.hearing.transcriber import model_folder
from recitant_text.balance import cause_words, diagnosis_data
from recitant_text.sentences import sentence
from recitant_text.transcripts import broken_words, count_words, doubt_words, lost_words
from recitant_web.desk.log import steps_beside
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.people import names_of_people
from recitant_web.jobs.models import Job, JobState
from recitant_web.jobs.queries import note_of
from recitant_web.listening.figures import figures_of, spec_data
from recitant_web.listening.lost import understood_words
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme, SourceState
from recitant_web.programme.queries import picture_data
from recitant_web.shared.caches import Cache
from recitant_web.transcript.models import Listening, Transcript
from recitant_web.transcript.queries import cues_of_programme, rules_of, words_of

State = dict[str, Any]
UNSURE, BY_HAND, LEFT_OUT = 1, 2, 4
"""What is marked on a word, added up."""
MOST_LOST: Final = 60
"""Passages that are looked into; more are listed without their cures."""
MOST_FOUND: Final = 200
_lost: Cache[State] = Cache("words lost in mixes", 16_000_000, lambda state: 4_096 + 800 * len(state["passages"]))


def words_state(programme: Programme) -> State:
    """Everything the Words page shows, as JSON data."""
    programme.refresh_from_db()
    snapshot = Snapshot(programme)
    return _settings(snapshot) | figures_of(snapshot) | {"lost": lost_state(snapshot)}


def words_state_soon(programme: Programme, held: State, *, is_silent: bool) -> State:
    """The state after an edit with the figures of the state that a page holds: they say which revision they are of.

    Args:
        is_silent: whether the edit changed nothing that is heard, so that figures stay what they are.
    """
    programme.refresh_from_db()
    is_still = is_silent and held["figures_of"] == held["revision"]
    if not is_still:
        return held | _settings(Snapshot(programme))
    return held | _text(Snapshot(programme)) | {"rules": rules_data(programme), "figures_of": programme.revision}


def _settings(snapshot: Snapshot) -> State:
    programme, plan = snapshot.programme, snapshot.plan
    return _text(snapshot) | {
        "sound": snapshot.key,
        "title": programme.title,
        "frame_rate": programme.frame_rate,
        "length_samples": plan.span.length_samples,
        "rules": rules_data(programme),
        "picture": picture_data(programme),
        "picture_offset_samples": programme.picture_offset_samples,
        "staves": _staves(plan, snapshot.spec),
        "hearing": hearing_state(programme, plan),
        "spec": spec_data(snapshot.spec, snapshot.plan.layout),
    }


def _text(snapshot: Snapshot) -> State:
    """Fields that an edit of words and captions can change."""
    programme, plan = snapshot.programme, snapshot.plan
    spoken = turns_in_programme(plan, words_of(programme), with_left_out=True)
    fillers, pauses = superfluous(spoken)
    roles = {track.track_id: track.role for track in plan.tracks}
    return {
        "revision": programme.revision,
        "turns": [_turn_row(one, roles[one.track_id]) for one in spoken],
        "speakers": _speaker_rows(programme, plan, spoken),
        "tracks": _track_rows(plan, spoken),
        "fillers": fillers,
        "pauses": pauses,
        "captions": caption_rows(programme),
        **steps_beside(programme),
    }


def _turn_row(one: SpokenTurn, role: Role) -> State:
    turn = one.turn
    return {
        "id": f"{one.clip_ids[0]}-{turn.span.start_sample}",
        "track_id": one.track_id,
        "role": role.kind.value,
        "letter": role.letter,
        "who": turn.speaker,
        "at": turn.span.start_sample,
        "words": [[word.text, word.start_sample, word.end_sample, _flags(word)] for word in turn.words],
    }


def _flags(word: Word) -> int:
    by_hand = BY_HAND if word.confidence == 1.0 else 0
    return (UNSURE if word.is_unsure else 0) + by_hand + (LEFT_OUT if word.is_left_out else 0)


def _speaker_rows(programme: Programme, plan: Plan, spoken: list[SpokenTurn]) -> list[State]:
    counts: dict[str, int] = {}
    for one in spoken:
        counts[one.turn.speaker] = counts.get(one.turn.speaker, 0) + len(one.turn.words)
    names = names_of_people(programme, plan, spoken)
    # A number that nobody speaks under any more was a group of an earlier telling apart.
    shown = [(pk, name) for pk, name in names.items() if counts.get(pk) or not NUMBERED.fullmatch(name)]
    return [{"id": pk, "name": name, "n_words": counts.get(pk, 0)} for pk, name in shown]


def _track_rows(plan: Plan, spoken: list[SpokenTurn]) -> list[State]:
    """Tracks on which somebody speaks, and whether all of it is left out of the text."""
    out: dict[str, bool] = {}
    for one in spoken:
        is_out = all(word.is_left_out for word in one.turn.words)
        out[one.track_id] = out.get(one.track_id, True) and is_out
    names = {track.track_id: track.name for track in plan.tracks}
    return [{"id": track_id, "name": names[track_id], "is_out": is_out} for track_id, is_out in out.items()]


def superfluous(spoken: list[SpokenTurn]) -> tuple[list[State], list[State]]:
    """Filler words and long pauses by track, as JSON data."""
    # A pause between two clips was made on the timeline: only those inside of clips are looked at.
    by_clip: dict[tuple[str, str], list[Word]] = {}
    for one in spoken:
        for word, clip_id in zip(one.turn.words, one.clip_ids, strict=True):
            if not word.is_left_out:
                by_clip.setdefault((one.track_id, clip_id), []).append(word)
    fillers, pauses = [], []
    for (track_id, _), words in by_clip.items():
        fillers += [_stretch(track_id, one) for one in fillers_of(words)]
        pauses += [_stretch(track_id, one) for one in pauses_of(words, LONG_PAUSE_S)]
    return sorted(fillers, key=itemgetter("from")), sorted(pauses, key=itemgetter("from"))


def _stretch(track_id: str, one: Superfluous) -> State:
    span = one.span
    return {"track_id": track_id, "from": span.start_sample, "to": span.end_sample, "text": one.text}


def caption_rows(programme: Programme) -> list[State]:
    """Captions in the order of their start, with what each breaks."""
    cues = cues_of_programme(programme)
    broken = all_broken(cues, rules_of(programme), frame_rate(programme.frame_rate))
    ids = programme.captions.order_by("start_sample", "pk").values_list("pk", flat=True)
    return [
        {
            "id": pk,
            "from": cue.start_sample,
            "to": cue.end_sample,
            "text": cue.text,
            "cps": round(cue.characters_s, 1),
            "broken": [broken_words(one) for one in found],
        }
        for pk, cue, found in zip(ids, cues, broken, strict=True)
    ]


def rules_data(programme: Programme) -> State:
    """The rules of the captions as JSON data."""
    rules = rules_of(programme)
    return {
        "most_characters": rules.most_characters,
        "most_lines": rules.most_lines,
        "most_characters_s": rules.most_characters_s,
        "least_s": round(rules.least_s, 2),
        "most_s": rules.most_s,
        "gap_frames": rules.gap_frames,
    }


def _staves(plan: Plan, spec: Spec) -> list[State]:
    return [
        {
            "id": role.value,
            "name": role.label,
            "is_speech": role.is_speech,
            "aim_lufs": spec.aim_lufs(role),
            "track_ids": [track.track_id for track in plan.tracks if track.role is role],
            "clips": [_clip_row(clip) for track in plan.tracks if track.role is role for clip in track.in_mix],
        }
        for role in plan.roles
    ]


def _clip_row(clip: Clip) -> State:
    return {"id": clip.clip_id, "name": clip.name, "from": clip.start_sample, "to": clip.span.end_sample}


def speech_sources(programme: Programme, plan: Plan) -> list[int]:
    """Recordings with clips on tracks of narration or dialogue, that hold sound of their own."""
    keys = {key for track in plan.tracks if track.role.is_speech for key in track.source_keys}
    rows = programme.sources.filter(sha256__in=keys, state=SourceState.READY).exclude(kind="tone")
    return sorted({origin or pk for pk, origin in rows.values_list("pk", "varied_from")})


def hearing_state(programme: Programme, plan: Plan) -> State:
    """State of hearing: recordings there are and were heard, work under way, and what stands in the
    way."""
    ids = speech_sources(programme, plan)
    rows = Transcript.objects.filter(source__in=ids).select_related("job", "source").defer("words", "voices", "windows")
    heard = [row for row in rows if row.model]
    jobs = [row.job for row in rows if row.job is not None]
    listening = Listening.objects.filter(programme=programme).select_related("job").first()
    return {
        "n_recordings": len(ids),
        "n_heard": len(heard),
        "language": programme.language,
        "n_speakers": programme.n_speakers,
        "glossary": "\n".join(programme.workspace.glossary),
        "missing": missing_model(),
        "doubt": doubt_words([row.source.name for row in heard if row.is_doubtful]),
        "work": _work(jobs),
        "listening": _work([listening.job] if listening is not None and listening.job is not None else []),
    }


def missing_model() -> str:
    """Reason why words cannot be heard here, as a sentence; empty where they can."""
    try:
        model_folder(Path(settings.RECITANT_WORDS_MODEL) if settings.RECITANT_WORDS_MODEL else None)
    except WordsUnavailable as error:
        return sentence(error)
    return ""


def _work(jobs: list[Job]) -> State:
    is_open = [job for job in jobs if job.is_open]
    newest = max(jobs, key=lambda job: job.pk, default=None)
    failed = [job.sentence for job in jobs if job.state in ("refused", "crashed")]
    share = sum(job.share if job.is_open else 1.0 for job in jobs) / len(jobs) if jobs else 0.0
    working = next((job for job in is_open if job.state == JobState.WORKING), None)
    first = working or next(iter(is_open), None)
    return {
        "is_open": bool(is_open),
        "share": round(share, 3),
        "note": note_of(first) if first is not None else "",
        "sentence": "" if is_open or newest is None else next(iter(failed), ""),
    }


def lost_state(snapshot: Snapshot) -> State:
    """Words that are lost in the mix as it was heard last, with cause and cures in the mix of now."""
    words, is_current = understood_words(snapshot.programme, snapshot.key)
    if not words:
        return {"is_heard": False, "is_current": False, "sentence": "", "n_lost": 0, "n_judged": 0, "passages": []}
    key = (snapshot.moment, snapshot.key, len(words), hash(tuple((w.word.start_sample, w.state) for w in words)))
    return _lost.get_or_make((key, is_current), lambda: _lost_data(snapshot, words, is_current=is_current))


def _lost_data(snapshot: Snapshot, words: list[Any], *, is_current: bool) -> State:
    count, passages = counted(words), lost_passages(words)
    accepted = accepted_spans(snapshot.plan)
    shown = passages if count.can_judge else []
    diagnosed = []
    if len(shown) <= MOST_LOST and snapshot.plan.span.length_samples:
        energies, speech = snapshot.energies, snapshot.speech
        spans = [one.span for one in shown]
        asked = snapshot.programme.clearance_lu
        diagnosed = diagnoses_of_lost(spans, snapshot.scene, snapshot.plan, energies, speech, snapshot.spec, asked)
    rows = []
    for at, passage in enumerate(shown):
        row = _passage_row(passage) | {"is_accepted": is_accepted(passage.span, accepted)}
        if diagnosed:
            found = diagnosis_data(diagnosed[at])
            row |= {"cause": cause_words(diagnosed[at]), "cures": found["cures"], "why": found["sentence"]}
        rows.append(row)
    open_words = sum(row["n_words"] for row in rows if not row["is_accepted"])
    return {
        "is_heard": True,
        "is_current": is_current,
        "can_judge": count.can_judge,
        "sentence": count_words(count),
        "n_lost": open_words if count.can_judge else 0,
        "n_judged": count.n_steady,
        "passages": rows,
    }


def _passage_row(passage: LostPassage) -> State:
    return {
        "id": passage.span.start_sample,
        "from": passage.span.start_sample,
        "to": passage.span.end_sample,
        "text": passage.text,
        "n_words": len(passage.words),
        "words": [[one.word.start_sample, one.word.end_sample, one.word.text] for one in passage.words],
        "sentence": lost_words(passage),
        "cause": "",
        "why": "",
        "cures": [],
    }


def proposed_data(programme: Programme) -> list[State]:
    """Chapters proposed from what is said.

    Raises:
        EditRefused: too little is said.
    """
    turns = [one.turn for one in turns_in_programme(plan_of(programme), words_of(programme))]
    found = proposed_chapters(turns)
    if not found:
        raise EditRefused("no_chapters_found")
    return [{"at_sample": one.at_sample, "text": one.title} for one in found]


def found_in_workspace(programmes: list[Programme], text: str) -> list[State]:
    """Places where words follow each other in programmes: programme, place and the words around."""
    wanted = plain_words(text)
    found: list[State] = []
    if not wanted:
        return found
    for programme in programmes:
        # In the order of the text, so that a phrase is found from one turn into the next.
        said = [word for one in turns_in_programme(plan_of(programme), words_of(programme)) for word in one.turn.words]
        spelled = [plain(word.text) for word in said]
        for at in range(len(spelled) - len(wanted) + 1):
            part = spelled[at : at + len(wanted)]
            if part[:-1] != wanted[:-1] or not part[-1].startswith(wanted[-1]):
                continue
            around = " ".join(word.text for word in said[max(0, at - 5) : at + len(wanted) + 5])
            place = {"programme": programme.pk, "title": programme.title, "at": said[at].start_sample}
            found.append(place | {"text": around})
            if len(found) >= MOST_FOUND:
                return found
    return found
