"""Caption files against readers of other projects, and files that are not as they should be."""

import io
from xml.etree import ElementTree

import av
import pytest
from hypothesis import given
from hypothesis import strategies as st
from ttconv.imsc import reader as imsc_reader
from ttconv.srt import reader as srt_reader
from ttconv.vtt import reader as vtt_reader

from recitant_core.captions.rules import MOST_CUES, Cue
from recitant_core.errors import CaptionError
from recitant_io.media.caption_files import FORMS, captions_text, read_captions

S = 48_000
CUES = [
    Cue(S, 3 * S, "You do not pour a bell.\nYou let it go, and you wait."),
    Cue(3 * S + 3840, 5 * S, "5 < 6 & 7"),
    Cue(6 * S, 8 * S, "שלום, 🎬 — it’s “ready”"),
]


@pytest.mark.parametrize("form", FORMS)
def test_what_is_written_reads_back(form: str) -> None:
    assert read_captions(captions_text(CUES, form).encode(), form) == CUES


def paragraphs(document: object) -> list[tuple[float, float, str]]:
    """Begin, end and text of each paragraph of another project's model."""
    found = []
    for element in document.get_body().dfs_iterator():  # type: ignore[attr-defined]
        if type(element).__name__ == "P":
            texts = [e.get_text() if type(e).__name__ == "Text" else "\n" for e in element.dfs_iterator()
                     if type(e).__name__ in ("Text", "Br")]  # fmt: skip
            found.append((float(element.get_begin()), float(element.get_end()), "".join(texts)))
    return found


def test_another_project_reads_the_same_from_all_three() -> None:
    wanted = [(cue.start_sample / S, cue.end_sample / S, cue.text) for cue in CUES]
    assert paragraphs(srt_reader.to_model(io.StringIO(captions_text(CUES, "srt")))) == wanted
    assert paragraphs(vtt_reader.to_model(io.StringIO(captions_text(CUES, "vtt")))) == wanted
    tree = ElementTree.ElementTree(ElementTree.fromstring(captions_text(CUES, "ttml").encode()))
    assert paragraphs(imsc_reader.to_model(tree)) == wanted


@pytest.mark.parametrize("form", ["srt", "vtt"])
def test_ffmpeg_reads_the_same(form: str) -> None:
    with av.open(io.BytesIO(captions_text(CUES, form).encode()), format={"vtt": "webvtt"}.get(form, form)) as file:
        packets = [p for p in file.demux(subtitles=0) if p.size]
        times = [(float(p.pts * p.time_base), float((p.pts + p.duration) * p.time_base)) for p in packets]
    assert times == [(cue.start_sample / S, cue.end_sample / S) for cue in CUES]


def test_ttml_says_which_profile_and_language_it_is() -> None:
    root = ElementTree.fromstring(captions_text(CUES, "ttml", "de").encode())
    assert root.get("{http://www.w3.org/XML/1998/namespace}lang") == "de"
    assert "imsc1" in (root.get("{http://www.w3.org/ns/ttml#parameter}contentProfiles") or "")


@given(st.lists(st.text(st.characters(exclude_categories=["Cc", "Cs", "Zl", "Zp", "Cn"]), min_size=1, max_size=40)),
       st.sampled_from(FORMS))  # fmt: skip
def test_any_text_is_written_and_read_without_its_markup_being_run(texts: list[str], form: str) -> None:
    cues = [Cue(k * 2 * S, (k * 2 + 1) * S, text) for k, text in enumerate(texts)]
    if not any(text.strip() for text in texts):
        return
    captions_text(cues, form)  # raises where it does not read back


def test_markup_in_files_is_taken_off() -> None:
    srt_file = "1\n00:00:01,000 --> 00:00:02,000\n{\\an8}<font color=red>Now!</font>\n<i>Not so fast.</i>\n"
    assert read_captions(srt_file.encode(), "srt")[0].text == "Now!\nNot so fast."
    vtt_file = "WEBVTT\n\n00:01.000 --> 00:02.000 line:0\n<v Founder>Now! <b>&amp;</b> <00:01.500>then</v>\n"
    assert read_captions(vtt_file.encode(), "vtt")[0].text == "Now! & then"


def test_old_encodings_and_unordered_times_are_read() -> None:
    late_first = "1\r\n00:00:05,000 --> 00:00:06,000\r\ncafé\r\n\r\n2\r\n00:00:01,000 --> 00:00:02,000\r\nho\r\n"
    for encoding in ("cp1252", "utf-8", "utf-8-sig", "utf-16"):
        assert [cue.text for cue in read_captions(late_first.encode(encoding), "srt")] == ["ho", "café"]


BAD = {
    "no_captions": ("srt", ""),
    "caption_line": ("srt", "1\n00:00:01,000 --> 00:00:02,000\nhi\n\nnot a caption at all\n\n3\n0:0:5 -> 6\nx\n"),
    "caption_times": ("srt", "1\n00:00:03,000 --> 00:00:02,000\nhi\n"),
    "caption_not_read": ("vtt", "1\n00:00:01,000 --> 00:00:02,000\nhi\n"),
    "cues_not_read": ("vtt", "WEBVTT\n\n00:01.000 --> 00:02.000\nhi\n\n0x:03.000 --> 00:04.000\nho\n"),
    "caption_entities": ("ttml", '<!DOCTYPE tt [<!ENTITY a "aaaa">]><tt xmlns="http://www.w3.org/ns/ttml"/>'),
}


@pytest.mark.parametrize("code", BAD)
def test_files_that_are_not_right_are_refused_with_what_is_wrong(code: str) -> None:
    form, text = BAD[code]
    with pytest.raises(CaptionError) as refused:
        read_captions(text.encode(), form)
    assert refused.value.code == code


def test_too_much_is_refused() -> None:
    with pytest.raises(CaptionError, match="captions_too_large"):
        read_captions(b" " * 9_000_000, "srt")
    cues = [Cue(k * 10, k * 10 + 9, "x") for k in range(MOST_CUES + 1)]
    lines = [f"{k}\n00:00:01,000 --> 00:00:02,000\nx\n" for k in range(len(cues))]
    with pytest.raises(CaptionError, match="too_many_cues"):
        read_captions("\n".join(lines).encode(), "srt")


@given(st.binary(max_size=300), st.sampled_from(FORMS))
def test_whatever_stands_in_a_file_is_read_or_refused(data: bytes, form: str) -> None:
    try:
        read_captions(data, form)
    except CaptionError as error:
        assert error.code
