"""Words that are lost in a mix: heard by a model on the dialogue alone, and not, or as others, in the mix.

A model errs too, and differently with every change of level. Only steady words count: those it hears alike on the
dialogue alone, on the same at another gain, and on the same with a trace of noise. An aid, not a measurement of people.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Final

import numpy as np

from recitant_core.ports import Progress, no_progress
from recitant_core.transcript.alignment import aligned
from recitant_core.transcript.model import Word
from recitant_core.transcript.spelling import plain
from recitant_core.transcript.transcriber import Transcriber
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan, samples_from_s
from recitant_core.units.threads import in_order

Rendered = Callable[[SampleSpan], FloatArray]
"""Sound of a span, float64 (frames,)."""
OTHER_GAIN_DB: Final = -4.0
NOISE_UNDER_DB: Final = 40.0
"""How far the trace of noise lies under the dialogue around it."""
LEAST_STEADY: Final = 0.6
"""Share of words that must be steady for a judgement of the whole."""
NEAR_S: Final = 1.5
"""Lost words closer than this are one passage."""


class WordState(StrEnum):
    """State of a word in the mix."""

    KEPT = "kept"
    LOST = "lost"
    MISHEARD = "misheard"
    UNSTEADY = "unsteady"
    """Not heard alike on the dialogue alone: nothing can be said of it."""


@dataclass(frozen=True)
class Understood:
    """A word of the dialogue, and what becomes of it in the mix."""

    word: Word
    state: WordState
    heard_as: str = ""
    """What was heard in the mix in its place."""

    @property
    def is_lost(self) -> bool:
        """Whether it is not understood in the mix."""
        return self.state in (WordState.LOST, WordState.MISHEARD)


@dataclass(frozen=True)
class LostPassage:
    """Lost words near each other, in order."""

    words: tuple[Understood, ...]

    @property
    def span(self) -> SampleSpan:
        """From the first to the end of the last."""
        start = self.words[0].word.start_sample
        return SampleSpan(start, max(1, self.words[-1].word.end_sample - start))

    @property
    def text(self) -> str:
        """The words as running text."""
        return " ".join(one.word.text for one in self.words)


@dataclass(frozen=True)
class Count:
    """Words of a programme by what became of them."""

    n_words: int
    n_steady: int
    n_lost: int

    @property
    def share_judged(self) -> float:
        """Share of words that are steady, 0 to 1."""
        return self.n_steady / self.n_words if self.n_words else 0.0

    @property
    def can_judge(self) -> bool:
        """Whether enough words are steady."""
        return self.n_words > 0 and self.share_judged >= LEAST_STEADY


@dataclass
class HeardWords:
    """Words heard before, by a hash of the sound: stretches that sound as they did are not heard again.

    Words are kept counted from the start of their stretch.
    """

    known: Mapping[str, Sequence[Understood]]
    hash_of: Callable[[FloatArray, FloatArray], str]
    """Of the dialogue alone and of the mix."""
    used: dict[str, Sequence[Understood]] = field(default_factory=dict)
    """What this listening came to, by the same hash."""


def heard_as_listener(
    alone: Rendered,
    mix: Rendered,
    chunks: Sequence[SampleSpan],
    transcriber: Transcriber,
    language: str,
    progress: Progress = no_progress,
    heard_before: HeardWords | None = None,
) -> list[Understood]:
    """Every word that a model hears on the dialogue alone, and what becomes of it in the mix, in order.

    Args:
        alone, mix: the dialogue alone, and the finished mix.
        chunks: stretches of at most 30 s, heard one by one; see chunks_of.
        language: ISO 639-1.
        heard_before: what is known already; None for nothing. What is heard now is put into it.

    Raises:
        Cancelled: ``progress`` stopped it.
    """
    found: list[Understood] = []

    def hear(chunk: SampleSpan) -> Sequence[Understood]:
        dry, wet = alone(chunk), mix(chunk)
        key = heard_before.hash_of(dry, wet) if heard_before is not None else ""
        if heard_before is not None and key in heard_before.known:
            heard_before.used[key] = heard_before.known[key]
            return heard_before.known[key]
        words = heard_anew(chunk, dry, wet)
        if heard_before is not None:
            heard_before.used[key] = words
        return words

    def heard_anew(chunk: SampleSpan, dry: FloatArray, wet: FloatArray) -> list[Understood]:
        noise = np.random.default_rng(chunk.start_sample).standard_normal(len(dry))
        level = np.sqrt(np.mean(dry**2)) * 10.0 ** (-NOISE_UNDER_DB / 20.0)
        versions = (dry, dry * 10.0 ** (OTHER_GAIN_DB / 20.0), dry + noise * level, wet)
        heard = [transcriber.hear(audio, language, ()).words for audio in versions]
        return understood(heard[0], heard[1:3], heard[3])

    for done, (chunk, words) in enumerate(zip(chunks, in_order(hear, chunks), strict=True), 1):
        found += [replace(one, word=one.word.moved(chunk.start_sample)) for one in words]
        progress(done / len(chunks))
    return found


def understood(alone: Sequence[Word], others: Sequence[Sequence[Word]], mix: Sequence[Word]) -> list[Understood]:
    """Words of one stretch and what becomes of each.

    Args:
        alone: as heard on the dialogue alone.
        others: as heard on the same with small changes.
        mix: as heard in the mix.
    """
    spelled = [plain(word.text) for word in alone]
    steady = [bool(text) and not word.is_unsure for word, text in zip(alone, spelled, strict=True)]
    for other in others:
        same = _heard_for(spelled, other)
        steady = [was and same[at] == spelled[at] for at, was in enumerate(steady)]
    in_mix = _heard_for(spelled, mix)
    found = []
    for word, text, is_steady, heard in zip(alone, spelled, steady, in_mix, strict=True):
        if not is_steady:
            state = WordState.UNSTEADY
        elif heard == text:
            state = WordState.KEPT
        else:
            state = WordState.MISHEARD if heard else WordState.LOST
        found.append(Understood(word, state, heard if state is WordState.MISHEARD else ""))
    return found


def counted(words: Sequence[Understood]) -> Count:
    """Numbers of words: in all, those that can be judged, and those that are lost.

    A word can be judged where it is understood alike whatever the level of everything else.
    """
    steady = [one for one in words if one.state is not WordState.UNSTEADY]
    return Count(len(words), len(steady), sum(1 for one in steady if one.is_lost))


def lost_passages(words: Sequence[Understood]) -> list[LostPassage]:
    """Lost words as passages, in order; words that are kept in between part them only where they take long.

    Args:
        words: of one track, in order, with what became of each.
    """
    near = samples_from_s(NEAR_S)
    found: list[list[Understood]] = []
    for one in words:
        if not one.is_lost:
            continue
        if found and one.word.start_sample - found[-1][-1].word.end_sample < near:
            found[-1].append(one)
        else:
            found.append([one])
    return [LostPassage(tuple(passage)) for passage in found]


def _heard_for(spelled: Sequence[str], heard: Sequence[Word]) -> list[str]:
    other = [text for word in heard if (text := plain(word.text))]
    found = [""] * len(spelled)
    for pair in aligned(spelled, other):
        if pair.reference is not None and pair.heard is not None:
            found[pair.reference] = other[pair.heard]
    return found
