"""words: what is said in a recording or a plan, by whom, as text or captions, and what is lost in the mix."""

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from recitant_cli.telling import teller
from recitant_core.balance.closeness import diagnoses_of_lost
from recitant_core.captions.making import cues_of
from recitant_core.captions.rules import CaptionRules
from recitant_core.delivery.specification.catalogue import DEFAULT_SPEC_ID
from recitant_core.measure.clearance import DEFAULT_ASKED_LU
from recitant_core.ports import Progress
from recitant_core.render.scene import scene_of
from recitant_core.timeline.words import turns_in_programme
from recitant_core.transcript.lost import LostPassage, counted, lost_passages
from recitant_core.transcript.model import Turn, is_doubtful, turns_of
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import FRAME_RATES, frame_rate
from recitant_io.formats.spec_file import specs_of_texts
from recitant_io.hearing.transcriber import WhisperTranscriber, transcriber
from recitant_io.hearing.transcripts import recording_words, speakers_told_apart
from recitant_io.media.caption_files import captions_text, form_of
from recitant_io.media.decode import require_regular
from recitant_io.plan.plan_energies import dialogue_speech, plan_energies, with_rules_followed
from recitant_io.plan.plan_file import LoadedPlan, load_plan, load_recording
from recitant_io.plan.plan_words import plan_words, words_in_mix
from recitant_text.balance import cause_words
from recitant_text.transcripts import (
    clock,
    count_words,
    doubt_words,
    lost_data,
    lost_words,
    transcript_data,
    transcript_text,
)

_MOST_GLOSSARY_LETTERS: Final = 100_000


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Arguments of the command."""
    parser.add_argument("file", metavar="FILE|PLAN", type=Path, help="a recording, or a plan that ends in .json")
    parser.add_argument(
        "--model", type=Path, metavar="DIR", help="folder of a model; the small English one unless told"
    )
    parser.add_argument("--language", default="", metavar="CODE", help="such as en; found out unless told")
    parser.add_argument("--speakers", type=int, metavar="N", help="how many people speak; estimated unless told")
    parser.add_argument("--glossary", type=Path, metavar="FILE", help="names and terms, one a line")
    parser.add_argument("--captions", type=Path, metavar="OUT", help="writes .srt, .vtt or .ttml")
    parser.add_argument("--rate", default="25", choices=list(FRAME_RATES), help="of the picture, for captions")
    parser.add_argument("--text", type=Path, metavar="OUT", help="writes the text with speakers and times")
    parser.add_argument(
        "--lost", action="store_true", help="of a plan: words that are lost in its mix; exit 1 for some"
    )
    parser.add_argument("--json", action="store_true")


def _glossary(path: Path) -> list[str]:
    require_regular(path)
    with path.open(encoding="utf-8", errors="replace") as file:
        lines = file.read(_MOST_GLOSSARY_LETTERS).splitlines()
    return [line.strip() for line in lines if line.strip()]


def run(chosen: argparse.Namespace) -> int:
    """0, or 1 where --lost finds words that are lost."""
    if chosen.captions is not None:
        form_of(chosen.captions.name)  # before minutes of work
    model = transcriber(chosen.model)
    glossary = [] if chosen.glossary is None else _glossary(chosen.glossary)
    tell = teller("hearing words,")
    if chosen.lost:
        return _lost(chosen, model, tell)
    turns, clips = _turns(chosen, model, glossary, tell)
    if chosen.captions is not None:
        cues = cues_of(turns, CaptionRules(), frame_rate(chosen.rate))
        text = captions_text(cues, form_of(chosen.captions.name), chosen.language or "en")
        chosen.captions.write_text(text, encoding="utf-8")
    if chosen.text is not None:
        chosen.text.write_text(transcript_text(turns, {}), encoding="utf-8")
    if chosen.json:
        print(json.dumps(transcript_data(turns, {}, clips), ensure_ascii=False))
    elif chosen.captions is None and chosen.text is None:
        print(transcript_text(turns, {}) or "Nobody speaks.", end="" if turns else "\n")
    return 0


def _turns(
    chosen: argparse.Namespace, model: WhisperTranscriber, glossary: Sequence[str], tell: Progress
) -> tuple[Sequence[Turn], list[list[str]]]:
    if chosen.file.suffix.lower() != ".json":
        with load_recording(chosen.file) as source:
            heard = recording_words(source, model, chosen.language, glossary, tell)
            if is_doubtful(heard.words, source.length_samples / RATE_HZ / 2.0):
                print(f"recitant: {doubt_words([chosen.file.name])}", file=sys.stderr)
            told = speakers_told_apart({source.key: heard.words}, {source.key: source}, chosen.speakers)
            return turns_of(told[source.key]), []
    with load_plan(chosen.file) as loaded:
        words = plan_words(loaded, model, chosen.language, glossary, chosen.speakers, tell)
        spoken = turns_in_programme(loaded.plan, words)
        names = {clip.clip_id: clip.name for track in loaded.plan.tracks for clip in track.clips}
        return [one.turn for one in spoken], [[names[clip_id] for clip_id in one.clip_ids] for one in spoken]


def _lost(chosen: argparse.Namespace, model: WhisperTranscriber, tell: Progress) -> int:
    with load_plan(chosen.file) as found:
        loaded = with_rules_followed(found)
        words = words_in_mix(loaded, model, chosen.language, tell)
        count, passages = counted(words), lost_passages(words)
        causes = _causes(loaded, passages) if count.can_judge else [""] * len(passages)
    if chosen.json:
        data = {
            "n_words": count.n_words,
            "n_judged": count.n_steady,
            "n_lost": count.n_lost,
            "can_judge": count.can_judge,
        }
        print(
            json.dumps(
                data | {"lost": [lost_data(*one) for one in zip(passages, causes, strict=True)]}, ensure_ascii=False
            )
        )
    else:
        print(count_words(count))
        for one, cause in zip(passages, causes, strict=True) if count.can_judge else ():
            print(f"  {clock(one.span.start_sample):>9}  “{one.text}”  {lost_words(one)} {cause}")
    return 1 if passages and count.can_judge else 0


def _causes(loaded: LoadedPlan, passages: Sequence[LostPassage]) -> list[str]:
    plan, energies = loaded.plan, plan_energies(loaded)
    speech = dialogue_speech(loaded, energies)
    spec = specs_of_texts([loaded.spec_id or DEFAULT_SPEC_ID])[0]
    scene, spans = scene_of(plan, energies, speech), [one.span for one in passages]
    found = diagnoses_of_lost(spans, scene, plan, energies, speech, spec, DEFAULT_ASKED_LU)
    return [cause_words(one) for one in found]
