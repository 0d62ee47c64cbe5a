"""Caption files, written and read: SubRip, WebVTT, and IMSC text (TTML).

Source: WebVTT (W3C Candidate Recommendation 4 April 2019), IMSC 1.1 Text Profile (W3C Recommendation 8 November
2018); SubRip has no published standard.
"""

import datetime
import html
import io
import re
from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, Final
from xml.etree import ElementTree

import srt
import webvtt
from ttconv import model as imsc
from ttconv import style_properties as styles
from ttconv.imsc import reader as imsc_reader
from ttconv.imsc import writer as imsc_writer
from ttconv.imsc.config import ContentProfilesSignaling, IMSCWriterConfiguration
from ttconv.imsc.designators import IMSC_11_TEXT_PROFILE_DESIGNATOR
from webvtt.errors import MalformedCaptionError, MalformedFileError

from recitant_core.captions.rules import MOST_CUES, Cue
from recitant_core.errors import CaptionError
from recitant_core.units.clock import RATE_HZ, samples_from_s

FORMS: Final = ("srt", "vtt", "ttml")
MOST_BYTES: Final = 2_000_000
"""Ten hours of talk with the styles of a broadcaster are half of it."""
MOST_LETTERS: Final = 1_000
"""Of a cue."""
# No tag goes over the beginning of another: a file of openings alone is read once, not once for each of them.
_TAGS: Final = re.compile(
    r"</?(?:b|i|u|s|c|v|ruby|rt|lang|font|bold|italic|underline)\b[^<>]*>|\{\\[^{}]*\}", re.IGNORECASE
)
_VTT_TAGS: Final = re.compile(r"<[^<>]*>")
_CONTROLS: Final = re.compile(r"[\x00-\x08\x0e-\x1f\x7f-\x9f\ufffe\uffff]")
_SRT_TIMES: Final = re.compile(
    r"(\d{1,3}:\d{1,2}:\d{1,2}(?:[.,]\d{1,3})?) *--> *(\d{1,3}:\d{1,2}:\d{1,2}(?:[.,]\d{1,3})?)(?: .*)?"
)
_SRT_LIKE_TIMES: Final = re.compile(r"\d+[:.,]\d.{0,40}->")
"""What is meant as times, right or wrong."""
_LONGEST_S: Final = 100 * 3600


def form_of(name: str) -> str:
    """Form of a caption file by the ending of its name.

    Raises:
        CaptionError: it is none of ours.
    """
    ending = Path(name).suffix.lower().lstrip(".")
    found = {"webvtt": "vtt", "xml": "ttml", "dfxp": "ttml", "imsc": "ttml"}.get(ending, ending)
    if found not in FORMS:
        raise CaptionError("caption_form", file=name, known=", ".join(FORMS))
    return found


def captions_text(cues: Sequence[Cue], form: str, language: str = "en") -> str:
    """A caption file as text, checked by reading it back.

    Args:
        cues: in the order of their start; without text they are left out.
        form: one of FORMS.
        language: of the text, ISO 639-1.

    Raises:
        CaptionError: it would not read back as it was.
    """
    tidy = _without_tags if form == "srt" else _tidy
    shown = [Cue(cue.start_sample, cue.end_sample, tidy(cue.text)) for cue in cues if cue.text.strip()]
    text = {"srt": _srt, "vtt": _vtt, "ttml": _ttml}[form](shown, language)
    back = read_captions(text.encode(), form)
    wanted = sorted((_ms(cue.start_sample), cue.text) for cue in shown)
    if [(_ms(cue.start_sample), cue.text) for cue in back] != wanted:
        raise CaptionError("captions_not_proved", form=form)
    return text


