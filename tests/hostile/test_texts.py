"""Texts from outside at the limits of their size: read or refused in time that grows with their length alone."""

import itertools
import time

import pytest

from recitant_core.captions.rules import Cue
from recitant_core.delivery.orders.chapters import MOST_LETTERS as MOST_CHAPTER_LETTERS
from recitant_core.delivery.orders.chapters import chapters_from_text, time_from_text
from recitant_core.delivery.specification.names import file_name, require_pattern
from recitant_core.errors import CaptionError, EditRefused, PlanError, RecitantError
from recitant_core.transcript.model import Word
from recitant_core.transcript.script import fitted
from recitant_core.transcript.spelling import plain_words
from recitant_io.formats import json_file
from recitant_io.media import caption_files, confined
from recitant_text.sentences import sentence

SHAPES = {
    "openings": "<", "tags that never end": "<b ", "braces": "{\\", "blanks": " ", "lines": "\n", "digits": "1",
    "numbers": "1\n", "arrows": "-->", "times": "00:", "entities": "&lt", "quotes": '"', "brackets": "[",
    "dashes": "- ", "letters": "a", "words": "ab ", "objects": '{"a":', "tabs": "\t \v",
}  # fmt: skip
"""One piece of each text, repeated up to a limit."""
_CUE = "1\n00:00:01,000 --> 00:00:02,000\n"
_SPEC_BYTES = 100_000


def _captions(form, head):
    return lambda text: caption_files.read_captions((head + text).encode()[: caption_files.MOST_BYTES], form)


READERS = {
    "SubRip": (_captions("srt", ""), caption_files.MOST_BYTES),
    "text of a cue": (_captions("srt", _CUE), caption_files.MOST_BYTES),
    "WebVTT": (_captions("vtt", "WEBVTT\n\n"), caption_files.MOST_BYTES),
    "TTML": (_captions("ttml", '<tt xmlns="http://www.w3.org/ns/ttml"><body><div>'), caption_files.MOST_BYTES),
    "chapters": (chapters_from_text, MOST_CHAPTER_LETTERS),
    "a chapter": (lambda text: chapters_from_text("0:00" + text.replace("\n", " ")), MOST_CHAPTER_LETTERS),
    "a time": (lambda text: time_from_text("0:0" + text), MOST_CHAPTER_LETTERS),
    "a script": (lambda text: fitted(_HEARD, text), 400_000),
    "words": (plain_words, 400_000),
    "a specification": (lambda text: json_file.data_from_text(text.encode(), "specification"), _SPEC_BYTES),
    "names of files": (lambda text: file_name("{programme}-{spec}", {"programme": text, "spec": "x"}, ".wav"), 100_000),
    "patterns of names": (require_pattern, 100_000),
}
_HEARD = tuple(Word(f"w{k % 900}", k * 9_600, k * 9_600 + 4_800, 0.9) for k in range(2_000))


@pytest.fixture(autouse=True, scope="module")
def _compiled():
    fitted(_HEARD, "w1 w2 w3")


def seconds(read, text):
    """Processor time of this thread for a text, and what became of it."""
    began = time.thread_time()
    try:
        read(text)
        code = "read"
    except RecitantError as error:
        code = error.code
        assert len(sentence(error)) < 600
    return time.thread_time() - began, code


@pytest.mark.parametrize(("reader", "shape"), list(itertools.product(READERS, SHAPES)))
def test_time_grows_with_the_length_alone(reader, shape):
    read, most = READERS[reader]
    whole = (SHAPES[shape] * (most // len(SHAPES[shape]) + 1))[:most]
    # A text whose cost grows with the square of its length takes minutes at its limit: a twentieth of it shows that.
    part_s, _ = seconds(read, whole[: most // 20])
    assert part_s < 1.0, part_s
    # On a machine whose cores are busy processor time itself comes out longer now and then: the least of some tries.
    tries_s = []
    while len(tries_s) < 4:
        tries_s.append(seconds(read, whole)[0])
        if tries_s[-1] < max(0.5, 40 * part_s) and tries_s[-1] < 5.0:
            return
    pytest.fail(f"a twentieth takes {part_s:.3f} s, the whole {min(tries_s):.3f} s")


def test_what_stopped_the_pages_once_is_read_at_once():
    spent, _ = seconds(_captions("srt", _CUE), "<" * 60_000)
    more, code = seconds(chapters_from_text, "0:00" + " " * 8_000 + "\n0:10 x")
    assert spent < 0.5 and more < 0.5 and code == "not_a_chapter"


def test_counted_before_it_is_read(monkeypatch):
    def never(*_more):
        raise AssertionError("it was read")

    monkeypatch.setattr(caption_files, "_from_srt", never)
    with pytest.raises(CaptionError, match="captions_too_large"):
        caption_files.read_captions(b" " * (caption_files.MOST_BYTES + 1), "srt")
    with pytest.raises(CaptionError, match="too_many_cues"):
        caption_files.read_captions(b"-->" * 20_001, "srt")
    with pytest.raises(PlanError, match="too_long_a_list"):
        chapters_from_text("x" * (MOST_CHAPTER_LETTERS + 1))
    with pytest.raises(PlanError, match="too_many_chapters"):
        chapters_from_text("no chapter\n" * 101)
    with pytest.raises(EditRefused, match="texts_too_unlike") as refused:
        fitted(_HEARD, "a b " * 100_000)
    assert "200000 words" in sentence(refused.value)


def test_captions_of_others_are_read_in_a_child_that_may_take_its_time(monkeypatch):
    data = _CUE.encode() + b"Now\x00\x07 \x7fpour!\n\n2\n00:00:03,000 --> 00:00:04,000\n\x01\n"
    assert confined.read_captions(data, "a.srt") == [Cue(48_000, 96_000, "Now pour!")]
    with pytest.raises(CaptionError, match="caption_form"):
        confined.read_captions(data, "a.exe")
    # What only marks text, as joiners of letters do, stays.
    joined = "\u0645\u06cc\u200c\u0631\u0648\u0645"
    assert confined.read_captions(f"{_CUE}{joined}\n".encode(), "a.srt")[0].text == joined
    monkeypatch.setattr(caption_files, "read_captions", lambda *_: pytest.fail("it was read in this process"))
    assert len(confined.read_captions(data, "a.srt")) == 1


def test_cues_that_are_all_blank_are_said():
    blank = "".join(f"{k}\n00:00:0{k},000 --> 00:00:0{k},500\n \n\n" for k in range(1, 4))
    with pytest.raises(CaptionError) as refused:
        confined.read_captions(blank.encode(), "a.srt")
    assert sentence(refused.value) == "The file has 3 captions, but none of them has any text."
