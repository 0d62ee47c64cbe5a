"""Voices grouped into speakers, and words given to them.

Source of the method: agglomerative clustering by average linkage of cosine distances, common practice in telling
speakers apart; the path through words is that of Viterbi (1967).
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from scipy.cluster.hierarchy import fcluster, linkage

from recitant_core.speakers.encoder import Single
from recitant_core.transcript.model import Word
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan, samples_from_s

WINDOW_S: Final = 1.6
STEP_S: Final = 0.8
LEAST_WINDOW_S: Final = 0.5
"""A shorter phrase tells no voice; its words go with those beside it."""
PHRASE_PAUSE_S: Final = 0.35
SAME_SIMILARITY: Final = 0.66
"""Mean similarity of two groups from which they are one speaker."""
LEAST_SHARE: Final = 0.02
"""Of all windows, and two of them: a smaller group is no speaker where their number is estimated."""
MOST_WINDOWS: Final = 3_000
"""That are grouped; more are given to the groups of these."""
MOST_SPEAKERS: Final = 20
_CHANGE, _CHANGE_AT_PAUSE = 0.9, 0.12
"""Similarity that a change of speaker costs between words, and where a phrase ends."""


def voice_windows(words: Sequence[Word]) -> list[SampleSpan]:
    """Stretches whose voices are compared: each phrase in windows of 1.6 s that overlap by half."""
    window, step, least = samples_from_s(WINDOW_S), samples_from_s(STEP_S), samples_from_s(LEAST_WINDOW_S)
    found = []
    for phrase in _phrases(words):
        start, end = phrase[0].start_sample, phrase[-1].end_sample
        if end - start < least:
            continue
        begins = range(start, max(start + 1, end - window + 1), step)
        found += [SampleSpan(begin, min(window, end - begin)) for begin in begins]
        if begins[-1] + window < end:
            found.append(SampleSpan(end - window, window))
    return found


def groups_of(vectors: Single, n_speakers: int | None = None) -> FloatArray:
    """Mean unit vector of each speaker, float64 (speakers, vector), the one who speaks most first.

    Args:
        vectors: float32 (windows, vector), unit length.
        n_speakers: None where it is to be estimated.
    """
    if not len(vectors):
        return np.zeros((0, vectors.shape[1]))
    picked = vectors[np.linspace(0, len(vectors) - 1, min(len(vectors), MOST_WINDOWS)).astype(int)].astype(np.float64)
    if len(picked) == 1 or n_speakers == 1:
        return _unit(picked.mean(axis=0, keepdims=True))
    tree = linkage(picked, "average", "cosine")
    if n_speakers is not None:
        return _means(picked, fcluster(tree, min(n_speakers, MOST_SPEAKERS), "maxclust"), 1)
    labels = fcluster(tree, 1.0 - SAME_SIMILARITY, "distance")
    return _means(picked, labels, max(2, round(LEAST_SHARE * len(picked))))[:MOST_SPEAKERS]


def named(groups: FloatArray, known: FloatArray, similarity: float = SAME_SIMILARITY) -> list[int | None]:
    """Known speaker of each group, or None for a new one; no two are the same.

    Args:
        groups, known: float64 (speakers, vector), unit length.
    """
    found: list[int | None] = [None] * len(groups)
    if not len(groups) or not len(known):
        return found
    alike = groups @ known.T
    for flat in np.argsort(alike, axis=None)[::-1]:
        group, speaker = divmod(int(flat), len(known))
        if alike[group, speaker] < similarity:
            break
        if found[group] is None and speaker not in found:
            found[group] = speaker
    return found


def with_speakers(
    words: Sequence[Word], windows: Sequence[SampleSpan], vectors: Single, groups: FloatArray, ids: Sequence[str]
) -> tuple[Word, ...]:
    """Words with who says each: the likeliest path, on which a change costs more inside a phrase than at its end.

    Args:
        windows, vectors: see voice_windows; float32 (windows, vector).
        groups: float64 (speakers, vector).
        ids: of the speakers, one a group.
    """
    if not words or not len(groups):
        return tuple(words)
    scores = _scores(words, windows, vectors.astype(np.float64) @ groups.T)
    pause = samples_from_s(PHRASE_PAUSE_S)
    best = scores[0]
    ways = np.zeros(scores.shape, np.int64)
    for at in range(1, len(words)):
        is_pause = words[at].start_sample - words[at - 1].end_sample >= pause
        change = _CHANGE_AT_PAUSE if is_pause else _CHANGE
        from_best = int(np.argmax(best))
        # The likeliest path (A. Viterbi 1967): stay, or come from the best at the cost of a change.
        stay = best >= best[from_best] - change
        ways[at] = np.where(stay, np.arange(len(groups)), from_best)
        best = np.where(stay, best, best[from_best] - change) + scores[at]
    speaker = int(np.argmax(best))
    found = []
    # Back along the path from its likeliest end.
    for at in range(len(words) - 1, -1, -1):
        found.append(replace(words[at], speaker=ids[speaker]))
        speaker = int(ways[at, speaker])
    return tuple(found[::-1])


def _phrases(words: Sequence[Word]) -> list[list[Word]]:
    pause = samples_from_s(PHRASE_PAUSE_S)
    found: list[list[Word]] = []
    for word in words:
        if found and word.start_sample - found[-1][-1].end_sample < pause:
            found[-1].append(word)
        else:
            found.append([word])
    return found


def _scores(words: Sequence[Word], windows: Sequence[SampleSpan], similarity: FloatArray) -> FloatArray:
    # Windows that cover a word count the more, the nearer their middle is to its own.
    scores = np.zeros((len(words), similarity.shape[1]))
    starts = np.array([span.start_sample for span in windows])
    ends = np.array([span.end_sample for span in windows])
    for at, word in enumerate(words):
        first, last = np.searchsorted(ends, word.start_sample, "right"), np.searchsorted(starts, word.end_sample)
        if last <= first:
            continue
        middle = (word.start_sample + word.end_sample) / 2.0
        distance = np.abs((starts[first:last] + ends[first:last]) / 2.0 - middle)
        weight = 1.0 / (1.0 + distance / samples_from_s(STEP_S))
        scores[at] = (weight[:, None] * similarity[first:last]).sum(axis=0) / weight.sum()
    return scores


def _means(vectors: FloatArray, labels: FloatArray, least: int) -> FloatArray:
    groups = [vectors[labels == label] for label in np.unique(labels)]
    kept = [group for group in groups if len(group) >= least] or [max(groups, key=len)]
    kept.sort(key=len, reverse=True)
    return _unit(np.stack([group.mean(axis=0) for group in kept]))


def _unit(vectors: FloatArray) -> FloatArray:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-9))
