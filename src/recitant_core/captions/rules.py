"""Rules of thumb that captions keep, and where a cue breaks one.

Source: published guidelines of broadcasters and platforms for subtitles agree on these ranges (from memory): 37 to 42
characters a line, two lines, 17 to 20 characters a second for adults, 5/6 s to 7 s, two frames between cues.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Final

from recitant_core.errors import RangeError
from recitant_core.units.clock import RATE_HZ, SampleSpan, samples_from_s

MOST_CUES: Final = 20_000
_TOLERANCE: Final = 0.05
"""Characters a second that nobody sees."""


@dataclass(frozen=True)
class CaptionRules:
    """Limits that cues must keep.

    Raises:
        RangeError: a figure outside what can be.
    """

    most_characters: int = 42
    """A line."""
    most_lines: int = 2
    most_characters_s: float = 20.0
    """Reading speed: characters a second, spaces too."""
    least_s: float = 5.0 / 6.0
    most_s: float = 7.0
    gap_frames: int = 2
    """Frames of the picture between two cues."""

    def __post_init__(self) -> None:
        ranges = (
            ("most_characters", 16, 80), ("most_lines", 1, 4), ("most_characters_s", 5.0, 40.0), ("least_s", 0.2, 5.0),
            ("most_s", 1.0, 30.0), ("gap_frames", 0, 25),
        )  # fmt: skip
        for name, least, most in ranges:
            if not least <= getattr(self, name) <= most:
                raise RangeError("caption_rule", field=name, least=least, most=most)
        if self.least_s >= self.most_s:
            raise RangeError("caption_lengths")


@dataclass(frozen=True, order=True)
class Cue:
    """A caption and when it is shown; lines are parted by line breaks."""

    start_sample: int
    end_sample: int
    text: str

    @property
    def span(self) -> SampleSpan:
        """Stretch of the programme in which it is shown."""
        return SampleSpan(self.start_sample, self.end_sample - self.start_sample)

    @property
    def characters_s(self) -> float:
        """Reading speed in characters a second; line breaks count as spaces."""
        return len(self.text) * RATE_HZ / max(1, self.end_sample - self.start_sample)


class Breach(StrEnum):
    """Rule that a cue breaks."""

    EMPTY = "empty"
    LONG_LINE = "long-line"
    MANY_LINES = "many-lines"
    FAST = "fast"
    SHORT = "short"
    LONG = "long"
    OVERLAPS = "overlaps"
    CLOSE = "close"


@dataclass(frozen=True)
class Broken:
    """A rule that a cue breaks, and by how much."""

    breach: Breach
    found: float
    """In the unit of the rule: characters, lines, characters a second, seconds, frames."""
    allowed: float


def gap_samples(rules: CaptionRules, frame_rate: Fraction) -> int:
    """The least gap between two cues in samples, from its number of frames.

    >>> from fractions import Fraction
    >>> gap_samples(CaptionRules(gap_frames=2), Fraction(25))
    3840
    """
    return samples_from_s(rules.gap_frames / frame_rate)


def broken_rules(cue: Cue, following: Cue | None, rules: CaptionRules, frame_rate: Fraction) -> list[Broken]:
    """Breaches of a cue, the gravest first.

    Args:
        following: the next cue; None for the last.
    """
    length_s = (cue.end_sample - cue.start_sample) / RATE_HZ
    lines = cue.text.split("\n")
    longest = max(len(line) for line in lines)
    found = []
    if not cue.text.strip():
        found.append(Broken(Breach.EMPTY, 0, 1))
    if following is not None and following.start_sample < cue.end_sample:
        over_s = (cue.end_sample - following.start_sample) / RATE_HZ
        found.append(Broken(Breach.OVERLAPS, over_s, 0.0))
    elif following is not None and following.start_sample - cue.end_sample < gap_samples(rules, frame_rate) - 1:
        frames = (following.start_sample - cue.end_sample) * frame_rate / RATE_HZ
        found.append(Broken(Breach.CLOSE, float(frames), rules.gap_frames))
    if len(lines) > rules.most_lines:
        found.append(Broken(Breach.MANY_LINES, len(lines), rules.most_lines))
    if longest > rules.most_characters:
        found.append(Broken(Breach.LONG_LINE, longest, rules.most_characters))
    if cue.characters_s > rules.most_characters_s + _TOLERANCE:
        found.append(Broken(Breach.FAST, cue.characters_s, rules.most_characters_s))
    if length_s < rules.least_s - 1e-3:
        found.append(Broken(Breach.SHORT, length_s, rules.least_s))
    if length_s > rules.most_s + 1e-3:
        found.append(Broken(Breach.LONG, length_s, rules.most_s))
    return found


def all_broken(cues: Sequence[Cue], rules: CaptionRules, frame_rate: Fraction) -> list[list[Broken]]:
    """Breaches of each cue, one list a cue; cues in order."""
    following = [*cues[1:], None] if cues else []
    return [broken_rules(cue, after, rules, frame_rate) for cue, after in zip(cues, following, strict=True)]
