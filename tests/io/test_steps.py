"""Labels of steps and messages of jobs: rows hold codes and facts, and every code has its sentence."""

import ast
import json
from pathlib import Path

import pytest

from recitant_core.errors import EditRefused, UnreadableMedia
from recitant_core.processors.model import Processor
from recitant_text import messages
from recitant_text.chains import chain_difference, difference_text
from recitant_text.messages import message_text
from recitant_text.sentences import sentence
from recitant_text.steps import LABELS, MOST_LETTERS, label, label_text

WEB = Path(__file__).resolve().parents[2] / "src" / "recitant_web"
# Written with a code that is put together: the edge of a clip.
COMPOSED = {"trimmed-start", "trimmed-end", "fade-in", "fade-out"}


def codes_asked_for():
    """Every code that some label of the application is made with."""
    found = set()
    for path in WEB.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", getattr(node.func, "attr", "")) in (
                "label",
                "named",
            ):
                for part in ast.walk(node.args[0]) if node.args else ():
                    if isinstance(part, ast.Constant) and isinstance(part.value, str):
                        found.add(part.value)
    return found


def test_every_label_has_a_sentence_and_no_sentence_is_left_over():
    found = codes_asked_for()
    assert set(LABELS) <= found | COMPOSED | {"as-written"}
    assert len(found & set(LABELS)) > 80


@pytest.mark.parametrize(
    ("step", "words"),
    [
        (label("levelled", by_db=-4.0, what={"clip": "score"}), "−4.0 dB on score"),
        (label("levelled", by_db=3.0, what={"clips": 3}), "+3.0 dB on 3 clips"),
        (label("deleted", n=1), "deleted 1 clip"),
        (label("gain-set", what={"clip": "bang"}, gain_db=0.0), "bang clip to 0.0 dB"),
        (label("gain-set", what={"stem": "music"}, gain_db=-2.5), "Music stem to −2.5 dB"),
        (label("in-mix", what={"tracks": 2}), "2 tracks in the mix"),
        (label("ducked", what={"stem": "music"}), "music stem gives way to speech"),
        (label("ducked", what={"track": "Score"}), "Score gives way to speech"),
        (label("gap-closed", length_samples=72_000, n_tracks=None), "gap of 1.50 s closed on all tracks"),
        (label("gap-opened", length_samples=48_000, n_tracks=1), "gap of 1.00 s opened on one track"),
        (label("laid", n=4, how="times", n_tied=0), "4 clips laid by their time of day"),
        (label("varied", name="bang", speed=0.5, semitones=0.0), "bang at 50 % speed, 0 semitones"),
        (label("programme", set={"title": "Tenor", "new_fades": {}}), "title: Tenor, fades of new clips"),
        (label("track-set", name="Score", set=["name", "pan"]), "track Score: named, pan"),
        (label("track-a-person", n=2), "2 people on tracks of their own"),
        (label("took-back", step=label("deleted", n=2).data), "took back: deleted 2 clips"),
        (label("as-written", text="something of before"), "something of before"),
    ],
)  # fmt: skip
def test_a_label_is_a_sentence_of_its_facts(step, words):
    kept = json.loads(json.dumps(step.data))
    assert label_text(kept) == words


def test_a_long_name_leaves_a_label_within_its_length():
    assert len(label_text(label("named", name="x" * 900).data)) == MOST_LETTERS


def chain(*kinds, **values):
    return tuple(Processor(kind, values) for kind in kinds)


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [
        (chain("high-pass"), chain("high-pass"), "processors as they were"),
        ((), chain("compressor"), "Compressor added"),
        (chain("compressor"), chain("high-pass", "compressor"), "High-pass added before Compressor"),
        (chain("high-pass"), (), "High-pass removed"),
        (chain("high-pass", "compressor"), chain("compressor", "high-pass"), "processors moved"),
        (chain("high-pass"), chain("low-pass"), "Low-pass for High-pass"),
    ],
)
def test_the_difference_of_chains_is_facts_and_words(before, after, words):
    assert difference_text(json.loads(json.dumps(chain_difference(before, after)))) == words


def test_a_refusal_reads_the_same_from_its_row():
    for error in (
        EditRefused("gone"),
        EditRefused("gain_out_of_range", found="90", least_db=-96.0, most_db=24.0),
        UnreadableMedia("damaged", file=Path("take 3.wav")),
        EditRefused("not_a_frame_rate", found="26", known=("24", "25")),
    ):
        assert message_text(json.loads(json.dumps(messages.refusal_message(error)))) == sentence(error)


def test_messages_of_jobs_are_sentences_of_their_facts():
    assert message_text({}) == ""
    assert message_text(messages.notice_message("source_ready", file="voice.wav")) == "voice.wav is ready."
    assert message_text(messages.delivered_message(1, 2, 1)) == "1 of 2 pass. 1 file could not be made."
    assert message_text(messages.recorder_message([], ["ch 1", "ch 2"])) == "All of its 2 channels are silent."
    assert message_text({"text": "as it was"}) == "as it was"