def read_captions(data: bytes, form: str) -> list[Cue]:
    """Cues of a caption file in the order of their start, without markup.

    Args:
        form: one of FORMS.

    Raises:
        CaptionError: not of this form, too large, without text, or a cue that ends before it begins.
    """
    require_size(data)
    text = _decoded(data).replace("\r\n", "\n").replace("\r", "\n")
    if text.count("-->") > MOST_CUES:
        raise CaptionError("too_many_cues", found=text.count("-->"), most=MOST_CUES)
    try:
        found = list({"srt": _from_srt, "vtt": _from_vtt, "ttml": _from_ttml}[form](text))
    except RecursionError as error:
        raise CaptionError("caption_not_read", form=form) from error
    if not found:
        raise CaptionError("no_captions", form=form)
    if len(found) > MOST_CUES:
        raise CaptionError("too_many_cues", found=len(found), most=MOST_CUES)
    cues = []
    for number, (start_s, end_s, shown) in enumerate(found, 1):
        if not 0 <= start_s < end_s <= _LONGEST_S:
            raise CaptionError("caption_times", number=number, text=shown[:40])
        tidy = _tidy(shown)
        if len(tidy) > MOST_LETTERS:
            raise CaptionError("caption_too_long", number=number, found=len(tidy), most=MOST_LETTERS)
        if tidy:
            cues.append(Cue(samples_from_s(start_s), samples_from_s(end_s), tidy))
    if not cues:
        raise CaptionError("captions_without_text", n_cues=len(found))
    return sorted(cues)


