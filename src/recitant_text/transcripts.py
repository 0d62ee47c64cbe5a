"""What is said, as text: running, with speakers and times, as Markdown, and as data."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from recitant_core.captions.rules import Breach, Broken
from recitant_core.transcript.lost import Count, LostPassage
from recitant_core.transcript.model import Turn, Word
from recitant_core.units.clock import RATE_HZ, s_from_samples

BREACH_WORDS: Mapping[Breach, str] = {
    Breach.EMPTY: "no text",
    Breach.LONG_LINE: "{found:.0f} characters in a line; {allowed:.0f} at most",
    Breach.MANY_LINES: "{found:.0f} lines; {allowed:.0f} at most",
    Breach.FAST: "{found:.0f} characters a second; {allowed:.0f} at most",
    Breach.SHORT: "shown for {found:.2f} s; {allowed:.2f} s at least",
    Breach.LONG: "shown for {found:.1f} s; {allowed:.1f} s at most",
    Breach.OVERLAPS: "{found:.2f} s of it lie over the next",
    Breach.CLOSE: "{found:.1f} frames before the next; {allowed:.0f} at least",
}


def clock(at_sample: int) -> str:
    """A time as minutes, seconds and tenths.

    >>> clock(3 * 48_000 + 65 * 48_000)
    '1:08.0'
    """
    tenths = at_sample * 10 // RATE_HZ
    hours, minutes, rest = tenths // 36_000, tenths // 600 % 60, tenths % 600
    lead = f"{hours}:{minutes:02}" if hours else f"{minutes}"
    return f"{lead}:{rest // 10:02}.{rest % 10}"


def speaker_name(speaker: str, names: Mapping[str, str]) -> str:
    """Name of a speaker: his own, else a number; empty where nobody is known."""
    return names.get(speaker, f"Speaker {speaker}") if speaker else ""


def transcript_text(turns: Sequence[Turn], names: Mapping[str, str], *, with_times: bool = True) -> str:
    """Turns as plain text, one a paragraph, with speakers and times."""
    return _paragraphs(turns, names, lambda at, who: f"[{at}] {who}: " if who else f"[{at}] ", with_times)


def transcript_markdown(turns: Sequence[Turn], names: Mapping[str, str], title: str) -> str:
    """Turns as Markdown under a title."""
    body = _paragraphs(
        turns, names, lambda at, who: f"**{_plain(who)}** `{at}`  \n" if who else f"`{at}`  \n", True, _plain
    )
    return f"# {_plain(title)}\n\n{body}"


def _paragraphs(
    turns: Sequence[Turn],
    names: Mapping[str, str],
    head: Callable[[str, str], str],
    with_heads: bool,
    text: Callable[[str], str] = str,
) -> str:
    parts = []
    for turn in turns:
        lead = head(clock(turn.span.start_sample), speaker_name(turn.speaker, names)) if with_heads else ""
        parts.append(f"{lead}{text(turn.text)}")
    return "\n\n".join(parts) + ("\n" if parts else "")


def _plain(text: str) -> str:
    return "".join(f"\\{letter}" if letter in "\\`*_{}[]<>#|" else letter for letter in text)


def transcript_data(
    turns: Sequence[Turn], names: Mapping[str, str], clips: Sequence[Sequence[str]] = ()
) -> dict[str, Any]:
    """Turns and their words as JSON data, times in seconds.

    Args:
        clips: names of the clips that the words of each turn lie in; empty for a recording.
    """
    return {
        "words": [
            _word_data(word, names) | ({"clip": clips[at][k]} if clips else {})
            for at, turn in enumerate(turns)
            for k, word in enumerate(turn.words)
        ],
        "turns": [
            {
                "speaker": speaker_name(turn.speaker, names),
                "start_s": _s(turn.span.start_sample),
                "end_s": _s(turn.span.end_sample),
                "text": turn.text,
            }
            for turn in turns
        ],
    }


def _word_data(word: Word, names: Mapping[str, str]) -> dict[str, Any]:
    return {
        "text": word.text,
        "start_s": _s(word.start_sample),
        "end_s": _s(word.end_sample),
        "confidence": word.confidence,
        "speaker": speaker_name(word.speaker, names),
    }


def _s(at_sample: int) -> float:
    return round(s_from_samples(at_sample), 3)


def lost_data(passage: LostPassage, cause: str = "") -> dict[str, Any]:
    """A passage of lost words as JSON data."""
    return {
        "text": passage.text,
        "start_s": _s(passage.span.start_sample),
        "end_s": _s(passage.span.end_sample),
        "heard_as": " ".join(one.heard_as for one in passage.words if one.heard_as),
        "cause": cause,
    }


def lost_words(passage: LostPassage) -> str:
    """Sentence on the state of some words."""
    heard = [one.heard_as for one in passage.words if one.heard_as]
    if not heard:
        return "Understood on the dialogue alone, not in the mix."
    return f"Understood on the dialogue alone; in the mix as “{' '.join(heard)}”."


def count_words(count: Count) -> str:
    """Sentence on the number of lost words, or on why that cannot be said."""
    if not count.n_words:
        return "No words are heard on the dialogue alone, so none can be lost."
    share = f"{100 * count.share_judged:.0f} %"
    if not count.can_judge:
        return (
            f"This model cannot judge this dialogue: it hears only {share} of its {count.n_words} words alike when "
            "nothing but the level changes. Listen, or use a larger model."
        )
    lost = "none is" if not count.n_lost else "1 is" if count.n_lost == 1 else f"{count.n_lost} are"
    return f"Of {count.n_steady} words {lost} lost in the mix; {share} of all words could be judged."


def doubt_words(names: Sequence[str]) -> str:
    """Sentence on recordings that the model hardly understood; empty where there are none."""
    if not names:
        return ""
    which = names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"
    return (
        f"The model hardly understood {which}. If another language is spoken there, name a folder with a model of "
        "several languages; singing and very loud noise do this too."
    )


def broken_words(broken: Broken) -> str:
    """Words on the rule that a cue breaks, and by how much."""
    return BREACH_WORDS[broken.breach].format(found=broken.found, allowed=broken.allowed)
