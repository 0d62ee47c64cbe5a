"""Cues made from words: broken where sentences, clauses and pauses are, shown long enough to be read."""

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Final

from recitant_core.captions.lines import SENTENCE, break_cost, lines_of
from recitant_core.captions.rules import CaptionRules, Cue, gap_samples
from recitant_core.transcript.model import Turn, Word
from recitant_core.units.clock import RATE_HZ, samples_from_s

HOLD_S: Final = 0.4
"""A cue stays this long after its last word where there is room; common practice."""
CHAIN_S: Final = 0.5
"""Cues closer than this follow each other at the least gap, so that nothing blinks; common practice."""
_PAUSE_S: Final = 1.2
"""A pause from which words are not shown together."""
_CUE_COST: Final = 6.0
_FAST_COST: Final = 1.2
_INSIDE_COST: Final = 3.0
"""Of a sentence that ends inside a cue which goes on with a part of the next."""


def cues_of(turns: Sequence[Turn], rules: CaptionRules, frame_rate: Fraction, names: Sequence[str] = ()) -> list[Cue]:
    """Cues of what is said, in order of their start, on frames of the picture.

    Args:
        turns: in the order of their start.
        names: one a turn, written before its first cue; empty, or an empty name, for none.
    """
    found: list[Cue] = []
    for at, turn in enumerate(turns):
        words = list(turn.words)
        name = names[at] if names else ""
        if name:
            words[0] = replace(words[0], text=f"{name} {words[0].text}")
        for group in _groups(words, rules):
            texts = [word.text for word in group]
            lines = lines_of(texts, rules.most_characters, rules.most_lines) or [" ".join(texts)]
            found.append(Cue(group[0].start_sample, max(word.end_sample for word in group), "\n".join(lines)))
    return timed(sorted(found), rules, frame_rate)


def timed(cues: Sequence[Cue], rules: CaptionRules, frame_rate: Fraction) -> list[Cue]:
    """Cues long enough to be read where the next leaves room, and apart; starts and ends on frames.

    Cues that speak at once keep their starts; the earlier ends where the later begins.
    """
    gap = gap_samples(rules, frame_rate)
    found: list[Cue] = []
    for at, cue in enumerate(cues):
        start = _on_frame(cue.start_sample, frame_rate)
        if found and start <= found[-1].start_sample:
            start = _on_frame(found[-1].end_sample + gap, frame_rate)
        latest = cues[at + 1].start_sample - gap if at + 1 < len(cues) else None
        read_s = max(rules.least_s, len(cue.text) / rules.most_characters_s)
        wanted = max(cue.end_sample + samples_from_s(HOLD_S), start + samples_from_s(Fraction(read_s)))
        wanted = min(wanted, max(cue.end_sample, start + samples_from_s(Fraction(rules.most_s))))
        if latest is not None and (wanted > latest or latest - wanted < samples_from_s(CHAIN_S) - gap):
            wanted = min(latest, max(wanted, start + samples_from_s(Fraction(rules.most_s))))
        end = _on_frame(wanted, frame_rate)
        following = _on_frame(wanted + int(RATE_HZ / frame_rate), frame_rate)
        if end < wanted and (latest is None or following <= latest):
            end = following  # a part of a frame counts as one, so that it can be read to its end
        if end <= start:
            end = _on_frame(start + max(gap, samples_from_s(1 / frame_rate)), frame_rate)
        found.append(Cue(start, end, cue.text))
    return found


def _on_frame(at_sample: int, frame_rate: Fraction) -> int:
    frame = at_sample * frame_rate / RATE_HZ
    return int(-(-(int(frame + Fraction(1, 1000)) * RATE_HZ) // frame_rate))


def _groups(words: Sequence[Word], rules: CaptionRules) -> list[list[Word]]:
    # The cheapest way through the words: each group fits a cue; its cost is how it ends and how fast it reads.
    # For each word: the least cost of cues up to it, and where the last of them begins.
    best: list[tuple[float, int]] = [(0.0, 0)] + [(float("inf"), 0)] * len(words)
    most = rules.most_characters * rules.most_lines + rules.most_lines - 1
    for end in range(1, len(words) + 1):
        texts: list[str] = []
        length = -1
        for start in range(end - 1, -1, -1):
            texts.insert(0, words[start].text)
            length += len(texts[0]) + 1
            if end - start > 1 and (length > most or _is_apart(words[start], words[start + 1])):
                break
            if end - start > 1 and words[end - 1].end_sample - words[start].start_sample > rules.most_s * RATE_HZ:
                break
            if end - start > 1 and length > rules.most_characters and not _fits(texts, rules):
                continue
            cost = best[start][0] + _cost(words, start, end, length, rules)
            if cost < best[end][0]:
                best[end] = (cost, start)
    groups, end = [], len(words)
    while end:
        start = best[end][1]
        groups.append(list(words[start:end]))
        end = start
    return groups[::-1]


def _fits(texts: Sequence[str], rules: CaptionRules) -> bool:
    n_lines, length = 1, -1
    for text in texts:
        length += len(text) + 1
        if length > rules.most_characters:
            n_lines, length = n_lines + 1, len(text)
    return n_lines <= rules.most_lines


def _is_apart(word: Word, following: Word) -> bool:
    return following.start_sample - word.end_sample >= _PAUSE_S * RATE_HZ


def _cost(words: Sequence[Word], start: int, end: int, length: int, rules: CaptionRules) -> float:
    cost = _CUE_COST
    last = words[end - 1]
    shown_until = last.end_sample
    if end < len(words):
        pause_s = max(0, words[end].start_sample - last.end_sample) / RATE_HZ
        cost += break_cost(last.text, words[end].text) / (1.0 + 4.0 * pause_s)
        shown_until = min(words[end].start_sample, last.end_sample + samples_from_s(HOLD_S))
    shown_s = max(0.04, (shown_until - words[start].start_sample) / RATE_HZ)
    if end < len(words) and break_cost(last.text, words[end].text) > SENTENCE:
        ends = (break_cost(words[at].text, words[at + 1].text) for at in range(start, end - 1))
        cost += _INSIDE_COST if SENTENCE in ends else 0.0
    over = length / shown_s - rules.most_characters_s
    return cost + max(0.0, over) * _FAST_COST + max(0.0, rules.least_s - shown_s) * 6.0
