"""Speech as somebody corrected it: marks laid over what was found, which stay when the finding is made anew."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from recitant_core.speech.activity import SpeechSpan
from recitant_core.units.clock import SampleSpan


@dataclass(frozen=True)
class SpeechMark:
    """Somebody's word that a stretch of a recording is speech, or that it is not; times in the recording."""

    start_sample: int
    length_samples: int
    is_speech: bool

    @property
    def span(self) -> SampleSpan:
        """Stretch of the recording."""
        return SampleSpan(self.start_sample, self.length_samples)


def mark_laid(marks: Sequence[SpeechMark], mark: SpeechMark) -> tuple[SpeechMark, ...]:
    """The marks with one more on top: what it covers is its own, and marks alike that touch become one."""
    cut: list[SpeechMark] = []
    for old in marks:
        cut += [SpeechMark(s.start_sample, s.length_samples, old.is_speech) for s in without(old.span, [mark.span])]
    cut.append(mark)
    cut.sort(key=lambda m: m.start_sample)
    joined: list[SpeechMark] = []
    for one in cut:
        last = joined[-1] if joined else None
        if last is not None and last.is_speech == one.is_speech and last.span.end_sample == one.start_sample:
            joined[-1] = SpeechMark(last.start_sample, last.length_samples + one.length_samples, one.is_speech)
        elif one.length_samples:
            joined.append(one)
    return tuple(joined)


def corrected(found: Sequence[SpeechSpan], marks: Sequence[SpeechMark]) -> list[SpeechSpan]:
    """Found speech with the marks over it: marked speech is certain, what is marked as none is gone.

    Args:
        found: in order, in samples of the recording.
        marks: of the same recording, without overlaps; see mark_laid.
    """
    if not marks:
        return list(found)
    covered = [mark.span for mark in marks]
    spans = [
        SpeechSpan(part.start_sample, part.length_samples, span.confidence)
        for span in found
        for part in without(span.span, covered)
    ]
    spans += [SpeechSpan(mark.start_sample, mark.length_samples, 1.0) for mark in marks if mark.is_speech]
    spans.sort()
    joined: list[SpeechSpan] = []
    for span in spans:
        if joined and joined[-1].span.end_sample >= span.start_sample:
            before = joined[-1]
            end = max(before.span.end_sample, span.span.end_sample)
            joined[-1] = SpeechSpan(
                before.start_sample, end - before.start_sample, max(before.confidence, span.confidence)
            )
        else:
            joined.append(span)
    return joined


def without(span: SampleSpan, taken: Iterable[SampleSpan]) -> list[SampleSpan]:
    """The parts of a span that none of these covers, in order.

    >>> [(part.start_sample, part.end_sample) for part in without(SampleSpan(0, 100), [SampleSpan(20, 30)])]
    [(0, 20), (50, 100)]
    """
    parts = [span]
    for gone in taken:
        left: list[SampleSpan] = []
        for part in parts:
            before = min(part.end_sample, gone.start_sample)
            after = max(part.start_sample, gone.end_sample)
            if before > part.start_sample:
                left.append(SampleSpan(part.start_sample, before - part.start_sample))
            if after < part.end_sample:
                left.append(SampleSpan(after, part.end_sample - after))
        parts = left
    return parts


def merged(spans: Iterable[SampleSpan], bridge_samples: int = 0) -> list[SampleSpan]:
    """Spans in order, those closer than ``bridge_samples`` joined.

    >>> [(one.start_sample, one.end_sample) for one in merged([SampleSpan(50, 10), SampleSpan(0, 45)], 5)]
    [(0, 60)]
    """
    joined: list[SampleSpan] = []
    for span in sorted(spans):
        if joined and span.start_sample - joined[-1].end_sample <= bridge_samples:
            end = max(joined[-1].end_sample, span.end_sample)
            joined[-1] = SampleSpan(joined[-1].start_sample, end - joined[-1].start_sample)
        else:
            joined.append(span)
    return joined