def require_size(data: bytes) -> None:
    """Refuse a file that is larger than any with captions, before it is looked at.

    Raises:
        CaptionError: it is.
    """
    if len(data) > MOST_BYTES:
        raise CaptionError("captions_too_large", most_mb=MOST_BYTES // 1_000_000)


def _tidy(text: str) -> str:
    """Lines without blanks at their ends, and without letters that nothing shows (control characters)."""
    lines = (" ".join(_CONTROLS.sub("", line.replace("-->", "→")).split()) for line in text.split("\n"))
    return "\n".join(line for line in lines if line)


def _without_tags(text: str) -> str:
    # SubRip cannot write a letter that begins markup in any other way.
    return _TAGS.sub(lambda tag: tag[0].translate(str.maketrans("<>{}", "‹›()")), _tidy(text))


def _decoded(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")  # common practice of old SubRip files


def _ms(samples: int) -> int:
    return round(Fraction(samples * 1000, RATE_HZ))


def _delta(samples: int) -> datetime.timedelta:
    return datetime.timedelta(milliseconds=_ms(samples))


def _srt(cues: Sequence[Cue], _language: str) -> str:
    found = [
        srt.Subtitle(number, _delta(cue.start_sample), _delta(cue.end_sample), cue.text)
        for number, cue in enumerate(cues, 1)
    ]
    return str(srt.compose(found, reindex=False))


def _vtt(cues: Sequence[Cue], _language: str) -> str:
    made = webvtt.WebVTT()
    for cue in cues:
        text = html.escape(cue.text, quote=False)
        made.captions.append(webvtt.Caption(_clock(cue.start_sample), _clock(cue.end_sample), text))
    return f"{made.content}\n"


def _clock(samples: int) -> str:
    ms = _ms(samples)
    return f"{ms // 3_600_000:02}:{ms // 60_000 % 60:02}:{ms // 1000 % 60:02}.{ms % 1000:03}"


def _ttml(cues: Sequence[Cue], language: str) -> str:
    made = imsc.ContentDocument()
    made.set_lang(language)
    made.set_content_profiles({IMSC_11_TEXT_PROFILE_DESIGNATOR})
    region = imsc.Region("bottom", made)
    percent = styles.LengthType.Units.pct
    ten, eighty = styles.LengthType(10, percent), styles.LengthType(80, percent)
    region.set_style(styles.StyleProperties.Origin, styles.CoordinateType(x=ten, y=ten))
    region.set_style(styles.StyleProperties.Extent, styles.ExtentType(height=eighty, width=eighty))
    region.set_style(styles.StyleProperties.DisplayAlign, styles.DisplayAlignType.after)
    region.set_style(styles.StyleProperties.TextAlign, styles.TextAlignType.center)
    made.put_region(region)
    body, division = imsc.Body(made), imsc.Div(made)
    body.set_region(region)
    made.set_body(body)
    body.push_child(division)
    for cue in cues:
        paragraph = imsc.P(made)
        paragraph.set_begin(Fraction(_ms(cue.start_sample), 1000))
        paragraph.set_end(Fraction(_ms(cue.end_sample), 1000))
        for number, line in enumerate(cue.text.split("\n")):
            if number:
                paragraph.push_child(imsc.Br(made))
            span = imsc.Span(made)
            span.push_child(imsc.Text(made, line))
            paragraph.push_child(span)
        division.push_child(paragraph)
    out = io.BytesIO()
    profile = IMSCWriterConfiguration(profile_signaling=ContentProfilesSignaling.CONTENT_PROFILES)
    imsc_writer.from_model(made, profile).write(out, encoding="utf-8", xml_declaration=True)
    return out.getvalue().decode()


Found = Iterator[tuple[Fraction, Fraction, str]]
"""Start and end in seconds, and text, of each cue."""


def _from_srt(text: str) -> Found:
    # Line by line: the patterns of the library that writes it take a minute for 20 kB of blanks.
    lines = [line.strip() for line in text.split("\n")]
    times = [(at, _SRT_TIMES.fullmatch(line)) for at, line in enumerate(lines) if _SRT_LIKE_TIMES.match(line)]
    first = next((at for at, line in enumerate(lines) if line), None)
    if first is None:
        return
    if not times or times[0][0] > first + 1:
        raise CaptionError("caption_line", form="SRT", line=first + 1)
    for (at, match), after in zip(times, [*(at for at, _ in times[1:]), len(lines) + 1], strict=True):
        if match is None:
            raise CaptionError("caption_line", form="SRT", line=at + 1)
        shown = lines[at + 1 : after]
        # The line before the next times is their number, where it is one.
        if after <= len(lines) and shown and shown[-1].isdecimal():
            shown = shown[:-1]
        yield _clock_s(match[1]), _clock_s(match[2]), _TAGS.sub("", "\n".join(shown))


def _from_vtt(text: str) -> Found:
    try:
        found = webvtt.from_string(text)
    except (MalformedFileError, MalformedCaptionError) as error:
        raise CaptionError("caption_not_read", form="WebVTT") from error
    if len(found.captions) < text.count("-->"):
        raise CaptionError("cues_not_read", read=len(found.captions), there=text.count("-->"))
    for cue in found.captions:
        plain = html.unescape(_VTT_TAGS.sub("", cue.raw_text))
        yield _clock_s(cue.start), _clock_s(cue.end), plain


def _clock_s(clock: str) -> Fraction:
    whole, _, decimals = clock.replace(",", ".").partition(".")
    seconds = 0
    for part in whole.split(":"):
        seconds = seconds * 60 + int(part)
    return Fraction(seconds * 1000 + int(decimals.ljust(3, "0")[:3]), 1000)


def _from_ttml(text: str) -> Found:
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise CaptionError("caption_entities")  # entities can unfold without end
    try:
        document = imsc_reader.to_model(ElementTree.ElementTree(ElementTree.fromstring(text)))
    except ElementTree.ParseError as error:
        raise CaptionError("caption_line", form="TTML", line=error.position[0]) from error
    except (ValueError, TypeError, KeyError, AttributeError, ZeroDivisionError) as error:
        raise CaptionError("caption_not_read", form="TTML") from error
    if document is None or document.get_body() is None:
        raise CaptionError("caption_not_read", form="TTML")
    yield from _paragraphs(document.get_body(), Fraction(0))


def _paragraphs(element: Any, begin: Fraction) -> Found:
    begin += element.get_begin() or 0
    for child in element:
        if isinstance(child, imsc.P):
            start, end = child.get_begin() or Fraction(0), child.get_end()
            if end is not None:
                yield begin + Fraction(start), begin + Fraction(end), _text(child)
        elif isinstance(child, imsc.Div):
            yield from _paragraphs(child, begin)


def _text(element: Any) -> str:
    parts = []
    for child in element:
        if isinstance(child, imsc.Br):
            parts.append("\n")
        elif isinstance(child, imsc.Text):
            parts.append(child.get_text().replace("\n", " "))
        else:
            parts.append(_text(child))
    return "".join(parts)
